// Shape: the look's sheet, and what belongs to a look alone: proofs, files, and looks of other series.

import { all, ask, one, say } from "./common.js";
import { sheetOf } from "./document.js";
import { acceptFiles } from "./upload.js";

const where = ({ slug, frame, reference }) => ({
  draft: `/series/${slug}/shape/draft`,
  keep: `/series/${slug}/look`,
  walk: `/series/${slug}/look`,
  pick: `/series/${slug}/shape/pick`,
  other: `/series/${slug}/shape/other`,
  with: { frame, reference },
});

export const shape = () => ({
  ...sheetOf(where),
  after() {
    acceptFiles("look", async ([file]) => {
      const form = new FormData();
      form.append("file", file);
      try {
        this.adopt(await (await ask(`/series/${this.slug}/look.json`, { method: "POST", form })).json());
        this.draft({ proofs: true });
      } catch (error) {
        say(error.message);
      }
    });
    const whole = one("[data-copy-whole]", this.root);
    whole?.addEventListener("change", () => (one("[data-copy-parts]", this.root).disabled = whole.checked));
  },
  clickedToo(event, find) {
    if (find("choose-proofs")) return one("#proofs", this.root).showModal();
    if (find("proofs-usual")) return this.setProofs(null);
    if (find("proofs-set")) return this.setProofs(all("[data-proof]:checked", this.root).map((box) => box.value));
    if (!find("copy")?.matches("button")) return undefined;
    const whole = one("[data-copy-whole]", this.root).checked;
    const parts = whole ? null : all("[data-copy-parts] input:checked", this.root).map((box) => box.value);
    one("#copy", this.root).close();
    const series = one("[data-copy-from]", this.root).value;
    return this.walkTo(`/series/${this.slug}/look/copy`, { series, parts });
  },
  async setProofs(frames) {
    try {
      await ask(`/series/${this.slug}/look/proofs`, { method: "POST", json: { frames } });
      one("#proofs", this.root).close();
      this.draft({ proofs: true });
    } catch (error) {
      say(error.message);
    }
  },
});
