// Straightening and cutting: the cut as a frame over the whole picture, dragged by its corners, sides and middle, and a
// line drawn along what should be level. What a place means is worked out by the application.

import { ask, one, say } from "../lib/common.js";
import { follow } from "../lib/following.js";
import { drawn } from "../lib/svg.js";

const SETTLE = 400;
const HALF = 6; // pixels of half a handle, so that it is seen whole at the edge
const STEP = 0.005; // of the width or height, for an arrow key
/** @type {Record<string, [string, number, number]>} Words of each handle, and its place in the cut. */
const NAMES = {
  nw: ["Top left corner", 0, 0],
  n: ["Top side", 0.5, 0],
  ne: ["Top right corner", 1, 0],
  e: ["Right side", 1, 0.5],
  se: ["Bottom right corner", 1, 1],
  s: ["Bottom side", 0.5, 1],
  sw: ["Bottom left corner", 0, 1],
  w: ["Left side", 0, 0.5],
  move: ["Middle", 0.5, 0.5],
};

export function connectCut(page) {
  const { root } = page;
  const plate = one("[data-plate]", root);
  const svg = one("[data-cut-shapes]", root);
  let placed = JSON.parse(one("[data-facts]", root).textContent).placed;
  let drawing = false;
  let settling = null;

  /** @returns {[number, number]} */
  const share = (event) => {
    const box = plate.getBoundingClientRect();
    return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  };
  const send = (handle, [x, y], end = null) => page.draft({ proofs: false, drag: { handle, x, y, end } });
  const rest = (delay) => {
    clearTimeout(settling);
    settling = setTimeout(async () => {
      await page.draft.settled();
      page.commit();
    }, delay);
  };
  /** Do one thing to the geometry, and keep it. */
  const place = (handle) => {
    send(handle, [0, 0]);
    rest(0);
  };

  const paint = () => {
    const focus = document.activeElement?.closest?.("[data-cut-handle]")?.dataset.cutHandle;
    svg.replaceChildren();
    svg.toggleAttribute("hidden", !page.cutting);
    if (!page.cutting) return;
    const [across, down] = [svg.clientWidth, svg.clientHeight];
    const [left, top, width, height] = placed.cut.map((value, i) => value * (i % 2 ? down : across));
    const outside = `M0 0H${across}V${down}H0ZM${left} ${top}V${top + height}H${left + width}V${top}Z`;
    svg.append(drawn("path", { d: outside, class: "cut-outside" }));
    const frame = `M${left} ${top}h${width}v${height}h${-width}Z`;
    const thirds = [1, 2]
      .map((n) => `M${left + (width * n) / 3} ${top}v${height}M${left} ${top + (height * n) / 3}h${width}`)
      .join("");
    for (const [d, name] of [
      [thirds, "cut-third-dark"],
      [thirds, "cut-third"],
      [frame, "edge-dark"],
      [frame, "edge-light"],
    ])
      svg.append(drawn("path", { d, class: name }));
    for (const [name, [words, x, y]] of Object.entries(NAMES)) {
      const seen = (at, size) => Math.min(size - HALF, Math.max(HALF, at));
      const [at, below] = [seen(left + x * width, across), seen(top + y * height, down)];
      const handle = drawn("g", {
        transform: `translate(${at} ${below})`,
        class: "shape-handle",
        tabindex: 0,
        role: "button",
        "aria-label": `${words} of the crop: drag, or arrow keys`,
        "data-cut-handle": name,
      });
      const corner = { x: -5, y: -5, width: 10, height: 10 };
      handle.append(name === "move" ? drawn("circle", { r: 7 }) : drawn("rect", corner));
      svg.append(handle);
    }
    if (focus) one(`[data-cut-handle="${focus}"]`, svg)?.focus();
  };

  plate.addEventListener("pointerdown", (event) => {
    if (!page.cutting || event.button !== 0) return;
    const start = share(event);
    if (drawing) {
      const line = drawn("path", { class: "edge-light" });
      const shade = drawn("path", { class: "edge-dark" });
      svg.append(shade, line);
      const to = (at) => {
        const end = share(at);
        const points = [start, end].map(([x, y]) => `${x * svg.clientWidth} ${y * svg.clientHeight}`);
        for (const path of [line, shade]) path.setAttribute("d", `M${points.join("L")}`);
      };
      event.preventDefault();
      return follow(to, (at) => {
        drawLevel(false);
        send("level", start, share(at));
        rest(0);
      });
    }
    const handle = event.target.closest("[data-cut-handle]");
    if (!handle) return undefined;
    handle.focus();
    const name = `cut.${handle.dataset.cutHandle}`;
    event.preventDefault();
    return follow(
      (at) => send(name, share(at)),
      () => rest(60),
    );
  });
  svg.addEventListener("keydown", (event) => {
    const handle = event.target.closest("[data-cut-handle]")?.dataset.cutHandle;
    const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!handle || !arrow || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    const [, x, y] = NAMES[handle];
    const [left, top, width, height] = placed.cut;
    const step = STEP * (event.shiftKey ? 10 : 1) * (event.altKey ? 0.1 : 1);
    send(`cut.${handle}`, [left + x * width + arrow[0] * step, top + y * height + arrow[1] * step]);
    rest(SETTLE);
  });

  const drawLevel = (on) => {
    drawing = on;
    one("[data-draw-level]", root)?.setAttribute("aria-pressed", String(on));
    plate.toggleAttribute("data-drawing", on);
    if (on) say("Draw along what should be level or upright.");
  };
  let proposed = "";
  page.showProposal = () => {
    one("[data-proposal]", root).innerHTML = proposed;
  };
  const propose = async () => {
    const address = `/series/${page.slug}/frames/${page.frame}/proposal`;
    try {
      proposed = await (await ask(address)).text();
      page.showProposal();
    } catch (error) {
      say(error.message);
    }
  };
  page.cutOrNot = () => {
    page.cutting = !page.cutting;
    drawLevel(false);
    page.draft({ proofs: !page.cutting });
    if (page.cutting) propose();
    page.drawShapes();
    paint();
  };
  root.addEventListener("click", (event) => {
    const found = event.target.closest("[data-place]");
    if (found) return place(found.dataset.place);
    if (event.target.closest("[data-draw-level]")) return drawLevel(!drawing);
    const taken = event.target.closest("[data-take]");
    if (!taken) return undefined;
    Object.assign(page.document.geometry, JSON.parse(taken.dataset.take));
    return page.commit();
  });
  root.addEventListener("change", (event) => {
    if (event.target.matches("[data-proportion]")) place(`proportion.${event.target.value}`);
  });
  window.addEventListener("pictures", ({ detail }) => {
    if (!detail.placed) return;
    placed = detail.placed;
    requestAnimationFrame(paint);
  });
  new ResizeObserver(paint).observe(plate);
}
