// Shape: the look's sheet, and what belongs to a look alone: proofs, files, and looks of other series.

import { all, ask, one, say } from "../lib/common.js";
import { sheetOf } from "../controls/document.js";
import { connectTrying } from "../controls/trying.js";
import { acceptFiles } from "../lib/upload.js";

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
  get tries() {
    return { where: "shape", reference: this.reference || null };
  },
  after() {
    connectTrying(this, ({ id, strength }) => this.takeKept(id, { strength }));
    acceptFiles("look", async ([file]) => {
      const form = new FormData();
      await this.keeping;
      form.append("file", file);
      form.append("revision", String(this.revision));
      try {
        this.adopt(await (await ask(`/series/${this.slug}/look.json`, { method: "POST", form })).json());
        this.draft({ proofs: true });
      } catch (error) {
        say(error.message);
        if (error.status === 409) this.adopt(await (await ask(this.at.keep)).json());
      }
    });
    const whole = one("[data-copy-whole]", this.root);
    whole?.addEventListener("change", () => (one("[data-copy-parts]", this.root).disabled = whole.checked));
  },
  /** Make a kept look the draft; the sheet shows it, and Undo takes it back. */
  async takeKept(id, how) {
    await this.keeping;
    const json = { series: this.slug, ...how };
    const { words } = await (await ask(`/lookbook/${id}/use`, { method: "POST", json })).json();
    this.adopt(await (await ask(this.at.keep)).json());
    this.draft({ proofs: true });
    say(words);
  },
  async openKeep() {
    await this.keeping;
    const dialog = one("#keep", this.root);
    one("[data-keep-problem]", dialog).hidden = true;
    const again = one("[data-keep-again]", dialog);
    const { origin, number, again: words } = one("[data-origin]", this.root)?.dataset ?? {};
    Object.assign(again, { hidden: !origin, textContent: words ?? "" });
    Object.assign(again.dataset, { keepAs: origin ?? "", number: number ?? "" });
    dialog.showModal();
    const place = one("[data-health-short]", dialog);
    try {
      place.textContent = (await (await ask(`/series/${this.slug}/health/short`)).text()).trim();
    } catch (error) {
      place.textContent = error.message;
    }
  },
  /** Keep the look in hand as a new one, or as the next version of the one it came from. */
  async keepAs(id, number) {
    const dialog = one("#keep", this.root);
    const parts = all("[data-keep-part]:checked", dialog).map((box) => box.value);
    const fields = all("[data-keep]", dialog).map((field) => [field.dataset.keep, field.value]);
    const favourite = one("[data-keep-favourite]", dialog).checked;
    const labels = id ? { number: Number(number) } : { ...Object.fromEntries(fields), favourite };
    try {
      const address = `/series/${this.slug}/kept${id ? `/${id}` : ""}`;
      const json = { parts, frame: this.frame, ...labels };
      const { words } = await (await ask(address, { method: "POST", json })).json();
      dialog.close();
      this.adopt(await (await ask(this.at.keep)).json());
      say(words);
    } catch (error) {
      const slip = one("[data-keep-problem]", dialog);
      slip.textContent = error.message;
      slip.hidden = false;
    }
  },
  clickedToo(event, find) {
    if (find("keep-open")) return this.openKeep();
    const as = find("keep-as")?.dataset;
    if (as) return this.keepAs(as.keepAs, as.number);
    const newer = find("take-newer")?.dataset.takeNewer;
    if (newer) return this.takeKept(newer, {}).catch((error) => say(error.message));
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
