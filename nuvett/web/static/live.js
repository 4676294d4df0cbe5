// A live value inside a sentence: drag sideways, arrow keys, wheel, or type; tells its page `live-input` while it moves
// and `live-change` when it has come to rest.

const PIXELS_A_STEP = 3;
const SETTLE = 350;

export const live = () => ({
  value: 0,
  settling: null,
  init() {
    const root = this.$el;
    const facts = root.dataset;
    this.value = facts.value === "" ? null : Number(facts.value);
    root.addEventListener("keydown", (event) => this.onKey(event, root));
    root.addEventListener("pointerdown", (event) => this.onDrag(event, root));
    root.addEventListener("set-live", (event) => this.set(root, event.detail, "now"));
    root.addEventListener("dblclick", () => this.reset(root));
    root.addEventListener("wheel", (event) => this.onWheel(event, root), { passive: false });
  },
  base(root) {
    if (this.value !== null) return this.value;
    const low = Number(root.dataset.low);
    if (root.dataset.name.endsWith("_hue")) return 60;
    return low > 0 ? Number(root.dataset.high) - 4 : low + 4;
  },
  show(root) {
    const { digits, signed } = root.dataset;
    if (this.value === null) {
      root.textContent = "the target’s";
      root.setAttribute("aria-valuetext", "the target’s");
      return;
    }
    let text = this.value.toFixed(Number(digits)).replace("-", "−");
    if (Number(this.value.toFixed(Number(digits))) === 0) text = text.replace("−", "");
    else if (signed && this.value > 0) text = `+${text}`;
    root.textContent = text;
    root.setAttribute("aria-valuenow", String(this.value));
    root.setAttribute("aria-valuetext", text);
  },
  set(root, value, rest) {
    const low = Number(root.dataset.low);
    const high = Number(root.dataset.high);
    const bounded = value === null ? null : Math.min(high, Math.max(low, Number(value.toFixed(4))));
    const moved = bounded !== this.value;
    this.value = bounded;
    this.show(root);
    if (moved) this.tell(root, "live-input");
    clearTimeout(this.settling);
    if (rest === "now") this.tell(root, "live-change");
    else if (rest === "soon" && moved) this.settling = setTimeout(() => this.tell(root, "live-change"), SETTLE);
  },
  tell(root, name) {
    root.dispatchEvent(
      new CustomEvent(name, { bubbles: true, detail: { name: root.dataset.name, value: this.value } }),
    );
  },
  reset(root) {
    const usual = root.dataset.usual;
    this.set(root, usual === "" ? (/^tone\.|_hue$/.test(root.dataset.name) ? null : this.value) : Number(usual), "now");
  },
  onKey(event, root) {
    if (event.target !== root || event.ctrlKey || event.metaKey) return;
    const step = Number(root.dataset.step) * (event.shiftKey ? 10 : 1) * (event.altKey ? 0.1 : 1);
    const moves = { ArrowUp: step, ArrowRight: step, ArrowDown: -step, ArrowLeft: -step };
    if (event.key in moves) this.set(root, this.base(root) + moves[event.key], "soon");
    else if (event.key === "PageUp" || event.key === "PageDown") {
      this.set(root, this.base(root) + Number(root.dataset.step) * (event.key === "PageUp" ? 10 : -10), "soon");
    } else if (event.key === "Home") this.set(root, Number(root.dataset.low), "soon");
    else if (event.key === "End") this.set(root, Number(root.dataset.high), "soon");
    else if (event.key === "Backspace" || event.key === "Delete") this.reset(root);
    else if (/^[0-9.,+−-]$/.test(event.key)) this.type(root, event.key);
    else if (event.key === "Enter") this.type(root, "");
    else return;
    event.preventDefault();
    event.stopPropagation();
  },
  onWheel(event, root) {
    if (document.activeElement !== root) return;
    event.preventDefault();
    const step = Number(root.dataset.step) * (event.shiftKey ? 10 : 1);
    this.set(root, this.base(root) + (event.deltaY < 0 ? step : -step), "soon");
  },
  onDrag(event, root) {
    if (event.target !== root || event.button !== 0) return;
    const from = event.clientX;
    const start = this.base(root);
    let moved = false;
    root.setPointerCapture(event.pointerId);
    const move = (at) => {
      const steps = Math.round((at.clientX - from) / PIXELS_A_STEP);
      if (steps !== 0) moved = true;
      if (moved)
        this.set(
          root,
          start + steps * Number(root.dataset.step) * (at.shiftKey ? 10 : 1) * (at.altKey ? 0.1 : 1),
          "later",
        );
    };
    const end = () => {
      root.removeEventListener("pointermove", move);
      root.removeEventListener("pointerup", end);
      root.removeEventListener("pointercancel", end);
      if (moved) this.tell(root, "live-change");
    };
    root.addEventListener("pointermove", move);
    root.addEventListener("pointerup", end);
    root.addEventListener("pointercancel", end);
  },
  type(root, first) {
    const input = document.createElement("input");
    input.inputMode = "decimal";
    input.value = first === "" ? String(this.value ?? "") : first;
    input.setAttribute("aria-label", root.getAttribute("aria-label"));
    root.textContent = "";
    root.append(input);
    input.focus();
    if (first === "") input.select();
    let over = false;
    const finish = (keep) => {
      if (over) return;
      over = true;
      const typed = Number(input.value.replace(",", ".").replace("−", "-"));
      const usable = keep && input.value.trim() !== "" && Number.isFinite(typed);
      input.remove();
      if (usable) this.set(root, typed, "now");
      else this.show(root);
      root.focus();
    };
    input.addEventListener("keydown", (event) => {
      event.stopPropagation();
      if (event.key === "Enter" || event.key === "Tab") finish(true);
      if (event.key === "Escape") finish(false);
    });
    input.addEventListener("blur", () => finish(true));
  },
});
