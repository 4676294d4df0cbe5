// The health of a look: each finding's frames, seen large with what is wrong left open.

import { ask, one, say } from "../lib/common.js";
import { openLarge } from "../controls/large.js";

export const health = () => ({
  init() {
    const root = this.$el;
    const { kept } = root.dataset;
    if (kept) Object.assign(one("[data-large-place]", root).dataset, { left: kept, right: "draft" });
    const lookedAt = one("[data-looked-at]", root);
    /** Let frames of a long series be looked at while this page is open; what was found of all is shown then. */
    const lookOn = async () => {
      const query = kept ? `?kept=${kept}` : "";
      const told = await (await ask(`/series/${root.dataset.slug}/health/more${query}`)).json();
      lookedAt.textContent = `${told.looked_at} of ${told.frames}`;
      if (told.looked_at < told.frames) return lookOn();
      return location.reload();
    };
    if (lookedAt) lookOn().catch((error) => say(error.message));
    root.addEventListener("click", async (event) => {
      const tile = event.target.closest("[data-see]");
      if (!tile) return;
      await openLarge(tile.dataset.see);
      const { veil, of, seeAt } = tile.dataset;
      if (seeAt) {
        const [x, y] = seeAt.split(" ").map(Number);
        window.dispatchEvent(new CustomEvent("see-at", { detail: { x, y } }));
        return;
      }
      const asked = of ? ["veil-by", { what: veil, query: `colour=${of}` }] : ["show-while", veil];
      window.dispatchEvent(new CustomEvent(asked[0], { detail: asked[1] }));
    });
  },
});
