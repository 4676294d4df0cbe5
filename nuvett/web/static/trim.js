// Trim: the sheet of one frame's own departure from the look, done to other frames too, and beside it as a variant.

import { chosenOf } from "./chosen.js";
import { all, ask, one, say } from "./common.js";
import { goTo, sheetOf } from "./document.js";
import { connectTrying } from "./trying.js";

const where = ({ slug, frame, reference }) => ({
  draft: `/series/${slug}/frames/${frame}/trim/draft`,
  keep: `/series/${slug}/frames/${frame}/trim`,
  walk: `/series/${slug}/frames/${frame}/trim`,
  pick: `/series/${slug}/frames/${frame}/trim/pick`,
  other: null,
  with: { reference },
});

export const trim = () => ({
  ...sheetOf(where),
  get tries() {
    return { where: "trim", reference: this.reference || null };
  },
  after() {
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
  chooseFrames(what) {
    const boxes = all("#same [data-chosen-frame]", this.root);
    const setup = JSON.parse(one("#same [data-setup]", this.root).dataset.setup);
    const wanted = { wall: chosenOf(this.slug), setup, all: boxes.map((box) => box.value), none: [] }[what];
    for (const box of boxes) box.checked = wanted.includes(box.value) && box.value !== this.frame;
    if (what === "wall" && !wanted.length) say("Nothing is chosen on the wall of Carry.");
  },
  clickedToo(event, find) {
    const again = () => setTimeout(() => location.reload(), 1200);
    const choice = find("choose");
    if (choice) return this.chooseFrames(choice.dataset.choose);
    if (find("same")) {
      const ticked = (selector) => all(`#same ${selector}:checked`, this.root).map((box) => box.value);
      const [frames, parts] = [ticked("[data-chosen-frame]"), ticked("[data-same-parts] input")];
      const json = { frame: this.frame, frames, parts };
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
    if (move) {
      const json = { area: Number(move.dataset.intoLook), revision: this.revision };
      return this.act(`frames/${this.frame}/trim/into-look`, json, again);
    }
    const without = find("without")?.dataset.without;
    if (without === undefined) return undefined;
    const left = new Set(this.document.without);
    if (!left.delete(without)) left.add(without);
    this.document.without = [...left];
    return this.commit();
  },
});
