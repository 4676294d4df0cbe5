// A live value inside a sentence: drag sideways, arrow keys, wheel, or type; tells its page `live-input` while it moves
// and `live-change` when it has come to rest.

import { bounded, factsOf, stepped, typed, written } from "../lib/values.js";

const PIXELS_A_STEP = 3;
const SETTLE = 350;

export const live = () => ({
  settling: null,
  init() {
    const root = this.$el;
    root.addEventListener("keydown", (event) => this.onKey(event, root));
    root.addEventListener("pointerdown", (event) => this.onDrag(event, root));
    root.addEventListener("set-live", (event) => this.set(root, event.detail, "now"));
    root.addEventListener("dblclick", () => this.reset(root));
    root.addEventListener("wheel", (event) => this.onWheel(event, root), { passive: false });
  },
  /** The value stands on the element, so that a part rendered anew brings its own. */
  value(root) {
    return root.dataset.value === "" ? null : Number(root.dataset.value);
  },
  show(root) {
    const text = written(this.value(root), factsOf(root.dataset));
    root.textContent = text;
    if (root.dataset.full) root.toggleAttribute("data-beyond", Number(root.dataset.value) > Number(root.dataset.full));
    root.setAttribute("aria-valuenow", String(this.value(root) ?? root.dataset.low));
    root.setAttribute("aria-valuetext", text);
  },
  set(root, value, rest) {
    const next = bounded(value, factsOf(root.dataset));
    const moved = next !== this.value(root);
    root.dataset.value = next === null ? "" : String(next);
    this.show(root);
    if (moved) this.tell(root, "live-input");
    clearTimeout(this.settling);
    if (rest === "now") this.tell(root, "live-change");
    else if (rest === "soon" && moved) this.settling = setTimeout(() => this.tell(root, "live-change"), SETTLE);
  },
  tell(root, name) {
    const detail = { name: root.dataset.name, value: this.value(root), clips: "clips" in root.dataset };
    root.dispatchEvent(new CustomEvent(name, { bubbles: true, detail }));
  },
  reset(root) {
    const { usual, empty } = factsOf(root.dataset);
    this.set(root, usual === null && !empty ? this.value(root) : usual, "now");
  },
  onKey(event, root) {
    if (event.target !== root || event.ctrlKey || event.metaKey) return;
    const next = stepped(this.value(root), event.key, factsOf(root.dataset), event);
    if (next !== undefined) this.set(root, next, "soon");
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
    const key = event.deltaY < 0 ? "ArrowUp" : "ArrowDown";
    this.set(root, stepped(this.value(root), key, factsOf(root.dataset), event), "soon");
  },
  onDrag(event, root) {
    if (event.target !== root || event.button !== 0) return;
    const from = event.clientX;
    const facts = factsOf(root.dataset);
    const start = this.value(root) ?? facts.start;
    let moved = false;
    root.setPointerCapture(event.pointerId);
    const move = (at) => {
      const steps = Math.round((at.clientX - from) / PIXELS_A_STEP);
      if (steps !== 0) moved = true;
      if (!moved) return;
      const size = facts.step * (at.shiftKey ? 10 : 1) * (at.altKey ? 0.1 : 1);
      this.set(root, start + steps * size, "later");
    };
    const end = () => {
      for (const name of ["pointermove", "pointerup", "pointercancel"])
        root.removeEventListener(name, name === "pointermove" ? move : end);
      if (moved) this.tell(root, "live-change");
    };
    root.addEventListener("pointermove", move);
    root.addEventListener("pointerup", end);
    root.addEventListener("pointercancel", end);
  },
  type(root, first) {
    const input = document.createElement("input");
    input.inputMode = "decimal";
    input.value = first === "" ? String(this.value(root) ?? "") : first;
    input.setAttribute("aria-label", root.getAttribute("aria-label"));
    root.textContent = "";
    root.append(input);
    input.focus();
    if (first === "") input.select();
    let over = false;
    const finish = (keep) => {
      if (over) return;
      over = true;
      const value = keep ? typed(input.value) : undefined;
      input.remove();
      if (value === undefined) this.show(root);
      else this.set(root, value, "now");
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
