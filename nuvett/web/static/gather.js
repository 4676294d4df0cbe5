import { ask, one } from "./common.js";
import { morphInto } from "./morphing.js";
import { acceptFiles, sendFiles } from "./upload.js";

const POLL = 900;

export const gather = () => ({
  init() {
    const root = this.$el;
    const slug = root.dataset.slug;
    const board = one("[data-board]", root);
    let polling = null;
    const refresh = async () => {
      polling = null;
      try {
        const text = await (await ask(`/series/${slug}/gather/board`)).text();
        morphInto(board, text);
      } catch {
        // The next round tries again.
      }
      if (Number(one("[data-waiting]", board)?.dataset.waiting) > 0) later();
    };
    const later = () => {
      polling ??= setTimeout(refresh, POLL);
    };
    if (Number(root.dataset.waiting) > 0) later();
    board.addEventListener("change", (event) => {
      if (event.target.matches("[data-submits]")) event.target.form.requestSubmit();
    });
    acceptFiles("frames", (files) => {
      const watch = setInterval(later, POLL);
      sendFiles(root, `/series/${slug}/frames`, files, () => {
        clearInterval(watch);
        later();
      });
    });
  },
});
