// The lookbook: rows of looks by frames. What is said of a row is asked for once it is seen; all of it works by keys.

import { connectPalettes } from "./book_palettes.js";
import { bringIn } from "../controls/bringing.js";
import { chosenOf } from "../lib/chosen.js";
import { all, ask, one, say, setAddress } from "../lib/common.js";
import { openLarge } from "../controls/large.js";
import { acceptFiles } from "../lib/upload.js";

export const lookbook = () => ({
  root: null,
  slug: "",
  query: "",
  row: null,
  column: 0,
  waiting: [],
  busy: false,
  init() {
    const root = this.$el;
    this.root = root;
    Object.assign(this, { slug: root.dataset.slug, query: root.dataset.query });
    this.watchRows();
    acceptFiles("book", (files) => bringIn(root, this.query, files));
    root.addEventListener("click", (event) => this.clicked(event));
    root.addEventListener("keydown", (event) => this.pressed(event));
    root.addEventListener("focusin", ({ target }) => {
      const row = target.closest("[data-kept]");
      if (row) this.take(row);
    });
    root.addEventListener("live-change", ({ detail, target }) => {
      const row = target.closest("[data-kept]");
      if (row && detail.name === "strength") this.label(row, { strength: detail.value }, true);
    });
    one("[data-keep-trial]", root)?.addEventListener("submit", (event) => this.keepTrial(event));
    one("[data-expects]", root)?.addEventListener("change", ({ target }) => {
      this.post({ dataset: { kept: target.dataset.of } }, `expects/${target.value}`);
    });
    this.listenToFilters();
    connectPalettes(root, this.slug);
    const place = one("[data-large-place]", root);
    place.addEventListener("other-state", ({ detail }) => {
      detail.resolve(null);
      if (detail.what.startsWith("kept ")) this.compare(place.dataset.left, detail.what.slice(5));
    });
    const asked = new URL(location.href).searchParams;
    if (asked.get("left")) Object.assign(place.dataset, { left: asked.get("left"), right: asked.get("right") ?? "" });
  },
  /** Have a row in hand: keys work its controls from now on. */
  take(row) {
    this.row = row;
    for (const other of all("[data-of-key][data-key]", this.root)) delete other.dataset.key;
    for (const control of all("[data-of-key]", row)) control.dataset.key = control.dataset.ofKey;
  },
  /** Ask what is to be said of each row once it is seen, one after the other, after its picture. */
  watchRows() {
    const seen = new IntersectionObserver((entries) => {
      for (const entry of entries) {
        if (!entry.isIntersecting) continue;
        seen.unobserve(entry.target);
        this.waiting.push(entry.target);
      }
      this.sayNext();
    });
    if (!this.query) return;
    for (const row of all("[data-kept]", this.root)) {
      if (!one("[data-said]", row).hasAttribute("data-done")) seen.observe(row);
    }
  },
  async sayNext() {
    if (this.busy) return;
    this.busy = true;
    for (let row = this.waiting.shift(); row; row = this.waiting.shift()) {
      const image = one(".cells-picture", row);
      if (image) await image.decode().catch(() => {});
      try {
        const text = await (await ask(`/lookbook/${row.dataset.kept}/words?${this.query}`)).text();
        one("[data-said]", row).innerHTML = text;
        one("[data-said]", row).title = one("[data-said]", row).textContent.trim();
      } catch {
        one("[data-said]", row).textContent = "Its details could not be loaded.";
      }
    }
    this.busy = false;
  },
  listenToFilters() {
    const find = one("[data-find]", this.root);
    find?.addEventListener("input", () => {
      const words = find.value.toLowerCase().split(/\s+/).filter(Boolean);
      for (const row of all("[data-kept]", this.root)) {
        const text = `${row.dataset.called} ${row.dataset.note}`.toLowerCase();
        row.hidden = !words.every((word) => text.includes(word));
      }
    });
    find?.addEventListener("change", () => setAddress({ find: find.value || null }));
    one("[data-sort-by]", this.root)?.addEventListener("change", (event) => this.go({ sort: event.target.value }));
    one("[data-series]", this.root)?.addEventListener("change", (event) => {
      this.go({ series: event.target.value, frames: null });
    });
  },
  /** Go to the same page with other things asked for. */
  go(changes) {
    setAddress(changes);
    location.reload();
  },
  clicked(event) {
    const cell = event.target.closest("[data-cell]");
    const row = event.target.closest("[data-kept]");
    if (cell) return this.compare(row.dataset.kept, "draft", cell.dataset.cell);
    const doing = event.target.closest("[data-do]")?.dataset.do;
    if (!doing) return undefined;
    if (row) this.row = row;
    for (const open of all("dialog[open]")) open.close();
    return this.act(doing, event.target.closest("[data-do]"));
  },
  /** Open a dialog about the row in hand. */
  dialog(id) {
    const dialog = document.getElementById(id);
    for (const name of all("[data-called-now]", dialog)) name.textContent = this.row.dataset.called;
    dialog.showModal();
    return dialog;
  },
  act(doing, button) {
    const { row } = this;
    const acts = {
      favourite: () => this.label(row, { favourite: button.getAttribute("aria-pressed") !== "true" }),
      use: () => this.use({}),
      "use-version": () => this.useOf(button.dataset.of, { number: Number(button.dataset.version) }),
      beside: () => this.compare(row.dataset.kept, this.beside(row)),
      revise: () => (row.dataset.starter === "1" ? this.post(row, "copy") : this.dialog("revise")),
      "revise-now": () => this.revise(),
      copy: () => this.post(row, "copy"),
      write: () => this.write(),
      more: () => this.dialog("more"),
      labels: () => this.openLabels(),
      "save-labels": () => this.saveLabels(),
      parts: () => this.openParts(),
      "use-parts": () => this.use({ parts: all("[data-part-name-of]:checked").map((box) => box.value) }),
      carry: () => this.carry(),
      health: () => location.assign(`/series/${this.slug}/health?kept=${row.dataset.kept}`),
      open: () => location.assign(`/lookbook/${row.dataset.kept}?${this.query}`),
      away: () => this.post(row, "state/away"),
      back: () => this.post(row, "state/kept"),
      delete: () => this.dialog("delete-kept"),
      "delete-now": () => this.post(row, "delete"),
      "drop-trial": () => this.dropTrial(),
      "columns-usual": () => this.go({ frames: null }),
      "columns-set": () => this.go({ frames: all("[data-column]:checked").map((box) => box.value).join(",") }),
    };
    return acts[doing]?.();
  },
  /** The row that another one is put beside: the next one, else the one before. */
  beside(row) {
    const rows = all("[data-kept]:not([hidden])", this.root);
    return (rows[rows.indexOf(row) + 1] ?? rows[rows.indexOf(row) - 1])?.dataset.kept ?? "draft";
  },
  compare(left, right, frame) {
    const place = one("[data-large-place]", this.root);
    Object.assign(place.dataset, { left, right });
    setAddress({ left, right });
    const columns = new URLSearchParams(this.query).get("frames").split(",");
    openLarge(frame ?? new URL(location.href).searchParams.get("large") ?? columns[this.column] ?? columns[0]);
  },
  async use(how) {
    await this.useOf(this.row.dataset.kept, { strength: Number(this.strengthOf(this.row)), ...how });
  },
  strengthOf(row) {
    return one('[data-name="strength"]', row)?.dataset.value ?? row.dataset.strength;
  },
  async useOf(id, how) {
    try {
      const json = { series: this.slug, ...how };
      const { words } = await (await ask(`/lookbook/${id}/use`, { method: "POST", json })).json();
      say(`${words} Undo on Shape takes it back.`);
    } catch (error) {
      say(error.message);
    }
  },
  async carry() {
    const frames = chosenOf(this.slug);
    if (!frames.length) return say("No frame is chosen on the wall of this series. Choose some on Carry first.");
    try {
      const json = { series: this.slug, frames, strength: Number(this.strengthOf(this.row)) };
      const at = `/lookbook/${this.row.dataset.kept}/use`;
      say((await (await ask(at, { method: "POST", json })).json()).words);
    } catch (error) {
      say(error.message);
    }
    return undefined;
  },
  /** Make a look the draft of the series, to be changed there and kept as its next version. */
  async revise() {
    try {
      const json = { series: this.slug };
      await ask(`/lookbook/${this.row.dataset.kept}/use`, { method: "POST", json });
      location.assign(`/series/${this.slug}/shape`);
    } catch (error) {
      say(error.message);
    }
  },
  async post(row, what, json = {}) {
    try {
      const { words } = await (await ask(`/lookbook/${row.dataset.kept}/${what}`, { method: "POST", json })).json();
      sessionStorage.setItem("said once", words);
      location.reload();
    } catch (error) {
      say(error.message);
    }
  },
  async label(row, json, quiet = false) {
    try {
      await ask(`/lookbook/${row.dataset.kept}/labels`, { method: "POST", json });
      if ("favourite" in json) {
        const button = one('[data-do="favourite"]', row);
        button.setAttribute("aria-pressed", String(json.favourite));
        one("span", button).textContent = json.favourite ? "■ favourite" : "□";
      } else if (quiet) this.redraw(row, json.strength);
      else location.reload();
    } catch (error) {
      say(error.message);
    }
  },
  /** Draw a row anew at another strength. */
  redraw(row, strength) {
    row.dataset.strength = String(strength);
    const image = one(".cells-picture", row);
    if (!image) return;
    const at = (text) => text.replaceAll(/strength=[\d.]+/g, `strength=${strength}`);
    image.srcset = at(image.srcset);
    image.setAttribute("src", at(image.getAttribute("src")));
    this.waiting.push(row);
    this.sayNext();
  },
  openLabels() {
    const dialog = this.dialog("labels");
    const { called, note, group } = this.row.dataset;
    for (const [name, value] of Object.entries({ name: called, use_when: note, group }))
      one(`[data-label="${name}"]`, dialog).value = value;
  },
  saveLabels() {
    const fields = all("#labels [data-label]").map((field) => [field.dataset.label, field.value]);
    this.label(this.row, Object.fromEntries(fields));
  },
  async openParts() {
    const dialog = this.dialog("parts");
    const found = await (await ask(`/lookbook/${this.row.dataset.kept}/look.json`)).json();
    for (const box of all("[data-part-name-of]", dialog)) {
      const there = found.kept.parts.includes(box.value);
      box.closest("label").hidden = !there;
      box.checked = false;
    }
  },
  async write() {
    const dialog = this.dialog("write");
    const at = `/lookbook/${this.row.dataset.kept}`;
    one('[data-write="look"]', dialog).href = `${at}/look.json`;
    const format = one("[data-write-format]", dialog);
    if (!format) return;
    const aim = () => {
      const size = one("[data-write-size]", dialog).value;
      one('[data-write="table"]', dialog).href = `${at}/table.${format.value}?series=${this.slug}&size=${size}`;
      one('[data-write="tables"]', dialog).href =
        `${at}/tables.zip?series=${this.slug}&suffix=${format.value}&size=${size}`;
    };
    dialog.oninput = aim;
    aim();
    const list = one("[data-carries]", dialog);
    try {
      const [shared, each] = await Promise.all(
        [false, true].map(async (one_) => (await ask(`${at}/carries?series=${this.slug}&each=${one_}`)).json()),
      );
      const items = [...shared.map((text) => `For all: ${text}`), ...each.map((text) => `For each: ${text}`)];
      list.replaceChildren(...items.map((text) => Object.assign(document.createElement("li"), { textContent: text })));
    } catch (error) {
      list.textContent = error.message;
    }
  },
  async keepTrial(event) {
    event.preventDefault();
    const form = event.target;
    const json = Object.fromEntries(new FormData(form));
    try {
      await ask(`/lookbook/${form.dataset.id}/labels`, { method: "POST", json });
      location.assign(`/lookbook?${this.query}`);
    } catch (error) {
      say(error.message);
    }
  },
  async dropTrial() {
    try {
      await ask(`/lookbook/${one("[data-keep-trial]", this.root).dataset.id}/delete`, { method: "POST", json: {} });
      location.assign(`/lookbook?${this.query}`);
    } catch (error) {
      say(error.message);
    }
  },
  /** Arrows go from row to row and from cell to cell; Enter sees a cell large. */
  pressed(event) {
    const row = event.target.closest("[data-kept]");
    const on = event.target.matches("[data-kept], [data-cell]");
    if (!row || !on || event.ctrlKey || event.metaKey || event.altKey) return;
    const rows = all("[data-kept]:not([hidden])", this.root);
    const cells = all("[data-cell]", row);
    const down = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const right = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (down) {
      const next = rows[rows.indexOf(row) + down];
      const cell = event.target.matches("[data-cell]") ? all("[data-cell]", next ?? row)[this.column] : next;
      cell?.focus();
      next?.scrollIntoView({ block: "nearest" });
    } else if (right) {
      const at = event.target.matches("[data-cell]") ? cells.indexOf(event.target) + right : right > 0 ? 0 : -1;
      this.column = Math.max(0, at);
      (at < 0 ? row : cells[at])?.focus();
    } else return;
    event.preventDefault();
  },
});
