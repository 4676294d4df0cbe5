// Areas on the picture: shapes with handles that are dragged, or moved by arrow keys. Places are shares of the uncut
// frame as its file holds it; where they are seen is told by the application: what a lens did, and a matrix.

import { meant } from "../lib/near.js";
import { connectBrush } from "./brush.js";
import { one } from "../lib/common.js";
import { follow } from "../lib/following.js";
import { ellipse, inverse, shifted, through } from "../lib/places.js";
import { HANDLES, kept } from "./shape_handles.js";
import { drawn } from "../lib/svg.js";

const STEP = 0.005; // of the width or height, for an arrow key
const SETTLE = 400;

/** Let a page with a sheet show and change the shapes of its chosen area. */
export function connectAreas(page) {
  const { root } = page;
  const svg = one("[data-shapes]", root);
  const plate = one("[data-plate]", root);
  let settling = null;
  let placed = JSON.parse(one("[data-facts]", root).textContent).placed;
  const size = () => placed.original;
  /** @returns {[number, number]} */
  const toPlate = (place) => {
    const straight = placed.lens ? shifted(placed.lens.there, place) : place;
    const [x, y] = through(placed.seen, straight);
    return [x * svg.clientWidth, y * svg.clientHeight];
  };
  const toFrame = (event) => {
    const box = plate.getBoundingClientRect();
    const straight = through(inverse(placed.seen), [
      (event.clientX - box.left) / box.width,
      (event.clientY - box.top) / box.height,
    ]);
    return placed.lens ? shifted(placed.lens.back, straight) : straight;
  };
  const parts = () => page.document.areas?.[page.area]?.area.parts ?? [];
  const width = () => placed.width;
  const brush = connectBrush(page, { plate, svg, size, width, toFrame, toPlate, parts });
  const rest = (delay) => {
    clearTimeout(settling);
    settling = setTimeout(() => {
      page.$dispatch("show-while", "");
      page.commit();
    }, delay);
  };
  const path = (points) => `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L")}`;
  const twice = (d, dashed) => {
    const lines = [
      drawn("path", { d, class: "edge-dark" }),
      drawn("path", { d, class: dashed ? "edge-light edge-out" : "edge-light" }),
    ];
    svg.append(...lines);
  };

  const shapes = {
    round(part) {
      const edge = Math.max(...size());
      const line = (scale) => ellipse(part, size(), edge, scale).map(toPlate);
      twice(`${path(line(1))}Z`);
      if (part.soft) twice(`${path(line(1 + part.soft / 100))}Z`, true);
    },
    straight(part) {
      const [from, to] = [toPlate([part.x, part.y]), toPlate([part.end_x, part.end_y])];
      const run = [to[0] - from[0], to[1] - from[1]];
      const length = Math.max(1, Math.hypot(...run));
      const side = [(-run[1] / length) * 4000, (run[0] / length) * 4000];
      const across = ([x, y]) =>
        path([
          [x - side[0], y - side[1]],
          [x + side[0], y + side[1]],
        ]);
      twice(across(from));
      twice(across(to), true);
      twice(path([from, to]), true);
    },
  };
  const figure = {
    circle: () => drawn("circle", { r: 6 }),
    square: () => drawn("rect", { x: -5, y: -5, width: 10, height: 10 }),
    diamond: () => drawn("path", { d: "M0 -7L7 0L0 7L-7 0Z" }),
  };

  /** Draw the shapes of the chosen area anew. */
  page.drawShapes = () => {
    const focus = document.activeElement?.closest?.("[data-shapes] [data-shape-handle]")?.dataset.shapeHandle;
    svg.replaceChildren();
    brush.ready();
    if (page.cutting) return;
    const shown = page.picking === "spot" ? page.document.spots : page.document.spots?.slice(page.spot, page.spot + 1);
    for (const { x, y, radius } of shown ?? []) {
      const ring = { x, y, across: radius, down: radius, turn: 0 };
      twice(`${path(ellipse(ring, size(), Math.max(...size()), 1).map(toPlate))}Z`);
    }
    parts().forEach((part, index) => {
      if (part.x === undefined) return; // it has no place before the application has given it one
      const { outline } = page.kinds[part.kind];
      shapes[outline]?.(part);
      for (const [name, words, shape, place] of HANDLES[outline]?.(part, size()) ?? []) {
        const [x, y] = toPlate(place);
        const handle = drawn("g", {
          transform: `translate(${x.toFixed(1)} ${y.toFixed(1)})`,
          class: "shape-handle",
          tabindex: 0,
          role: "button",
          "aria-label": `${words} of the ${part.kind}: drag, or arrow keys`,
          "data-shape-handle": `${index}.${name}`,
        });
        handle.append(figure[shape]());
        svg.append(handle);
      }
    });
    if (focus) one(`[data-shape-handle="${focus}"]`, svg)?.focus();
  };

  const change = (index, name, place) => {
    const part = parts()[index];
    const handle = HANDLES[page.kinds[part.kind].outline](part, size()).find(([own]) => own === name);
    Object.assign(part, kept(handle[4](place)));
    page.drawShapes();
    page.$dispatch("show-while", "where");
    page.draft({});
  };

  const drag = (event, handle) => {
    const [index, name] = handle.dataset.shapeHandle.split(".");
    event.preventDefault();
    handle.focus();
    page.moved = true;
    const move = (at) => change(Number(index), name, toFrame(at));
    follow(move, () => rest(60));
  };

  plate.addEventListener("pointerdown", (event) => {
    if (event.button !== 0 || page.area === null || page.picking) return;
    const handle = meant(event, "[data-shape-handle]", svg);
    if (handle) drag(event, handle);
    else if (brush.of() !== null) brush.stroke(event);
  });
  svg.addEventListener("keydown", (event) => {
    const handle = event.target.closest("[data-shape-handle]");
    const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!handle || !arrow || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    const [index, name] = handle.dataset.shapeHandle.split(".");
    const part = parts()[Number(index)];
    const [, , , place] = HANDLES[page.kinds[part.kind].outline](part, size()).find(([own]) => own === name);
    const step = STEP * (event.shiftKey ? 10 : 1) * (event.altKey ? 0.1 : 1);
    change(Number(index), name, [place[0] + arrow[0] * step, place[1] + arrow[1] * step]);
    rest(SETTLE);
  });
  window.addEventListener("pictures", ({ detail }) => {
    if (!detail.placed) return;
    placed = detail.placed;
    requestAnimationFrame(() => page.drawShapes());
  });
  new ResizeObserver(() => page.drawShapes()).observe(plate);
  page.drawShapes();
}
