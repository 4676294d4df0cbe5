import { all, ask, one, say, setAddress } from "../lib/common.js";
import { newestWins } from "../lib/draft.js";

const POLL = 700;

export const clip = () => ({
  init() {
    const root = this.$el;
    const { slug, clip: id } = root.dataset;
    const frames = Number(root.dataset.frames);
    const seconds = Number(root.dataset.seconds);
    const base = `/series/${slug}/clips/${id}`;
    const picture = one("[data-frame]", root);
    const strip = one("[data-strip]", root);
    let at = Number(root.dataset.at);

    const show = newestWins(async (number) => {
      const next = new Image();
      next.src = `${base}/frame.jpg?number=${number}&edge=1280`;
      try {
        await next.decode();
        picture.src = next.src;
        picture.alt = `Frame ${number}`;
      } catch {
        say("This frame cannot be shown: the clip is damaged here, or takes too long to reach.");
      }
    });
    const go = (number, quietly) => {
      at = Math.min(frames - 1, Math.max(0, Math.round(number)));
      const moment = frames > 1 ? (seconds * at) / (frames - 1) : 0;
      one("[data-where]", root).textContent =
        `${Math.floor(moment / 60)}:${(moment % 60).toFixed(2).padStart(5, "0")}, frame ${at}`;
      one("[data-needle]", root).style.left = `${(100 * (at + 0.5)) / frames}%`;
      strip.setAttribute("aria-valuenow", String(at));
      strip.setAttribute("aria-valuetext", one("[data-where]", root).textContent);
      if (quietly) return;
      setAddress({ frame: at });
      show(at);
    };
    go(at, true);

    root.addEventListener("click", (event) => {
      const step = event.target.closest("[data-step]");
      if (step) go(at + Number(step.dataset.step));
    });
    const scrub = (event) => {
      const box = strip.getBoundingClientRect();
      go(((event.clientX - box.left) / box.width) * frames - 0.5);
    };
    strip.addEventListener("pointerdown", (event) => {
      strip.setPointerCapture(event.pointerId);
      scrub(event);
      strip.addEventListener("pointermove", scrub);
      strip.addEventListener("pointerup", () => strip.removeEventListener("pointermove", scrub), { once: true });
    });
    const keys = (event) => {
      if (event.ctrlKey || event.metaKey || event.target.closest("input, dialog")) return;
      const step = event.shiftKey ? 24 : 1;
      const to = {
        ArrowLeft: at - step,
        ArrowRight: at + step,
        PageUp: at - frames / 16,
        PageDown: at + frames / 16,
        Home: 0,
        End: frames - 1,
      }[event.key];
      if (to === undefined) return;
      event.preventDefault();
      go(to);
    };
    document.addEventListener("keydown", keys);

    const taken = one("[data-taken]", root);
    one("[data-take]", root).addEventListener("click", async () => {
      try {
        const still = await (await ask(`${base}/still?number=${at}`, { method: "POST" })).json();
        one("[data-taken-words]", root).textContent = "Taken from this film:";
        const row = document.createElement("span");
        row.textContent = `${still.name}, being read…`;
        row.dataset.id = still.id;
        taken.append(row);
        say(`${still.name} is a reference now.`);
        setTimeout(settle, POLL);
      } catch (error) {
        say(error.message);
      }
    });
    const settle = async () => {
      const { waiting } = await (await ask(`/series/${slug}/references/state`)).json();
      if (waiting) return setTimeout(settle, POLL);
      for (const row of all("[data-id]", taken)) {
        const link = document.createElement("a");
        link.className = "no-underline";
        link.href = `/series/${slug}/read?reference=${row.dataset.id}`;
        const image = document.createElement("img");
        image.className = "inline-block h-[34px] align-middle";
        image.src = `/series/${slug}/references/${row.dataset.id}/picture.jpg?edge=200`;
        image.alt = "";
        link.append(image, ` ${row.textContent.replace(", being read…", "")}`);
        row.replaceWith(link);
      }
    };
  },
});
