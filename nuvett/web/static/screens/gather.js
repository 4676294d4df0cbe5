import { all, ask, one, say } from "../lib/common.js";
import { morphInto } from "../lib/morphing.js";
import { acceptFiles, sendFiles } from "../lib/upload.js";

const POLL = 900;

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
    let polling = null;
    const asked = { only: "", find: "" };
    /** Show the frames that are asked for, and set-ups that hold any. */
    const narrow = () => {
      const wanted = {
        favourite: (frame) => "favourite" in frame.dataset,
        wanted: (frame) => !("leftOut" in frame.dataset),
        "left-out": (frame) => "leftOut" in frame.dataset,
      };
      for (const frame of all("[data-board-frame]", board)) {
        const fits = wanted[asked.only]?.(frame) ?? true;
        frame.hidden = !fits || !frame.dataset.boardFrame.includes(asked.find);
      }
      for (const setup of all("section", board)) setup.hidden = !one("[data-board-frame]:not([hidden])", setup);
      const [only, find] = [one("[data-board-only]", board), one("[data-board-find]", board)];
      if (only) only.value = asked.only;
      if (find && find !== document.activeElement) find.value = asked.find;
    };
    const refresh = async () => {
      polling = null;
      try {
        const text = await (await ask(`/series/${slug}/gather/board`)).text();
        morphInto(board, text);
        one("[aria-current] [data-stage-count]").textContent = one("[data-ready]", board).dataset.ready;
        narrow();
      } catch {
        // The next round tries again.
      }
      if (Number(one("[data-waiting]", board)?.dataset.waiting) > 0) later();
    };
    const later = () => {
      polling ??= setTimeout(refresh, POLL);
    };
    if (Number(root.dataset.waiting) > 0) later();
    board.addEventListener("input", ({ target }) => {
      if (!target.matches("[data-board-find]")) return;
      asked.find = target.value.trim().toLowerCase();
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
    chooseLenses(root, slug, refresh);
    acceptFiles("frames", (files) => {
      const watch = setInterval(later, POLL);
      sendFiles(root, `/series/${slug}/frames`, files, () => {
        clearInterval(watch);
        later();
      });
    });
  },
});
