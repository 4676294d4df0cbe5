import { all, ask, one, press, say, setAt, swapPicture } from "./common.js";
import { newestWins } from "./draft.js";
import { acceptFiles } from "./upload.js";

export const shape = () => ({
  init() {
    const root = this.$el;
    const { slug, frame, reference } = root.dataset;
    const state = { look: JSON.parse(one("[data-look]", root).textContent), revision: Number(root.dataset.revision), shown: "look", pictures: null };
    const picture = one("[data-picture]", root);
    const before = one("[data-picture-before]", root);
    const easel = one("[data-easel]", root);
    const rendering = one("[data-waiting]", root);

    const fillSlots = () => {
      one("[data-tone-slot]", root).innerHTML = one('[data-slot="tone"]', root).innerHTML;
      one("[data-drift-slot]", root).innerHTML = one('[data-slot="drift"]', root).innerHTML;
    };
    fillSlots();
    // Both pictures stand at equal height: their widths share the row by aspect ratio.
    for (const figure of all("figure", easel)) {
      const image = one("img", figure);
      if (image) figure.style.flexGrow = String(image.getAttribute("width") / image.getAttribute("height"));
    }
    state.pictures = { look: picture.getAttribute("src"), original: before.getAttribute("src"), evened: null };

    const draft = newestWins(async ({ proofs }) => {
      const slow = setTimeout(() => (rendering.hidden = false), 150);
      try {
        const json = { look: state.look, frame, reference, parts: true, proofs };
        const answer = await (await ask(`/series/${slug}/shape/draft`, { method: "POST", json })).json();
        state.pictures = answer.pictures;
        await swapPicture(picture, state.pictures[state.shown]);
        one("[data-instruments]", root).innerHTML = answer.instruments;
        fillSlots();
        if (answer.proofs) one("[data-proofs]", root).innerHTML = answer.proofs;
      } catch (error) {
        say(error.message);
      } finally {
        clearTimeout(slow);
        rendering.hidden = true;
      }
    });
    const adopt = (kept) => {
      state.look = kept.look;
      state.revision = kept.revision;
      one("[data-history]", root).innerHTML = kept.history;
      if (kept.sheet) one("[data-sheet]", root).innerHTML = kept.sheet;
    };
    let keeping = Promise.resolve();
    const keep = () => {
      keeping = keeping.then(async () => {
        try {
          const json = { look: state.look, revision: state.revision };
          const kept = await (await ask(`/series/${slug}/look`, { method: "PUT", json })).json();
          state.revision = kept.revision;
          one("[data-history]", root).innerHTML = kept.history;
        } catch (error) {
          say(error.message);
          if (error.status === 409) {
            adopt(await (await ask(`/series/${slug}/look`)).json());
            draft({ proofs: true });
          }
        }
      });
      return keeping;
    };

    root.addEventListener("live-input", ({ detail }) => {
      setAt(state.look, detail.name, detail.value);
      draft({ proofs: false });
    });
    root.addEventListener("live-change", ({ detail }) => {
      setAt(state.look, detail.name, detail.value);
      keep();
      draft({ proofs: true });
    });
    root.addEventListener("change", async (event) => {
      if (!event.target.matches(".tick")) return;
      const name = event.target.dataset.name;
      setAt(state.look, name, event.target.checked);
      draft({ proofs: true });
      await keep();
      adopt(await (await ask(`/series/${slug}/look`)).json());
      one(`.tick[data-name="${name}"]`, root)?.focus();
    });
    root.addEventListener("click", async (event) => {
      const holding = event.target.closest("[data-hold-colour]");
      if (holding) {
        state.picking = !state.picking;
        holding.setAttribute("aria-pressed", String(state.picking));
        one("[data-hold-hint]", root).hidden = !state.picking;
        return;
      }
      const letting = event.target.closest("[data-let-go]");
      if (letting) {
        state.look.kept.splice(Number(letting.dataset.letGo), 1);
        draft({ proofs: true });
        await keep();
        return adopt(await (await ask(`/series/${slug}/look`)).json());
      }
      if (state.picking && event.target === picture) {
        state.picking = false;
        const box = picture.getBoundingClientRect();
        const place = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
        try {
          const { colour } = await (await ask(`/series/${slug}/shape/pick`, { method: "POST", json: { frame, place } })).json();
          state.look.kept.push({ family: { colour, tolerance: 30 }, hue: 8, chroma: 25, lightness: 12 });
          draft({ proofs: true });
          await keep();
          adopt(await (await ask(`/series/${slug}/look`)).json());
        } catch (error) {
          say(error.message);
        }
        return;
      }
      const walk = event.target.closest("[data-walk]");
      if (walk) {
        try {
          await keeping;
          adopt(await (await ask(`/series/${slug}/look/${walk.dataset.walk}`, { method: "POST" })).json());
          draft({ proofs: true });
        } catch (error) {
          say(error.message);
        }
        return;
      }
      const show = event.target.closest("[data-show]");
      if (show) return this.show(root, state, picture, show.dataset.show, draft);
      const arrange = event.target.closest("[data-arrange]:is(button)");
      if (arrange) {
        easel.dataset.arrange = arrange.dataset.arrange;
        press(all("[data-arrange]:is(button)", root), arrange);
        fit();
      }
    });
    const held = one("[data-held]", root);
    held.addEventListener("hold", () => picture.setAttribute("src", state.pictures.original));
    held.addEventListener("release", () => picture.setAttribute("src", state.pictures[state.shown]));

    const mat = one("[data-mat]", root);
    const over = one("[data-over]", root);
    const edge = one("[data-edge]", root);
    let split = 50;
    const fit = () => {
      const mode = easel.dataset.arrange;
      over.hidden = edge.hidden = mode !== "split";
      if (mode !== "split") return;
      const box = mat.getBoundingClientRect();
      const at = picture.getBoundingClientRect();
      Object.assign(before.style, { position: "absolute", left: `${at.left - box.left}px`, top: `${at.top - box.top}px`, width: `${at.width}px`, height: `${at.height}px` });
      const x = at.left - box.left + (at.width * split) / 100;
      over.style.clipPath = `inset(0 ${box.width - x}px 0 0)`;
      edge.style.left = `${x}px`;
      edge.setAttribute("aria-valuenow", String(Math.round(split)));
    };
    window.addEventListener("resize", fit);
    picture.addEventListener("load", fit);
    edge.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!step) return;
      event.preventDefault();
      split = Math.min(100, Math.max(0, split + step * (event.shiftKey ? 10 : 1)));
      fit();
    });
    edge.addEventListener("pointerdown", (event) => {
      edge.setPointerCapture(event.pointerId);
      const move = (at) => {
        const box = picture.getBoundingClientRect();
        split = Math.min(100, Math.max(0, (100 * (at.clientX - box.left)) / box.width));
        fit();
      };
      edge.addEventListener("pointermove", move);
      edge.addEventListener("pointerup", () => edge.removeEventListener("pointermove", move), { once: true });
    });
    acceptFiles("look", async ([file]) => {
      const body = new FormData();
      body.append("file", file);
      const response = await fetch(`/series/${slug}/look.json`, { method: "POST", body, headers: { accept: "application/json" } });
      const kept = await response.json();
      if (!response.ok) return say(kept.message);
      adopt(kept);
      draft({ proofs: true });
    });
  },
  async show(root, state, picture, name, draft) {
    state.shown = name;
    const buttons = all("[data-show]", root);
    press(buttons, buttons.find((button) => button.dataset.show === name));
    if (state.pictures[name]) await swapPicture(picture, state.pictures[name]);
    else draft({ proofs: false });
  },
});
