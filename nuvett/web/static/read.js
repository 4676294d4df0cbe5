import { all, ask, one, press, say } from "./common.js";
import { acceptFiles, sendFiles } from "./upload.js";

const POLL = 800;
const LEAST = 0.02;

export const read = () => ({
  init() {
    const root = this.$el;
    const slug = root.dataset.slug;
    let running = null;
    const reference = () => root.dataset.reference;
    const still = () => one("[data-still]", root);
    const sampling = () => {
      const facts = still().dataset;
      const colours = Number(one('[data-name="colours"]', root).getAttribute("aria-valuenow"));
      const tolerance = one('[data-name="tolerance"]', root);
      return {
        colours,
        patch: facts.patch ? facts.patch.split(",").map(Number) : null,
        family: tolerance ? { tolerance: Number(tolerance.getAttribute("aria-valuenow")) } : null,
      };
    };
    const send = async (what, json) => {
      running?.abort();
      running = new AbortController();
      const focused = document.activeElement?.dataset?.name;
      try {
        const address = `/series/${slug}/references/${reference()}/${what}`;
        root.innerHTML = await (await ask(address, { method: "PUT", json, signal: running.signal })).text();
        if (focused) one(`[data-name="${focused}"]`, root)?.focus();
      } catch (error) {
        if (error.name !== "AbortError") say(error.message);
      }
    };
    const resample = (change) => send("sampling", { ...sampling(), ...change });
    // While the kind of sampling is being switched, a value of the old kind that comes to rest must not win.
    let switching = false;
    const switchTo = async (change) => {
      switching = true;
      await resample(change);
      switching = false;
    };

    root.addEventListener("live-change", ({ detail: { name, value } }) => {
      if (switching) return;
      if (name === "colours") resample({ colours: value });
      else if (name === "tolerance") resample({ family: { tolerance: value } });
      else if (name.startsWith("weight.")) send("weights", { [name.slice(7)]: value });
      else if (name.startsWith("patch.")) {
        const patch = sampling().patch;
        patch[Number(name.slice(6))] = value / 100;
        patch[2] = Math.min(patch[2], 1 - patch[0]);
        patch[3] = Math.min(patch[3], 1 - patch[1]);
        resample({ patch });
      }
    });
    root.addEventListener("click", (event) => {
      const button = event.target.closest("[data-mode]:is(button)");
      if (!button) return;
      press(all("[data-mode]:is(button)", root), button);
      still().dataset.mode = button.dataset.mode;
      const hint = one("[data-hint]", root);
      if (button.dataset.mode === "whole") switchTo({ patch: null, family: null });
      if (button.dataset.mode === "patch") {
        hint.textContent = "Drag a patch on the still, or change its edges below";
        if (!sampling().patch) switchTo({ patch: [0.25, 0.25, 0.5, 0.5], family: null });
      }
      if (button.dataset.mode === "family") {
        hint.textContent = "Pick a colour in the still";
        if (!sampling().family) switchTo({ patch: null, family: { place: [0.5, 0.5], tolerance: 30 } });
      }
    });
    root.addEventListener("pointerdown", (event) => {
      const area = event.target.closest("[data-still]");
      if (!area || event.button !== 0) return;
      const box = area.getBoundingClientRect();
      const place = (at) => [
        Math.min(1, Math.max(0, (at.clientX - box.left) / box.width)),
        Math.min(1, Math.max(0, (at.clientY - box.top) / box.height)),
      ];
      const from = place(event);
      if (area.dataset.mode === "family") return resample({ patch: null, family: { ...sampling().family, place: from } });
      if (area.dataset.mode !== "patch") return;
      area.setPointerCapture(event.pointerId);
      const frame = one("[data-frame]", area);
      const patch = (at) => {
        const to = place(at);
        return [Math.min(from[0], to[0]), Math.min(from[1], to[1]), Math.abs(to[0] - from[0]), Math.abs(to[1] - from[1])];
      };
      const move = (at) => {
        const [x, y, w, h] = patch(at);
        frame.hidden = false;
        Object.assign(frame.style, { left: `${x * 100}%`, top: `${y * 100}%`, width: `${w * 100}%`, height: `${h * 100}%` });
      };
      const end = (at) => {
        area.removeEventListener("pointermove", move);
        const drawn = patch(at);
        if (drawn[2] >= LEAST && drawn[3] >= LEAST) resample({ patch: drawn, family: null });
        else frame.hidden = true;
      };
      area.addEventListener("pointermove", move);
      area.addEventListener("pointerup", end, { once: true });
    });
    document.addEventListener("keydown", (event) => {
      if ((event.key !== "n" && event.key !== "b") || event.target.closest("input")) return;
      const links = all("[data-reference-link]", root);
      const here = links.findIndex((link) => link.hasAttribute("aria-current"));
      links[(here + (event.key === "n" ? 1 : links.length - 1)) % links.length]?.click();
    });

    const waitForReading = async () => {
      const { waiting } = await (await ask(`/series/${slug}/references/state`)).json();
      if (waiting) setTimeout(waitForReading, POLL);
      else location.reload();
    };
    if (Number(root.dataset.waiting)) waitForReading();
    acceptFiles("references", (files) => sendFiles(root, `/series/${slug}/references`, files, waitForReading));
  },
});
