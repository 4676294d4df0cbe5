// Trim: the sheet of one frame's own departure from the look, done to other frames too, and beside it as a variant.

import { chosenOf } from "../lib/chosen.js";
import { all, ask, one, say } from "../lib/common.js";
import { goTo, sheetOf } from "../controls/document.js";
import { latest } from "../lib/draft.js";
import { connectTrying } from "../controls/trying.js";

const SHOWN = 1200; // ms that what was done is read before the page is shown anew

const where = ({ slug, frame, reference }) => ({
  draft: `/series/${slug}/frames/${frame}/trim/draft`,
  keep: `/series/${slug}/frames/${frame}/trim`,
  walk: `/series/${slug}/frames/${frame}/trim`,
  pick: `/series/${slug}/frames/${frame}/trim/pick`,
  other: `/series/${slug}/frames/${frame}/trim/other`,
  with: { reference },
});

export const trim = () => ({
  ...sheetOf(where),
  askedForSame: null,
  askedForFrames: null,
  get tries() {
    return { where: "trim", reference: this.reference || null };
  },
  after() {
    this.askedForSame = latest();
    this.askedForFrames = latest();
    one("#same", this.root).addEventListener("change", ({ target }) =>
      target.matches("[data-same-of]") ? this.showSame(target.value) : this.saySame());
    // On Trim a look is taken by this frame alone.
    connectTrying(this, async ({ id, strength }) => {
      const json = { series: this.slug, strength, frames: [this.frame] };
      const { words } = await (await ask(`/lookbook/${id}/use`, { method: "POST", json })).json();
      sessionStorage.setItem("said once", words);
      location.reload();
    });
  },
  /** Ask for something to be done, and say what was; the page is shown anew where it changed more than the sheet. */
  async act(address, json, then) {
    await this.keeping;
    try {
      const done = await (await ask(`/series/${this.slug}/${address}`, { method: "POST", json })).json();
      say(done.words);
      then?.(done);
    } catch (error) {
      say(error.message);
    }
  },
  /** Parts that are ticked to go into the look. */
  askedLift() {
    return all("#lift [data-lift-part]:checked", this.root).map((box) => box.value);
  },
  /** Put parts of the trim into the look, or keep them under a name. */
  lift(parts, name = "") {
    const json = { parts, name, revision: this.revision };
    const then = () => (name ? one("#lift", this.root).close() : setTimeout(() => location.reload(), SHOWN));
    return this.act(`frames/${this.frame}/trim/into-look`, json, then);
  },
  /** Ask which parts can go into the look, once what moves has come to rest. */
  async fillLift() {
    await this.keeping;
    const place = one("[data-lift-parts]", this.root);
    try {
      place.innerHTML = await (await ask(`/series/${this.slug}/frames/${this.frame}/trim/into-look`)).text();
    } catch (error) {
      say(error.message);
    }
  },
  chooseFrames(what) {
    const boxes = all("#same [data-chosen-frame]", this.root);
    const setup = JSON.parse(one("#same [data-setup]", this.root).dataset.setup);
    const of = one("#same [data-of-series]", this.root).dataset.ofSeries;
    const wanted = { wall: chosenOf(of), setup, all: boxes.map((box) => box.value), none: [] }[what];
    for (const box of boxes) box.checked = wanted.includes(box.value) && box.value !== this.frame;
    this.saySame();
    if (what === "wall" && !wanted.length) say("Nothing is chosen on the wall of Carry.");
  },
  /** What is asked to be done to other frames. */
  askedSame() {
    const ticked = (selector) => all(`#same ${selector}:checked`, this.root).map((box) => box.value);
    const [frames, parts] = [ticked("[data-chosen-frame]"), ticked("[data-same-parts] input")];
    const to = one("#same [data-of-series]", this.root).dataset.ofSeries;
    const about = one("[data-same-about]", this.root).checked;
    const areas = one("[data-same-areas]", this.root).value;
    return { frame: this.frame, to, frames, parts, areas, about_subject: about };
  },
  /** Show the frames of a series to choose from. */
  async showSame(of) {
    const wanted = this.askedForFrames();
    try {
      const html = await (await ask(`/series/${this.slug}/trims/frames?of=${of}`)).text();
      if (!wanted()) return;
      one("[data-same-frames]", this.root).innerHTML = html;
      await this.saySame();
    } catch (error) {
      say(error.message);
    }
  },
  /** Tick the parts that this frame has, once what moves has come to rest. */
  async tickSame() {
    await this.keeping;
    try {
      const { ticked } = await (await ask(`/series/${this.slug}/frames/${this.frame}/trim/parts`)).json();
      for (const box of all("#same [data-same-parts] input", this.root)) box.checked = ticked.includes(box.value);
      this.saySame();
    } catch (error) {
      say(error.message);
    }
  },
  /** Say what the chosen frames would lose. */
  async saySame() {
    const wanted = this.askedForSame();
    try {
      const json = this.askedSame();
      const answer = await ask(`/series/${this.slug}/trims/copy/lost`, { method: "POST", json });
      const { words } = await answer.json();
      if (wanted()) one("[data-same-lost]", this.root).textContent = words;
    } catch (error) {
      if (wanted()) one("[data-same-lost]", this.root).textContent = error.message;
    }
  },
  clickedToo(event, find) {
    const again = () => setTimeout(() => location.reload(), SHOWN);
    const choice = find("choose");
    if (choice) return this.chooseFrames(choice.dataset.choose);
    const opened = find("dialog")?.dataset.dialog;
    if (opened === "same") return this.tickSame();
    if (opened === "lift") return this.fillLift();
    if (find("same")) {
      const json = this.askedSame();
      one("#same", this.root).close();
      return this.act("trims/copy", json, () => this.draft({ proofs: true }));
    }
    if (find("variant")) {
      const name = one("[data-variant-name]", this.root).value;
      one("#variant", this.root).close();
      return this.act("variants", { frames: [this.frame], name }, ({ frame }) => goTo({ frame }));
    }
    const common = find("common");
    if (common) return this.act(`trims/common/${common.dataset.common}`, {}, again);
    const move = find("into-look");
    if (move) return this.lift([`area.${move.dataset.intoLook}`]);
    if (find("lift-keep")) return this.lift(this.askedLift(), one("[data-lift-name]", this.root).value || " ");
    if (find("lift")) return this.lift(this.askedLift());
    const without = find("without")?.dataset.without;
    if (without === undefined) return undefined;
    const left = new Set(this.document.without);
    if (!left.delete(without)) left.add(without);
    this.document.without = [...left];
    return this.commit();
  },
});
