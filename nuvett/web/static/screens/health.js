// The health of a look: each finding's frames, seen large with what is wrong left open.

import { one } from "../lib/common.js";
import { openLarge } from "../controls/large.js";

export const health = () => ({
  init() {
    const root = this.$el;
    const { kept } = root.dataset;
    if (kept) Object.assign(one("[data-large-place]", root).dataset, { left: kept, right: "draft" });
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
