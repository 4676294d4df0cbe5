import { all, ask, one, say, setAddress, setAt, swapPicture } from "./common.js";
import { newestWins } from "./draft.js";
import { connectHandles } from "./shape_handles.js";
import { connectViews } from "./shape_views.js";
import { acceptFiles } from "./upload.js";

const SMALL = 640; // long edge of a picture that is enough beside another
const ENDS = new Set(["tone.black", "tone.white", "exposure.exposure", "curve.faded"]);

export const shape = () => ({
  init() {
    const root = this.$el;
    const { slug, frame, reference } = root.dataset;
    const page = {
      root,
      slug,
      frame,
      reference,
      look: JSON.parse(one("[data-look]", root).textContent),
      revision: Number(root.dataset.revision),
      shown: "look",
      pictures: {},
      channel: "master",
      open: new Set(new URLSearchParams(location.search).get("more")?.split(" ")),
      picking: null,
      holding: false,
    };
    const picture = one("[data-picture]", root);
    const rendering = one("[data-waiting]", root);
    page.pictures = {
      look: picture.getAttribute("src"),
      original: one("[data-picture-before]", root).getAttribute("src"),
      evened: null,
    };

    const slot = (name) => one(`[data-slot="${name}"]`, root)?.innerHTML ?? "";
    /** Draw instruments anew and keep the handle in focus, which is another element afterwards. */
    const redraw = (draw) => {
      const focused = document.activeElement?.closest?.("[data-share], [data-point], [data-handle]");
      const key = focused && ["share", "point", "handle"].find((name) => focused.dataset[name] !== undefined);
      draw();
      if (!key || focused.isConnected) return;
      const found = all(`[data-${key}="${focused.dataset[key]}"]`, root);
      found.find((element) => element.getClientRects().length)?.focus();
    };
    /** Put the instruments that stand elsewhere in their places. */
    const place = () => {
      one("[data-tone-slot]", root).innerHTML = slot("tone");
      one("[data-drift-slot]", root).innerHTML = slot("drift");
      const curve = one('[data-slot-place="curve"]', root);
      if (curve) curve.innerHTML = slot("curve");
      one("[data-history-list]", root).innerHTML = slot("history");
      page.showChannel();
    };
    page.showChannel = () => {
      for (const group of all("[data-of]", root))
        group.classList.toggle("quiet-curve", group.dataset.of !== page.channel);
      for (const words of all("[data-channel-words]", root)) words.hidden = words.dataset.channelWords !== page.channel;
      for (const button of all("[data-channel]", root))
        button.setAttribute("aria-pressed", String(button.dataset.channel === page.channel));
    };
    const showOpen = () => {
      for (const more of all("[data-more]", root)) more.hidden = !page.open.has(more.dataset.more);
      for (const button of all("[data-open]", root)) {
        button.setAttribute("aria-expanded", String(page.open.has(button.dataset.open)));
        button.textContent = page.open.has(button.dataset.open) ? "less" : "more";
      }
    };
    // Both pictures stand at equal height: their widths share the row by aspect ratio.
    for (const figure of all("figure", one("[data-easel]", root))) {
      const image = one("img[width]", figure);
      if (image) figure.style.flexGrow = String(image.getAttribute("width") / image.getAttribute("height"));
    }

    /** While something moves, no larger than it is shown. */
    const quickly = (address) => {
      const small = picture.clientWidth * devicePixelRatio <= SMALL;
      return `${small ? address.replace(/edge=\d+/, `edge=${SMALL}`) : address}&quick=true`;
    };
    page.draft = newestWins(async ({ proofs, drag }) => {
      const slow = setTimeout(() => (rendering.hidden = false), 150);
      try {
        // The picture first, while something moves a quicker one; what is measured of it follows.
        const send = async (json) =>
          (await ask(`/series/${slug}/shape/draft`, { method: "POST", json: { frame, reference, ...json } })).json();
        const first = await send({ look: page.look, parts: false, drag });
        page.pictures = first.pictures;
        if (drag) page.look = first.look;
        const rest = send({ look: page.look, parts: true, proofs });
        const address = page.pictures[page.shown];
        const still = proofs || page.shown !== "look";
        await swapPicture(picture, still ? address : quickly(address), () => !page.holding);
        const answer = await rest;
        redraw(() => {
          one("[data-instruments]", root).innerHTML = answer.instruments;
          place();
        });
        page.views.follow();
        if (answer.proofs) one("[data-proofs]", root).innerHTML = answer.proofs;
      } catch (error) {
        say(error.message);
      } finally {
        clearTimeout(slow);
        rendering.hidden = true;
      }
    });
    page.adopt = (kept) => {
      page.look = kept.look;
      page.revision = kept.revision;
      one("[data-history]", root).innerHTML = kept.history;
      redraw(() => {
        if (kept.sheet) {
          const focused = document.activeElement?.closest?.("[data-name], [data-drop]")?.dataset.name;
          one("[data-sheet]", root).innerHTML = kept.sheet;
          showOpen();
          if (focused) one(`[data-name="${CSS.escape(focused)}"]`, root)?.focus();
        }
        place();
      });
    };
    let keeping = Promise.resolve();
    /** Keep the look; with `sheet` its sentences are written anew, too. */
    page.keep = (sheet = false) => {
      keeping = keeping.then(async () => {
        try {
          const json = { look: page.look, revision: page.revision, sheet };
          const kept = await (await ask(`/series/${slug}/look`, { method: "PUT", json })).json();
          if (sheet) page.adopt(kept);
          else {
            page.revision = kept.revision;
            one("[data-history]", root).innerHTML = kept.history;
            one("[data-history-list]", root).innerHTML = slot("history");
          }
        } catch (error) {
          say(error.message);
          if (error.status) {
            page.adopt(await (await ask(`/series/${slug}/look`)).json());
            page.draft({ proofs: true });
          }
        }
      });
      return keeping;
    };
    /** A change that sentences show: draft it, keep it, write the sheet anew. */
    page.commit = () => {
      page.draft({ proofs: true });
      return page.keep(true);
    };
    // One after the other with what is kept, so that none is made upon a state that another has just replaced.
    const walkTo = (address, json) => {
      keeping = keeping.then(async () => {
        try {
          page.adopt(await (await ask(address, { method: "POST", json })).json());
          page.draft({ proofs: true });
        } catch (error) {
          say(error.message);
        }
      });
      return keeping;
    };

    root.addEventListener("live-input", ({ detail }) => {
      setAt(page.look, detail.name, detail.value);
      page.draft({ proofs: false });
      if (ENDS.has(detail.name)) page.views.clipWhile(true);
    });
    root.addEventListener("live-change", ({ detail }) => {
      setAt(page.look, detail.name, detail.value);
      page.keep(detail.name.endsWith("_hue"));
      page.views.clipWhile(false);
      page.draft({ proofs: true });
    });
    root.addEventListener("change", (event) => {
      const { name } = event.target.dataset;
      if (event.target.matches("[data-frame-choice]")) goTo({ frame: event.target.value });
      else if (event.target.matches("[data-wash]")) {
        page.look.wash.colours = JSON.parse(event.target.value);
        page.commit();
      } else if (name) {
        setAt(page.look, name, event.target.type === "checkbox" ? event.target.checked : event.target.value);
        page.commit();
      } else if (event.target.matches("[data-copy-whole]"))
        one("[data-copy-parts]", root).disabled = event.target.checked;
    });
    // To another frame, looked at in the same way.
    const goTo = (changes) => {
      const address = new URLSearchParams(location.search);
      for (const [name, value] of Object.entries(changes)) address.set(name, value);
      location.search = address;
    };
    root.addEventListener("click", async (event) => {
      const find = (name) => event.target.closest(`[data-${name}]`);
      const link = event.target.closest('a[href^="?frame="]');
      if (link && !event.ctrlKey && !event.metaKey && !event.shiftKey) {
        event.preventDefault();
        return goTo({ frame: new URL(link.href).searchParams.get("frame") });
      }
      const walk = find("walk");
      if (walk) return walkTo(`/series/${slug}/look/${walk.dataset.walk}`);
      const go = find("go");
      if (go) return walkTo(`/series/${slug}/look/step/${go.dataset.go}`);
      const open = find("open");
      if (open) {
        const { open: name } = open.dataset;
        if (!page.open.delete(name)) page.open.add(name);
        setAddress({ more: [...page.open].join(" ") || null });
        showOpen();
        return one(`[data-more="${name}"]:not([hidden])`, root)?.scrollIntoView({ block: "nearest" });
      }
      const reset = find("reset");
      if (reset) {
        delete page.look[reset.dataset.reset];
        return page.commit();
      }
      const drop = find("drop");
      if (drop) {
        const names = drop.dataset.drop.split(".");
        const index = Number(names.pop());
        names.reduce((inner, name) => inner[name], page.look).splice(index, 1);
        return page.commit();
      }
      const picking = find("picking");
      if (picking) return startPicking(picking);
      const channel = find("channel");
      if (channel) {
        page.channel = channel.dataset.channel;
        return page.showChannel();
      }
      if (find("choose-proofs")) return one("#proofs", root).showModal();
      if (find("proofs-usual")) return setProofs(null);
      if (find("proofs-set")) return setProofs(all("[data-proof]:checked", root).map((box) => box.value));
      if (find("copy")?.matches("button")) {
        const whole = one("[data-copy-whole]", root).checked;
        const parts = whole ? null : all("[data-copy-parts] input:checked", root).map((box) => box.value);
        one("#copy", root).close();
        return walkTo(`/series/${slug}/look/copy`, { series: one("[data-copy-from]", root).value, parts });
      }
      if (page.picking && event.target === picture) return pickAt(event);
    });
    const startPicking = (button) => {
      page.picking = page.picking ? null : button.dataset.picking;
      button.setAttribute("aria-pressed", String(Boolean(page.picking)));
      one("[data-hold-hint]", root).hidden = page.picking !== "hold";
      if (page.picking)
        say(
          page.picking === "hold" ? "Pick the colour to hold in the frame." : "Pick the colour to move in the frame.",
        );
      picture.tabIndex = page.picking ? 0 : -1;
      if (page.picking) picture.focus();
    };
    // From the keyboard a cross is moved over the frame and Enter picks there.
    const cross = { x: 0.5, y: 0.5 };
    const showCross = () => {
      const shown = one("[data-cross]", root);
      shown.hidden = !page.picking;
      const box = picture.getBoundingClientRect();
      const around = picture.parentElement.getBoundingClientRect();
      Object.assign(shown.style, {
        left: `${box.left - around.left + cross.x * box.width - 12}px`,
        top: `${box.top - around.top + cross.y * box.height - 12}px`,
      });
    };
    picture.addEventListener("keydown", (event) => {
      if (!page.picking) return;
      const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
      if (!arrow && event.key !== "Enter") return;
      event.preventDefault();
      const box = picture.getBoundingClientRect();
      if (!arrow) return pickAt({ clientX: box.left + cross.x * box.width, clientY: box.top + cross.y * box.height });
      const step = event.shiftKey ? 0.1 : 0.01;
      cross.x = Math.min(1, Math.max(0, cross.x + arrow[0] * step));
      cross.y = Math.min(1, Math.max(0, cross.y + arrow[1] * step));
      showCross();
    });
    const pickAt = async (event) => {
      const what = page.picking;
      page.picking = null;
      one("[data-hold-hint]", root).hidden = true;
      for (const button of all("[data-picking]", root)) button.setAttribute("aria-pressed", "false");
      showCross();
      const box = picture.getBoundingClientRect();
      const place = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
      try {
        const { colour } = await (
          await ask(`/series/${slug}/shape/pick`, { method: "POST", json: { frame, place } })
        ).json();
        if (what === "hold") page.look.kept.push({ family: { colour, tolerance: 30 } });
        else page.look.moves.own.push({ source: colour });
        if (what === "move") page.open.add("moves");
        await page.commit();
      } catch (error) {
        say(error.message);
      }
    };
    const setProofs = async (frames) => {
      try {
        await ask(`/series/${slug}/look/proofs`, { method: "POST", json: { frames } });
        one("#proofs", root).close();
        page.draft({ proofs: true });
      } catch (error) {
        say(error.message);
      }
    };
    acceptFiles("look", async ([file]) => {
      const form = new FormData();
      form.append("file", file);
      try {
        page.adopt(await (await ask(`/series/${slug}/look.json`, { method: "POST", form })).json());
        page.draft({ proofs: true });
      } catch (error) {
        say(error.message);
      }
    });
    page.views = connectViews(page);
    connectHandles(page);
    place();
    showOpen();
  },
});
