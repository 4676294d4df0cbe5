// A look or a trim being made on its sheet: drafted while something moves, kept when it rests, walked through its
// history. The sheet, instruments and proofs that the server renders are morphed into place.

import { connectAreas } from "./areas.js";
import { connectCut } from "./cut.js";
import { all, ask, clone, getAt, one, say, setAddress, setAt } from "../lib/common.js";
import { newestWins } from "../lib/draft.js";
import { keepMerged } from "../lib/keeping.js";
import { merged } from "../lib/merging.js";
import { connectHandles } from "./handles.js";
import { connectLayers } from "./layers.js";
import { connectHistory } from "./history.js";
import { morphInto } from "../lib/morphing.js";
import { connectWithout } from "./without.js";
import { connectPicking } from "./picking.js";

const SEEN = 600; // ms that a picture is waited for at most before what is measured of it is asked for
const MEASURED = 400; // ms between what is measured while something moves on and on

/**
 * State and behaviour that Shape and Trim share.
 *
 * where : addresses to draft at, keep at, walk at and pick at; empty : what a step that was emptied becomes
 */
export const sheetOf = (where) => ({
  open: "",
  area: null,
  cutting: false,
  missing: "",
  channel: "master",
  idle: [],
  picking: null,
  spot: -1,
  pickedKind: "",
  joining: null,
  measured: 0,
  // The rest stands once the page does.
  root: null,
  slug: "",
  frame: "",
  reference: "",
  revision: 0,
  document: null,
  known: null,
  kinds: null,
  at: null,
  draft: null,
  keeping: null,
  walks: [],
  init() {
    const root = this.$el;
    this.root = root;
    const { slug, frame, reference, revision } = root.dataset;
    Object.assign(this, { slug, frame, reference, revision: Number(revision) });
    this.document = JSON.parse(one("[data-document]", root).textContent);
    this.kinds = JSON.parse(one("[data-area-kinds]", root).textContent);
    this.known = clone(this.document); // as this window knows it to be kept
    this.at = where(this);
    this.keeping = Promise.resolve();
    this.walks = []; // steps through the history that are still under way
    const { searchParams } = new URL(location.href);
    this.open = searchParams.get("open") ?? "";
    const area = Number(searchParams.get("area") ?? -1);
    this.area = this.document.areas[area] ? area : null;
    const within = this.areaOf(this.open);
    if (within !== null && !this.document.areas[within]) this.open = ""; // an area of another frame
    this.draft = newestWins((asked, newer) => this.send(asked, newer));
    root.addEventListener("live-input", ({ detail }) => {
      if (this.ofBrush(detail)) return;
      setAt(this.document, detail.name, detail.value);
      this.draft({});
      if (detail.clips) this.$dispatch("show-while", "clipping");
    });
    root.addEventListener("live-change", ({ detail }) => {
      if (this.ofBrush(detail)) return;
      setAt(this.document, detail.name, detail.value);
      this.$dispatch("show-while", "");
      this.commit();
    });
    root.addEventListener("change", (event) => this.changed(event));
    root.addEventListener("click", (event) => this.clicked(event));
    root.addEventListener("go-to", ({ detail }) => goTo(detail));
    root.addEventListener("other-state", ({ detail }) => this.answerState(detail));
    connectHandles(this);
    connectPicking(this);
    connectWithout(this);
    connectLayers(this);
    connectHistory(this);
    connectAreas(this);
    if (this.document.geometry) connectCut(this);
    if (this.area !== null) this.draft({});
    this.idle = this.idleSteps();
    this.place();
    this.$watch("open", () => this.place());
    this.$nextTick(() => this.showOpen());
    this.after?.();
  },
  /** Steps on the sheet that do nothing, as the server found. */
  idleSteps() {
    return all('[data-sheet] [data-idle="1"]', this.root).map((step) => step.dataset.step);
  },
  /** A step that does nothing is folded away until it is opened. */
  folded(name) {
    return this.open !== name && this.idle.includes(name);
  },
  /** What holds the steps that are worked on: the document, or the area that the open step is in. */
  scope() {
    const own = this.areaOf(this.open);
    return own === null ? this.document : this.document.areas[own];
  },
  /** The area that a path leads into, none for everywhere. */
  areaOf(path) {
    const found = /^areas\.(\d+)\./.exec(path);
    return found ? Number(found[1]) : null;
  },
  /** Whether a value is one of the brush, which is no part of the document. */
  ofBrush({ name, value }) {
    if (!name.startsWith("brush.")) return false;
    this.brush[name.slice(6)] = value;
    return true;
  },
  /** Work in an area, whose shapes are shown on the picture; once more for none. */
  chooseArea(index) {
    this.area = this.area === index ? null : index;
    const own = this.areaOf(this.open);
    if (own !== null && own !== this.area) this.open = "";
    setAddress({ area: this.area === null ? null : String(this.area), open: this.open || null });
    this.drawShapes();
    this.draft({});
  },
  /** An area more, with one part of a kind; a colour is picked in the frame first. */
  async addArea(kind) {
    this.pickedKind = kind;
    if (this.picked(kind)) return one('[data-picking="area"]', this.root).click();
    return this.addPart({ kind }, null);
  },
  /** Whether a kind of part begins with a colour that is picked. */
  picked(kind) {
    return this.kinds[kind].begins === "picked";
  },
  async addPart(part, index) {
    const { edges } = this.kinds[part.kind];
    if (index === null) {
      this.document.areas.push({ key: newKey(), area: { parts: [part], edges } });
      this.area = this.document.areas.length - 1;
    } else this.document.areas[index].area.parts.push(part);
    setAddress({ area: String(this.area) });
    await this.commit();
    this.drawShapes();
  },
  toggle(name) {
    this.open = this.open === name ? "" : name;
    setAddress({ open: this.open || null });
    this.$nextTick(() => this.showOpen());
  },
  /** Let the open step stand at the top, where its instrument has room below it. */
  showOpen() {
    if (this.open) one(`[data-sheet] [data-step="${CSS.escape(this.open)}"]`, this.root)?.scrollIntoView();
  },
  /** Open a step that does nothing; one that is off or not there is switched on. */
  async bringIn(name) {
    this.open = name;
    setAddress({ open: name });
    const step = getAt(this.document, name);
    if (!step?.on) {
      setAt(this.document, name, { ...step, on: true });
      await this.commit();
    }
    await this.$nextTick(); // what is folded away cannot take the focus
    this.showOpen();
    const section = one(`[data-step="${CSS.escape(name)}"]`, this.root) ?? this.root;
    (one(".live", section) ?? one("select", section))?.focus();
  },
  /** Put the instruments that were rendered in their places. */
  place() {
    const slots = one("[data-instruments]", this.root);
    const open = one(`[data-step="${CSS.escape(this.open)}"]`, this.root);
    for (const place of all("[data-slot-place]", this.root)) {
      const step = place.closest("[data-step]");
      const html = one(`[data-slot="${place.dataset.slotPlace}"]`, slots)?.innerHTML ?? "";
      morphInto(place, step && step !== open ? "" : html);
    }
    this.placeHistory();
  },
  async send({ proofs = false, drag }, newer) {
    const slow = setTimeout(() => this.$dispatch("pictures", { waiting: true }), 150);
    const drafted = async (asked) => {
      const worked = { area: this.areaOf(this.open), where: this.area, uncut: this.cutting };
      const json = { ...this.at.with, ...worked, document: this.document, ...asked };
      return (await ask(this.at.draft, { method: "POST", json })).json();
    };
    try {
      // The picture first, while something moves a quicker one; what is measured of it follows.
      const untouched = this.watch();
      const first = await drafted({ parts: false, drag });
      if (drag && untouched()) this.document = first.document;
      const { pictures, placed, missing = "" } = first;
      this.missing = missing;
      const around = { placed, where: first.where ?? "", cutting: this.cutting };
      await new Promise((resolve) => {
        this.$dispatch("pictures", { pictures, quick: !proofs, seen: resolve, ...around });
        setTimeout(resolve, SEEN);
      });
      if (newer() && performance.now() - this.measured < MEASURED) return;
      const answer = await drafted({ parts: true, proofs });
      this.measured = performance.now();
      one("[data-instruments]", this.root).innerHTML = answer.instruments; // out of sight; put in place below
      this.place();
      if (answer.proofs) morphInto(one("[data-proofs]", this.root), answer.proofs);
      if (proofs) this.$dispatch("pictures", { pictures: answer.pictures, quick: false });
    } catch (error) {
      say(error.message);
    } finally {
      clearTimeout(slow);
      this.$dispatch("pictures", { waiting: false });
    }
  },
  /** A test of whether the document is still what it is now. */
  watch() {
    const now = JSON.stringify(this.document);
    return () => JSON.stringify(this.document) === now;
  },
  /** Show what is kept; what was changed here since `base` is done to it too, and kept by whoever changed it. */
  adopt(kept, base = undefined) {
    base ??= this.document;
    const mine = clone(this.document);
    this.known = clone(kept.document);
    this.document = merged(base, mine, kept.document);
    for (const walk of this.walks) walk.from = merged(base, walk.from, kept.document);
    this.revision = kept.revision;
    morphInto(one("[data-history]", this.root), kept.history);
    morphInto(one("[data-sheet]", this.root), kept.sheet);
    this.idle = this.idleSteps();
    if (this.area !== null && this.area >= this.document.areas.length) {
      this.area = null;
      setAddress({ area: null });
    }
    this.drawShapes();
    this.showProposal?.();
    if (!getAt(this.document, this.open)?.on) {
      this.open = ""; // also after an Undo that switched off what was open
      setAddress({ open: null });
    }
    this.place();
  },
  /** Keep the document as it is now. */
  keep() {
    return this.inTurn(async () => {
      try {
        const sent = clone(this.document);
        const kept = await keepMerged(this.at.keep, { document: sent, revision: this.revision, known: this.known });
        const untouched = this.watch();
        this.adopt(kept, sent); // what has changed meanwhile is kept next
        if (!untouched()) this.draft({ proofs: true });
      } catch (error) {
        say(error.message);
        if (!error.status) return;
        this.adopt(await (await ask(this.at.keep)).json());
        this.draft({ proofs: true });
      }
    });
  },
  commit() {
    this.draft({ proofs: true });
    return this.keep();
  },
  /** One after the other, so that none is made upon a state that another has just replaced. */
  inTurn(work) {
    this.keeping = this.keeping.then(work);
    return this.keeping;
  },
  /** Let the server change what is kept, and show it. */
  walkTo(address, asked) {
    const walk = { from: clone(this.document) }; // what is changed from now on is done to what this leads to
    if (JSON.stringify(walk.from) !== JSON.stringify(this.known)) this.keep(); // what still moves comes to rest first
    this.walks.push(walk);
    return this.inTurn(async () => {
      try {
        const json = { revision: this.revision, ...asked };
        const arrived = await (await ask(address, { method: "POST", json })).json();
        this.walks.shift();
        this.adopt(arrived, walk.from);
        this.draft({ proofs: true });
      } catch (error) {
        this.walks = this.walks.filter((other) => other !== walk);
        say(error.message);
        if (error.status !== 409) return;
        this.adopt(await (await ask(this.at.keep)).json(), walk.from);
        this.draft({ proofs: true });
      }
    });
  },
  async answerState({ what, resolve, reject }) {
    try {
      if (!this.at.other) return resolve(null);
      const json = { ...this.at.with, document: this.document, what };
      resolve((await (await ask(this.at.other, { method: "POST", json })).json()).picture);
    } catch (error) {
      reject(error);
    }
  },
  changed({ target }) {
    const { name } = target.dataset;
    if (target.matches("[data-frame-choice]")) goTo({ frame: target.value });
    else if (target.matches("[data-table]")) {
      const [chosen] = target.selectedOptions;
      const path = target.dataset.table;
      const called = chosen.value ? chosen.textContent : "";
      const expects = chosen.dataset.expects ?? "srgb";
      setAt(this.document, path, { ...getAt(this.document, path), table: chosen.value, called, expects });
      this.commit();
    } else if (target.matches("[data-wash]")) {
      setAt(this.document, `${target.dataset.wash}.colours`, JSON.parse(target.value));
      this.commit();
    } else if (target.matches("[data-join-part]")) {
      const index = Number(target.dataset.joinPart);
      const kind = target.value;
      if (!kind) return;
      if (this.picked(kind)) {
        this.pickedKind = kind;
        this.joining = index;
        one('[data-picking="area"]', this.root).click();
      } else this.addPart({ kind }, index);
      target.value = "";
    } else if (name) {
      if (this.ofBrush({ name, value: target.checked })) return;
      setAt(this.document, name, target.type === "checkbox" ? target.checked : target.value);
      if (name.endsWith(".on") && !target.checked && `${this.open}.on` === name) this.open = "";
      this.commit();
    }
  },
  clicked(event) {
    const find = (name) => event.target.closest(`[data-${name}]`);
    const go = find("go-frame");
    if (go && !event.ctrlKey && !event.metaKey && !event.shiftKey) {
      event.preventDefault();
      return goTo({ frame: go.dataset.goFrame, ...(go.dataset.goVeil ? veilOf(go.dataset) : {}) });
    }
    const reset = find("reset");
    if (reset) {
      const names = reset.dataset.reset.split(".");
      delete names.slice(0, -1).reduce((inner, name) => inner[name], this.document)[names.at(-1)];
      if (reset.dataset.reset === this.open) this.open = "";
      return this.commit();
    }
    const flip = find("flip");
    if (flip) {
      setAt(this.document, flip.dataset.flip, !getAt(this.document, flip.dataset.flip));
      return this.commit();
    }
    const band = find("add-band");
    if (band) {
      const scope = this.scope();
      scope.hues = { ...scope.hues, on: true, bands: [...(scope.hues?.bands ?? []), JSON.parse(band.dataset.addBand)] };
      return this.commit();
    }
    const ready = find("add-local");
    if (ready) {
      this.document.areas.push({ ...JSON.parse(ready.dataset.addLocal), key: newKey() });
      this.area = this.document.areas.length - 1;
      if (ready.dataset.addFlow) this.brush.flow = Number(ready.dataset.addFlow);
      setAddress({ area: String(this.area) });
      return this.commit();
    }
    const spot = find("spot");
    if (spot) {
      const index = Number(spot.dataset.spot);
      this.spot = this.spot === index ? -1 : index;
      return this.drawShapes();
    }
    const drop = find("drop");
    if (drop) {
      const names = drop.dataset.drop.split(".");
      const index = Number(names.pop());
      names.reduce((inner, name) => inner[name], this.document).splice(index, 1);
      return this.commit();
    }
    return this.clickedToo?.(event, find);
  },
});

/** A key by which a new area is known. */
const newKey = () => crypto.getRandomValues(new Uint32Array(1))[0].toString(16);

/** The veil that a link to a frame lays over it. */
const veilOf = ({ goVeil, goOf }) => ({ veil: goVeil, of: goOf || null });

/** To another frame or reference, looked at in the same way. */
export function goTo(changes) {
  const address = new URLSearchParams(location.search);
  for (const [name, value] of Object.entries(changes)) {
    if (value === null) address.delete(name);
    else address.set(name, value);
  }
  location.search = String(address);
}
