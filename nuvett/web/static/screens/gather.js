import { all, ask, one, say } from "../lib/common.js";
import { morphInto } from "../lib/morphing.js";
import { fillAsSeen, startSeen } from "../lib/paging.js";
import { atMostEvery, followProgress } from "../lib/progress.js";
import { acceptFiles, sendFiles } from "../lib/upload.js";

const CALM = 1500; // ms at least between two boards while frames arrive
const PAUSE = 250; // ms without a further letter, after which a name is looked for

/** The dialog in which a frame's lens is chosen. */
function chooseLenses(root, slug, refresh) {
  const dialog = one("#lens", root);
  const list = one("[data-lens-list]", dialog);
  const words = one("[data-lens-words]", dialog);
  let frame = "";
  const find = async () => {
    const found = await (
      await ask(`/series/${slug}/frames/${frame}/lenses?words=${encodeURIComponent(words.value)}`)
    ).json();
    list.replaceChildren(
      ...found.map(({ key, title }) => {
        const row = document.createElement("li");
        const label = document.createElement("label");
        const choice = document.createElement("input");
        Object.assign(choice, { type: "radio", name: "lens", value: key });
        label.className = "flex items-start gap-2";
        label.append(choice, title);
        row.append(label);
        return row;
      }),
    );
  };
  root.addEventListener("click", (event) => {
    const opener = event.target.closest("[data-lens]");
    if (!opener) return;
    frame = opener.dataset.lens;
    words.value = "";
    list.replaceChildren();
    const now = one(`[name="lens"][value="${CSS.escape(opener.dataset.lensChoice)}"]`, dialog);
    if (now) now.checked = true;
    dialog.showModal();
  });
  words.addEventListener("input", () => find().catch((error) => say(error.message)));
  one("[data-lens-take]", dialog).addEventListener("click", async () => {
    const lens = one('[name="lens"]:checked', dialog)?.value;
    if (!lens) return;
    const json = { lens, everywhere: one("[data-lens-everywhere]", dialog).checked };
    try {
      const told = await (await ask(`/series/${slug}/frames/${frame}/lens`, { method: "POST", json })).json();
      dialog.close();
      say(told.words);
      refresh();
    } catch (error) {
      say(error.message);
    }
  });
}

export const gather = () => ({
  init() {
    const root = this.$el;
    const slug = root.dataset.slug;
    const board = one("[data-board]", root);
    const asked = { only: "all", find: "" };
    const places = () => all("[data-board-frames] > *", board);
    const size = () => Number(one("[data-page-size]", board).dataset.pageSize);
    /** Which frames are asked for, and where the page begins that is seen. */
    const query = (start) => new URLSearchParams({ ...asked, start: String(start) });
    const lookForFrames = fillAsSeen({
      places,
      size,
      load: async (start) => (await ask(`/series/${slug}/gather/frames?${query(start)}`)).text(),
    });
    const show = async (start) => {
      morphInto(board, await (await ask(`/series/${slug}/gather/board?${query(start)}`)).text());
      one("[aria-current] [data-stage-count]").textContent = one("[data-ready]", board).dataset.ready;
      lookForFrames();
    };
    let typed;
    const narrow = () => {
      clearTimeout(typed);
      typed = setTimeout(() => show(0).catch((error) => say(error.message)), PAUSE);
    };
    const refresh = atMostEvery(CALM, () =>
      show(startSeen(places(), board, size())).catch(() => {}) // what changes next shows it
    );
    const sayProgress = ({ done, total }) => {
      const bar = one("progress[data-measured]", board);
      if (!bar) return;
      Object.assign(bar, { value: done, max: total });
      one("[data-measured-words]", board).textContent = `${done} of ${total} measured`;
    };
    let following = null;
    let shown = null;
    const later = () => {
      following ??= followProgress(
        slug,
        "gather",
        (told) => {
          sayProgress(told);
          if (shown !== told.mark) refresh();
          shown = told.mark;
        },
        () => (following = null),
      );
    };
    if (Number(root.dataset.waiting) > 0) later();
    board.addEventListener("input", ({ target }) => {
      if (!target.matches("[data-board-find]")) return;
      asked.find = target.value;
      narrow();
    });
    board.addEventListener("click", async ({ target }) => {
      const mark = target.closest("[data-mark]");
      if (!mark) return;
      try {
        const json = { frames: [mark.dataset.markFrame] };
        const done = await ask(`/series/${slug}/frames/${mark.dataset.mark}`, { method: "POST", json });
        say((await done.json()).words);
        refresh();
      } catch (error) {
        say(error.message);
      }
    });
    board.addEventListener("change", (event) => {
      if (event.target.matches("[data-board-only]")) {
        asked.only = event.target.value;
        return narrow();
      }
      if (event.target.matches("[data-submits]")) event.target.form.requestSubmit();
      return undefined;
    });
    lookForFrames();
    chooseLenses(root, slug, refresh);
    acceptFiles("frames", (files) => {
      const watch = setInterval(later, CALM); // it rests while the first file is on its way
      sendFiles(root, `/series/${slug}/frames`, files, () => {
        clearInterval(watch);
        later();
        refresh();
      });
    });
  },
});
