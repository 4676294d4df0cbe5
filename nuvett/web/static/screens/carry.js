import { all, ask, one, say, setAddress, setAt } from "../lib/common.js";
import { latest, newestWins } from "../lib/draft.js";
import { keepMerged } from "../lib/keeping.js";
import { merged } from "../lib/merging.js";
import { morphInto } from "../lib/morphing.js";
import { fillAsSeen, startSeen } from "../lib/paging.js";
import { connectChoosing } from "../controls/wall.js";

const AGAIN = 1000; // ms between two looks at how far a long wall is worked out

export const carry = () => ({
  init() {
    const root = this.$el;
    const { slug } = root.dataset;
    const wall = one("[data-wall]", root);
    const known = JSON.parse(one("[data-look]", root).textContent);
    const state = { look: structuredClone(known), known, revision: Number(root.dataset.revision) };
    const asked = latest();
    /** Show the wall; of several asked for, the last one stays, whatever order they arrive in. */
    const hang = async (query) => {
      const wanted = asked();
      const from = new URLSearchParams(query);
      from.set("start", String(startSeen(places(), tiles()?.parentElement, size())));
      const html = await (await ask(`/series/${slug}/carry/wall?${from}`)).text();
      if (!wanted()) return;
      morphInto(wall, html);
      showChosen?.();
      lookForTiles?.();
      follow?.();
    };
    const tiles = () => one("[data-tiles]", wall);
    const places = () => [...(tiles()?.children ?? [])];
    const size = () => Number(tiles()?.dataset.tiles ?? 1);
    const showChosen = connectChoosing(root, wall, slug, () => hang(location.search));
    const lookForTiles = fillAsSeen({
      places,
      size,
      load: async (start) => {
        const query = new URLSearchParams(location.search);
        query.set("start", String(start));
        return (await ask(`/series/${slug}/carry/tiles?${query}`)).text();
      },
      filled: showChosen,
    });
    /** While frames are worked out in the background say how far that is; then show what is said of all of them. */
    const follow = async () => {
      const words = one('[data-filling][data-fills="1"]', wall);
      if (!words) return;
      await new Promise((resolve) => setTimeout(resolve, AGAIN));
      if (!words.isConnected) return;
      try {
        const address = `/series/${slug}/carry/filling?show=${encodeURIComponent(words.dataset.filling)}`;
        const told = document.hidden ? null : await (await ask(address, { quiet: true })).json();
        if (told && told.known >= told.frames) return hang(location.search);
        if (told) one("b", words).textContent = String(told.known);
      } catch {
        // The application is asked again as long as the screen is open.
      }
      follow();
    };
    lookForTiles();
    follow();
    const leave = (stopped, keepalive) =>
      ask(`/series/${slug}/carry/filling?stopped=${stopped}`, { method: "DELETE", keepalive });
    // What only this page wanted is not worked out once it is left.
    addEventListener("pagehide", () => {
      if (one('[data-filling][data-fills="1"]', wall)) leave(false, true).catch(() => {});
    });
    wall.addEventListener("click", async ({ target }) => {
      const fill = target.closest("[data-fill]")?.dataset.fill;
      if (!fill) return;
      setAddress({ fill: fill === "on" ? null : "false" });
      if (fill === "off") await leave(true, false).catch((error) => say(error.message));
      await hang(location.search).catch((error) => say(error.message));
    });
    const change = newestWins(async (look) => {
      try {
        const held = { document: look, revision: state.revision, known: state.known };
        const kept = await keepMerged(`/series/${slug}/look`, held);
        state.look = merged(look, state.look, kept.document); // with what has changed meanwhile
        state.revision = kept.revision;
        state.known = kept.document;
        if (new URLSearchParams(location.search).get("show") !== "draft") setAddress({ show: "draft" });
        await hang(location.search); // what is changed here is seen, and that is the draft
      } catch (error) {
        say(error.message);
      }
    });
    root.addEventListener("live-change", ({ detail }) => {
      setAt(state.look, detail.name, detail.value);
      change(structuredClone(state.look));
    });
    const choose = async (changes) => {
      setAddress(changes);
      await hang(location.search).catch((error) => say(error.message));
    };
    let typed;
    root.addEventListener("input", ({ target }) => {
      if (!target.matches("[data-wall-find]")) return;
      clearTimeout(typed);
      typed = setTimeout(() => choose({ find: target.value || null }), 250);
    });
    root.addEventListener("change", (event) => {
      const { wallChoice } = event.target.dataset;
      if (wallChoice) return choose({ [wallChoice]: event.target.value || null });
      if (!event.target.matches(".tick[data-name]")) return;
      setAt(state.look, event.target.dataset.name, event.target.checked);
      change(structuredClone(state.look));
    });
    root.addEventListener("click", async (event) => {
      const link = event.target.closest("[data-wall-link]");
      if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
      event.preventDefault();
      const query = new URL(link.href).search;
      try {
        await hang(query);
        history.pushState(null, "", query);
      } catch (error) {
        say(error.message);
      }
    });
    root.querySelector("[data-suggest]")?.addEventListener("click", async () => {
      const suggestion = one("[data-suggestion]", root);
      const [note, use] = [one("span", suggestion), one("button", suggestion)];
      suggestion.hidden = false;
      use.hidden = true;
      note.textContent = "Trying pulls on the series…";
      try {
        const found = await (await ask(`/series/${slug}/carry/pull`)).json();
        note.textContent = found.words;
        use.textContent = `Use ${Math.round(found.pull)} %`;
        use.hidden = false;
        use.onclick = () => {
          one('[data-name="pull"]', root).dispatchEvent(new CustomEvent("set-live", { detail: found.pull }));
          use.hidden = true;
        };
      } catch (error) {
        note.textContent = error.message;
      }
    });
    window.addEventListener("popstate", () => hang(location.search));
    const light = (event) => {
      const id = event.target.closest?.("[data-frame]")?.dataset.frame;
      for (const lit of all("[data-lit]", wall)) delete lit.dataset.lit;
      if (id) for (const mark of all(`[data-frame="${id}"]`, wall)) mark.dataset.lit = "";
    };
    wall.addEventListener("pointerover", light);
    wall.addEventListener("focusin", light);
  },
});
