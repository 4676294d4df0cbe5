import { chosenOf } from "./chosen.js";
import { all, ask, one, say } from "./common.js";
import { morphInto } from "./morphing.js";

const POLL = 900;

export const handover = () => ({
  init() {
    const root = this.$el;
    const { slug } = root.dataset;
    const queue = one("[data-queue]", root);
    const offer = () => {
      for (const button of all("[data-save-folder]", queue)) button.hidden = !("showDirectoryPicker" in window);
    };
    const refresh = async () => {
      try {
        morphInto(queue, await (await ask(`/series/${slug}/handover/queue`)).text());
        offer();
      } catch {
        // The next round tries again.
      }
      if (one('[data-busy="1"]', queue)) setTimeout(refresh, POLL);
    };
    const only = one("[data-only]", root);
    const chosen = chosenOf(slug);
    if (chosen.length) {
      only.hidden = false;
      one("span", only).textContent = `only the ${chosen.length} chosen on the wall`;
      const box = one("input", only);
      const tell = () => (one('[name="frames"]', root).value = box.checked ? chosen.join(",") : "");
      box.checked = new URL(location.href).searchParams.has("chosen");
      box.addEventListener("change", tell);
      tell();
    }
    offer();
    if (one('[data-busy="1"]', queue)) setTimeout(refresh, POLL);
    queue.addEventListener("click", async (event) => {
      const button = event.target.closest("[data-save-folder]");
      if (!button) return;
      const links = all("[data-file]", button.closest("article"));
      try {
        const folder = await window.showDirectoryPicker({ mode: "readwrite" });
        for (const [index, link] of links.entries()) {
          const handle = await folder.getFileHandle(link.dataset.file, { create: true });
          const writer = await handle.createWritable();
          await (await ask(link.href)).body.pipeTo(writer);
          say(`${index + 1} of ${links.length} files saved`);
        }
      } catch (error) {
        if (error.name !== "AbortError") say(`The files could not be saved there: ${error.message}`);
      }
    });
  },
});
