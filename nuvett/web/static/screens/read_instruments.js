// Tone column and colour chart tied to the still: a place in the picture is shown on both, a place on either lights
// its pixels in the picture. What lies where is worked out by the application.

import { all, one } from "../lib/common.js";
import { latest, newestWins } from "../lib/draft.js";

const LOUPE_PIXELS = 13;
const LOUPE_SIZE = 117;
const CHART_STEP = 4;
const SVG = "http://www.w3.org/2000/svg";

/** Put the points where they are said to be; places are attributes because pages carry no styles of their own. */
export function placePoints(root) {
  for (const marker of all("[data-point]", root)) {
    marker.style.left = `${marker.dataset.x}%`;
    marker.style.top = `${marker.dataset.y}%`;
  }
}

function mark(svg, name, attributes) {
  let shape = svg.querySelector("[data-here-mark]");
  if (!shape) {
    shape = document.createElementNS(SVG, name);
    shape.setAttribute("data-here-mark", "");
    shape.setAttribute("fill", "none");
    shape.setAttribute("class", "here");
    svg.append(shape);
  }
  for (const [key, value] of Object.entries(attributes)) shape.setAttribute(key, String(value));
}

export function connectInstruments(page) {
  const { root } = page;
  const words = () => one("[data-here]", root);

  const drawLoupe = ([x, y]) => {
    const loupe = one("[data-loupe]", root);
    const picture = one("[data-picture]", root);
    const wanted = page.replacing !== null || page.tool === "points" || page.tool === "family";
    loupe.hidden = !wanted || !picture.naturalWidth;
    if (loupe.hidden) return;
    const canvas = one("canvas", loupe);
    const context = canvas.getContext("2d");
    context.imageSmoothingEnabled = false;
    const half = LOUPE_PIXELS / 2;
    context.fillStyle = "#777";
    context.fillRect(0, 0, LOUPE_SIZE, LOUPE_SIZE);
    context.drawImage(
      picture,
      Math.floor(x * picture.naturalWidth) + 0.5 - half,
      Math.floor(y * picture.naturalHeight) + 0.5 - half,
      LOUPE_PIXELS,
      LOUPE_PIXELS,
      0,
      0,
      LOUPE_SIZE,
      LOUPE_SIZE,
    );
    const cell = LOUPE_SIZE / LOUPE_PIXELS;
    context.strokeStyle = "#fff";
    context.strokeRect(LOUPE_SIZE / 2 - 2.5 * cell, LOUPE_SIZE / 2 - 2.5 * cell, 5 * cell, 5 * cell);
    context.strokeStyle = "#000";
    context.strokeRect(LOUPE_SIZE / 2 - 2.5 * cell - 1, LOUPE_SIZE / 2 - 2.5 * cell - 1, 5 * cell + 2, 5 * cell + 2);
    Object.assign(loupe.style, {
      left: x > 0.6 ? `calc(${x * 100}% - 141px)` : `calc(${x * 100}% + 24px)`,
      top: `calc(${Math.min(y, 0.55) * 100}% + 8px)`,
    });
  };

  const ask = newestWins(async (place) => {
    try {
      const found = await page.pick(place);
      if (!place.live()) return;
      words().textContent = `${found.name}, ${found.hex}, L* ${found.lightness}, ${found.below} % is darker`;
      one("[data-loupe-words]", root).textContent = `${found.name} ${found.hex}`;
      const tone = one("[data-tone] svg", root);
      const column = tone.querySelector("rect");
      const y =
        Number(column.getAttribute("y")) + (Number(column.getAttribute("height")) * (100 - found.lightness)) / 100;
      mark(tone, "path", { d: `M0 ${y}H128` });
      mark(one("[data-chart] svg", root), "circle", { cx: found.x, cy: found.y, r: 9 });
    } catch {
      // The next movement asks again.
    }
  });
  const looking = latest();
  const lookAt = (place) => {
    drawLoupe(place);
    ask(Object.assign([...place], { live: looking() }));
  };
  const lookAway = () => {
    looking();
    for (const shape of all("[data-here-mark]", root)) shape.remove();
    if (words()) words().textContent = words().dataset.usual;
    const loupe = one("[data-loupe]", root);
    if (loupe) loupe.hidden = true;
  };
  root.addEventListener("look-at", ({ detail }) => lookAt(detail));

  const light = newestWins(async (query) => {
    const lit = one("[data-lit]", root);
    const next = new Image();
    next.src = page.address(`lit.png?${query}`);
    try {
      await next.decode();
      if (wanted !== query) return;
      lit.src = next.src;
      lit.hidden = false;
      one("[data-veil]", root).style.visibility = "hidden";
    } catch {
      // The next movement asks again.
    }
  });
  let wanted = null;
  const show = (query) => {
    wanted = query;
    if (query !== null) return light(query);
    const lit = one("[data-lit]", root);
    if (lit) lit.hidden = true;
    const veil = one("[data-veil]", root);
    if (veil) veil.style.visibility = "";
  };

  /** Place in an SVG's own coordinates. */
  const within = (svg, event) =>
    new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());

  root.addEventListener("pointermove", (event) => {
    const still = event.target.closest("[data-still]");
    if (still && event.buttons === 0) {
      const box = still.getBoundingClientRect();
      return lookAt([
        Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)),
        Math.min(1, Math.max(0, (event.clientY - box.top) / box.height)),
      ]);
    }
    const chart = event.target.closest("[data-chart]");
    if (chart) {
      const { x, y } = within(one("svg", chart), event);
      if (Math.hypot(x, y) <= 110) show(`x=${x.toFixed(1)}&y=${y.toFixed(1)}`);
      else show(null);
      return;
    }
    const tone = event.target.closest("[data-tone]");
    if (tone) {
      const column = one("rect", tone);
      const { y } = within(one("svg", tone), event);
      const lightness = 100 - (100 * (y - Number(column.getAttribute("y")))) / Number(column.getAttribute("height"));
      if (lightness >= 0 && lightness <= 100) show(`lightness=${lightness.toFixed(1)}`);
      else show(null);
    }
  });
  root.addEventListener("pointerout", (event) => {
    if (event.target.closest("[data-still]") && !event.relatedTarget?.closest?.("[data-still]")) lookAway();
    if (
      event.target.closest("[data-chart], [data-tone]") &&
      !event.relatedTarget?.closest?.("[data-chart], [data-tone]")
    )
      show(null);
  });
  root.addEventListener("focusout", (event) => event.target.closest("[data-chart], [data-tone]") && show(null));

  const cursor = { x: 0, y: 0, lightness: 50 };
  root.addEventListener("keydown", (event) => {
    const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!arrow) return;
    if (event.target.matches("[data-chart]")) {
      event.preventDefault();
      const step = CHART_STEP * (event.shiftKey ? 5 : 1);
      cursor.x = Math.min(100, Math.max(-100, cursor.x + arrow[0] * step));
      cursor.y = Math.min(100, Math.max(-100, cursor.y + arrow[1] * step));
      mark(one("svg", event.target), "circle", { cx: cursor.x, cy: cursor.y, r: 9 });
      show(`x=${cursor.x}&y=${cursor.y}`);
    } else if (event.target.matches("[data-tone]")) {
      event.preventDefault();
      cursor.lightness = Math.min(100, Math.max(0, cursor.lightness - arrow[1] * (event.shiftKey ? 10 : 2)));
      const column = one("rect", event.target);
      const y =
        Number(column.getAttribute("y")) + (Number(column.getAttribute("height")) * (100 - cursor.lightness)) / 100;
      mark(one("svg", event.target), "path", { d: `M0 ${y}H128` });
      show(`lightness=${cursor.lightness}`);
    }
  });
}
