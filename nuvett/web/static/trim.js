import { ask, one, say, setAt, swapPicture } from "./common.js";
import { newestWins } from "./draft.js";

export const trim = () => ({
  init() {
    const root = this.$el;
    const { slug, frame } = root.dataset;
    const address = `/series/${slug}/frames/${frame}/trim`;
    const picture = one("[data-picture]", root);
    const state = {
      trim: JSON.parse(one("[data-trim]", root).textContent),
      revision: Number(root.dataset.revision),
      shown: picture.getAttribute("src"),
      holding: false,
    };
    const draft = newestWins(async (values) => {
      try {
        const answer = await (await ask(`${address}/draft`, { method: "POST", json: { trim: values } })).json();
        await swapPicture(picture, answer.src, () => !state.holding);
        state.shown = answer.src;
        if (answer.drift) one("[data-drift]", root).textContent = `drift ${answer.drift}, ${answer.words}`;
      } catch (error) {
        say(error.message);
      }
    });
    let keeping = Promise.resolve();
    const adopt = (kept) => {
      state.trim = kept.trim;
      state.revision = kept.revision;
      one("[data-history]", root).innerHTML = kept.history;
      if (kept.sheet) one("[data-sheet]", root).innerHTML = kept.sheet;
    };
    root.addEventListener("live-input", ({ detail }) => {
      setAt(state.trim, detail.name, detail.value);
      draft({ ...state.trim });
    });
    root.addEventListener("live-change", ({ detail }) => {
      setAt(state.trim, detail.name, detail.value);
      draft({ ...state.trim });
      keeping = keeping
        .then(async () => {
          const json = { trim: state.trim, revision: state.revision };
          adopt(await (await ask(address, { method: "PUT", json })).json());
        })
        .catch((error) => say(error.message));
    });
    root.addEventListener("click", (event) => {
      const walk = event.target.closest("[data-walk]");
      if (!walk) return;
      keeping = keeping
        .then(async () => {
          adopt(await (await ask(`${address}/${walk.dataset.walk}`, { method: "POST" })).json());
          draft({ ...state.trim });
        })
        .catch((error) => say(error.message));
    });
    const held = one("[data-without]", root);
    const hide = () => {
      state.holding = true;
      picture.setAttribute("src", picture.dataset.plain);
    };
    const back = () => {
      if (!state.holding) return;
      state.holding = false;
      picture.setAttribute("src", state.shown);
    };
    held.addEventListener("hold", hide);
    held.addEventListener("pointerdown", hide);
    for (const name of ["release", "pointerup", "pointerleave"]) held.addEventListener(name, back);
  },
});
