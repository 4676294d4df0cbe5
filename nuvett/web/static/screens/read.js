import { morphInto } from "../lib/morphing.js";
import { all, ask, one, press, say, setAddress } from "../lib/common.js";
import { newestWins } from "../lib/draft.js";
import { merged } from "../lib/merging.js";
import { connectInstruments, placePoints } from "./read_instruments.js";
import { connectStill } from "./read_still.js";
import { followProgress } from "../lib/progress.js";
import { acceptFiles, sendFiles } from "../lib/upload.js";

const SLOTS = ["palette", "tone", "side", "target"];

export const read = () => ({
  init() {
    const root = this.$el;
    const slug = root.dataset.slug;
    const page = { root, tool: root.dataset.tool, document: null, replacing: null };
    const address = (what) => `/series/${slug}/references/${root.dataset.reference}/${what}`;
    page.address = address;

    const takeDocument = () => {
      const script = one("[data-document]", root);
      page.document = script ? JSON.parse(script.textContent) : null;
      page.kept = script ? JSON.parse(script.textContent) : null; // as this window knows it to be kept
      root.dataset.reference = script?.dataset.reference ?? "";
      const name = script?.dataset.title ?? "";
      for (const said of all("[data-view-name]")) {
        if (said.matches("input")) said.value = name;
        else said.textContent = name;
      }
      for (const link of all("[data-kind]", document.getElementById("palettes")))
        link.href = address(`palette.${link.dataset.kind}`);
      for (const band of all("[data-width]", root)) band.style.width = `${band.dataset.width}%`;
      const sampling = one("[data-aspect]", root);
      sampling?.style.setProperty("--aspect", sampling.dataset.aspect);
      placePoints(root);
      useTool(page.tool);
    };
    const useTool = (name) => {
      page.tool = name;
      page.replacing = null;
      press(all("[data-tool]:is(button)", root), one(`[data-tool="${name}"]:is(button)`, root));
      const still = one("[data-still]", root);
      if (still) still.dataset.using = name;
      const forPatches = one("[data-for-patches]", root);
      if (forPatches) forPatches.hidden = name !== "patch" && name !== "outline";
    };
    page.showPart = (html) => {
      const colour = one("[data-swatch]:not([hidden])", root)?.dataset.swatch;
      const leave = one("[data-leave-out]", root)?.checked;
      morphInto(root, html);
      takeDocument();
      if (leave) one("[data-leave-out]", root).checked = true;
      if (colour !== undefined) openSwatch(Number(colour));
      showChecks();
    };
    /** What is found in the reference in view, once it has been looked through. */
    const showChecks = newestWins(async () => {
      if (!one("[data-checks]", root)) return;
      const found = await (await ask(address("checks"))).text();
      const place = one("[data-checks]", root); // what is shown may have been rendered anew meanwhile
      if (place) place.innerHTML = found;
    });
    const openSwatch = (index) => {
      for (const slip of all("[data-swatch]", root)) slip.hidden = Number(slip.dataset.swatch) !== index;
      for (const band of all("[data-colour]", root))
        band.setAttribute("aria-pressed", String(Number(band.dataset.colour) === index));
      setAddress({ colour: index });
    };
    const change = async (what, options) => {
      try {
        const html = await (await ask(what, options)).text();
        await drafting.settled(); // a draft that is still under way must not be shown over what was kept
        page.showPart(html);
      } catch (error) {
        say(error.message);
        if (error.status)
          page.showPart(await (await ask(`/series/${slug}/read/part?reference=${root.dataset.reference}`)).text());
      }
    };
    let keeping = Promise.resolve();
    // One after the other, so that none is made upon a state that another has just replaced.
    const inTurn = (what, options) => {
      keeping = keeping.then(() => change(what, typeof options === "function" ? options() : options));
      return keeping;
    };
    page.change = inTurn;
    page.keep = (document = page.document) => {
      const base = page.kept;
      page.document = document;
      return inTurn(address("sampling"), () => {
        // An Undo that was asked for first has led to another state: this is done to that one.
        const json = { ...merged(base, document, page.kept), was: page.kept };
        return { method: "PUT", json };
      });
    };
    const drafting = newestWins(async (json) => {
      try {
        const answer = await (await ask(address("draft"), { method: "POST", json })).json();
        if (answer.problem) return (one("[data-here]", root).textContent = answer.problem);
        for (const name of SLOTS) {
          const slot = one(`[data-slot="${name}"]`, root);
          if (slot) slot.innerHTML = answer[name];
        }
        for (const band of all("[data-width]", root)) band.style.width = `${band.dataset.width}%`;
        const veil = one("[data-veil]", root);
        if (answer.veil && veil) {
          veil.src = answer.veil;
          veil.hidden = false;
        }
      } catch (error) {
        say(error.message);
      }
    });
    page.draft = (document) => drafting({ sampling: document });
    page.edit = (json) =>
      inTurn(address("palette"), () => ({ method: "POST", json: { ...json, was: page.kept } }));
    page.pick = async (place) => (await ask(address("pick"), { method: "POST", json: { place } })).json();

    const weights = () => {
      const found = {};
      for (const value of all('[data-weights] [data-name^="weight."]', root)) {
        const [, id, which] = value.dataset.name.split(".");
        (found[id] ??= {})[which] = Number(value.getAttribute("aria-valuenow"));
      }
      return found;
    };
    const numbers = () => structuredClone(page.document);
    // A value in the sentences says which part of the sampling it is by its name: "patch.0.2", "tolerance.1", "tone.0".
    const withValue = (name, value) => {
      const [what, first, second] = name.split(".");
      const next = numbers();
      // A value that comes to rest late may belong to a part that has been taken away meanwhile.
      if (
        { tolerance: next.families, point: next.points, patch: next.patches }[what]?.[first] === undefined &&
        !["colours", "tone"].includes(what)
      )
        return null;
      if (what === "colours") next.colours = value;
      else if (what === "tolerance") next.families[first].tolerance = value;
      else if (what === "tone") {
        next.tone ??= [0, 100];
        next.tone[first] = value;
        if (next.tone[0] >= next.tone[1]) next.tone[1 - first] = value + (Number(first) ? -1 : 1);
        if (next.tone[0] <= 0 && next.tone[1] >= 100) next.tone = null;
      } else if (what === "point") next.points[first][second] = value / 100;
      else if (what === "patch") {
        const [[x0, y0], [x1, y1]] = next.patches[first].points;
        const box = [x0, y0, x1 - x0, y1 - y0];
        box[second] = value / 100;
        box[2] = Math.min(box[2], 1 - box[0]);
        box[3] = Math.min(box[3], 1 - box[1]);
        next.patches[first].points = [
          [box[0], box[1]],
          [box[0] + box[2], box[1] + box[3]],
        ];
      }
      return next;
    };
    const lch = (index) =>
      [0, 1, 2].map((part) => Number(one(`[data-name="lch.${index}.${part}"]`, root).getAttribute("aria-valuenow")));

    root.addEventListener("live-input", ({ detail: { name, value } }) => {
      if (name.startsWith("weight.")) drafting({ weights: weights() });
      else if (!name.startsWith("lch.")) {
        const next = withValue(name, value);
        if (next) page.draft(next);
      }
    });
    root.addEventListener("live-change", ({ detail: { name, value } }) => {
      if (name.startsWith("weight."))
        inTurn(`/series/${slug}/weights`, {
          method: "PUT",
          json: { weights: weights(), reference: root.dataset.reference },
        });
      else if (name.startsWith("lch.")) {
        const index = Number(name.split(".")[1]);
        page.edit({ do: "nudge", index, lch: lch(index) });
      } else {
        const next = withValue(name, value);
        if (next) page.keep(next);
      }
    });
    root.addEventListener("change", (event) => {
      const { order, merge } = event.target.dataset;
      if (order !== undefined) {
        const next = numbers();
        next.edits.order = event.target.value;
        page.keep(next);
      } else if (merge !== undefined && event.target.value !== "") {
        page.edit({ do: "merge", index: Number(merge), other: Number(event.target.value) });
      }
    });
    root.addEventListener("click", (event) => {
      const find = (name) => event.target.closest(`[${name}]`)?.dataset;
      const taken = find("data-take-sampling");
      if (taken) return page.keep(JSON.parse(taken.takeSampling));
      const tool = event.target.closest("[data-tool]:is(button)");
      if (tool) {
        useTool(tool.dataset.tool);
        return setAddress({ tool: tool.dataset.tool });
      }
      const walk = find("data-walk");
      if (walk)
        return inTurn(`/series/${slug}/read/${walk.walk}`, {
          method: "POST",
          json: { reference: root.dataset.reference || null },
        });
      if (find("data-whole")) return page.keep({ ...numbers(), patches: [], families: [], tone: null });
      const away = find("data-away");
      if (away) {
        const [list, index] = away.away.split(".");
        const next = numbers();
        next[list].splice(Number(index), 1);
        return page.keep(next);
      }
      const turn = find("data-turn");
      if (turn) {
        const next = numbers();
        next.patches[turn.turn].leave_out = !next.patches[turn.turn].leave_out;
        return page.keep(next);
      }
      const colour = find("data-colour");
      if (colour) return openSwatch(Number(colour.colour));
      const edit = find("data-do");
      if (edit) return page.edit({ do: edit.do, index: Number(edit.index ?? 0) });
      const replacing = event.target.closest("[data-replace]");
      if (replacing) {
        page.replacing = Number(replacing.dataset.replace);
        replacing.setAttribute("aria-pressed", "true");
        one("[data-still]", root).dataset.using = "replace";
        one("[data-here]", root).textContent = "Pick the colour in the picture";
        return one("[data-still]", root).focus();
      }
      if (find("data-dialog-palettes")) return openPalettes();
      if (find("data-frames")) return openFrames();
    });
    document.addEventListener("keydown", (event) => {
      if ((event.key !== "n" && event.key !== "b") || event.target.closest("input, dialog")) return;
      const links = all("[data-reference-link]", root);
      const here = links.findIndex((link) => link.hasAttribute("aria-current"));
      links[(here + (event.key === "n" ? 1 : links.length - 1)) % links.length]?.click();
    });

    const palettes = document.getElementById("palettes");
    const fillPalettes = async (options) => {
      try {
        one("[data-palettes]", palettes).innerHTML = await (await ask(options?.address ?? "/palettes", options)).text();
      } catch (error) {
        say(error.message);
      }
    };
    const openPalettes = async () => {
      await fillPalettes();
      palettes.showModal();
    };
    palettes.addEventListener("click", (event) => {
      const { use, delete: gone, putBack } = event.target.dataset;
      if (putBack) return bringIn(new File([putBack], "palette.json"));
      if (use) {
        palettes.close();
        inTurn(address(`use/${use}`), { method: "POST" });
      } else if (gone) fillPalettes({ address: `/palettes/${gone}/remove`, method: "POST" });
    });
    one("[data-save-palette]", palettes)?.addEventListener("submit", async (event) => {
      event.preventDefault();
      await fillPalettes({ address: address("palette/save"), method: "POST", form: new FormData(event.target) });
    });
    const bringIn = async (file) => {
      const form = new FormData();
      form.append("file", file);
      try {
        await ask("/palettes/file", { method: "POST", form });
        await fillPalettes();
      } catch (error) {
        say(error.message);
      }
    };
    acceptFiles("palette", ([file]) => bringIn(file));
    const frames = document.getElementById("frames");
    const fillFrames = async (of, finished = "1") => {
      one("[data-frame-list]", frames).innerHTML = await (
        await ask(`/series/${slug}/read/frames?of=${encodeURIComponent(of)}&finished=${finished}`)
      ).text();
    };
    const openFrames = async () => {
      await fillFrames(slug);
      frames.showModal();
    };
    frames.addEventListener(
      "change",
      (event) => event.target.matches("[data-frames-of]") && fillFrames(event.target.value),
    );
    frames.addEventListener("click", (event) => {
      const finished = event.target.closest("[data-frames-finished]");
      if (finished) fillFrames(one("[data-frames-of]", frames).value, finished.dataset.framesFinished);
    });

    takeDocument();
    showChecks();
    connectStill(page);
    connectInstruments(page);
    const sayHeldUp = async () => {
      const references = await (await ask(`/series/${slug}/references/state`)).json();
      const heldUp = one("[data-held-up]", root);
      heldUp.textContent = references.held_up;
      heldUp.hidden = !references.held_up;
    };
    const waitForReading = () =>
      followProgress(
        slug,
        "read",
        () => sayHeldUp().catch(() => {}),
        () => location.reload(),
      );
    /** Show what has just arrived among the references, before it has been read. */
    const showArrived = async () => {
      try {
        const { reference } = root.dataset;
        const query = reference ? `?reference=${reference}` : "";
        page.showPart(await (await ask(`/series/${slug}/read/part${query}`)).text());
      } catch (error) {
        say(error.message);
      }
      waitForReading();
    };
    if (Number(root.dataset.waiting)) waitForReading();
    acceptFiles("references", (files) => sendFiles(root, `/series/${slug}/references`, files, showArrived));
  },
});
