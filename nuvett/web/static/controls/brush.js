// The brush: strokes by mouse, pen or finger, with the pressure of a pen; or by arrow keys, begun and laid down by
// Enter.

import { one } from "../lib/common.js";
import { boxOf } from "../lib/places.js";
import { drawn } from "../lib/svg.js";

const MAX_POINTS = 2000; // after which a stroke is laid down and the next one goes on
const APART = 0.2; // of the radius: points of a stroke that lie nearer are left out
const LIGHTEST = 0.25; // share of its radius that a pen without pressure has, as the application draws it
const STEP = 0.01; // of the width or height, for an arrow key

const BRUSH_WORDS = {
  tabindex: "0",
  role: "application",
  "aria-label": "Brush: arrow keys move it, Enter begins a stroke and lays it down",
};

/**
 * Let strokes be laid down in the brush of the chosen area.
 *
 * page : with `brush`, `area` and `picking`
 * tools : the plate and its drawing, and how places lead from one to the other
 */
export function connectBrush(page, { plate, svg, size, width, toFrame, toPlate, parts }) {
  const ring = one("[data-brush-ring]", page.root);
  page.brush = { radius: 4, hardness: 30, flow: 100, erases: false };
  let cursor = [0.5, 0.5];
  let drawing = null; // the stroke that arrow keys are drawing

  /** The part that strokes go to, none where there is no brush. */
  const of = () => {
    if (page.area === null || page.picking || page.cutting) return null;
    return parts().findLast(({ kind }) => page.kinds[kind].begins === "brushed") ?? null;
  };
  const pixels = () => ((page.brush.radius / 100) * Math.max(...size()) * svg.clientWidth) / width();
  const rounded = (point) => point.map((value) => Math.round(value * 1e4) / 1e4);

  const begin = () => {
    let points = [];
    const lay = () => {
      const part = of();
      // A brush that the application has not answered yet holds no strokes, not even none.
      if (part && points.length) (part.strokes ??= []).push({ points, ...page.brush });
      points = [];
    };
    const add = ([x, y], pressure) => {
      const box = boxOf(size(), page.brush.radius);
      const last = points.at(-1);
      if (last && Math.hypot((x - last[0]) / box[0], (y - last[1]) / box[1]) < APART) return;
      points.push(rounded([x, y, pressure]));
      const [cx, cy] = toPlate([x, y]);
      const radius = pixels() * (LIGHTEST + (1 - LIGHTEST) * pressure);
      svg.append(drawn("circle", { cx, cy, r: radius, class: "stroke-mark" }));
      if (points.length < MAX_POINTS) return;
      const end = points.at(-1);
      lay();
      points = [end];
    };
    return { add, lay };
  };

  /** Lay a stroke down; a pen that is lost leaves what it has drawn. */
  const stroke = (event) => {
    event.preventDefault();
    document.activeElement?.blur?.();
    const { add, lay } = begin();
    const point = (at) => add(toFrame(at), at.pointerType === "pen" ? Math.max(0.05, at.pressure) : 1);
    const move = (at) => {
      if (at.pointerId !== event.pointerId) return;
      const between = at.getCoalescedEvents?.() ?? [];
      for (const each of between.length ? between : [at]) point(each);
    };
    const end = (at) => {
      if (at.pointerId !== undefined && at.pointerId !== event.pointerId) return;
      plate.removeEventListener("pointermove", move);
      for (const kind of ["pointerup", "pointercancel", "lostpointercapture"]) plate.removeEventListener(kind, end);
      window.removeEventListener("blur", end);
      lay();
      page.commit();
    };
    try {
      plate.setPointerCapture(event.pointerId);
    } catch {
      // A pen that is gone already: what it has drawn stays.
    }
    plate.addEventListener("pointermove", move);
    for (const kind of ["pointerup", "pointercancel", "lostpointercapture"]) plate.addEventListener(kind, end);
    window.addEventListener("blur", end);
    point(event);
  };

  const showRing = ([x, y]) => {
    const radius = pixels();
    Object.assign(ring.style, {
      left: `${x - radius}px`,
      top: `${y - radius}px`,
      width: `${2 * radius}px`,
      height: `${2 * radius}px`,
    });
    ring.hidden = false;
  };
  plate.addEventListener("pointermove", (event) => {
    if (of() === null) return (ring.hidden = true);
    const box = plate.getBoundingClientRect();
    return showRing([event.clientX - box.left, event.clientY - box.top]);
  });
  plate.addEventListener("pointerleave", () => (ring.hidden = true));

  svg.addEventListener("focus", () => of() && showRing(toPlate(cursor)));
  svg.addEventListener("blur", () => (ring.hidden = true));
  svg.addEventListener("keydown", (event) => {
    if (event.target !== svg || of() === null || event.ctrlKey || event.metaKey) return;
    const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (!arrow && event.key !== "Enter") return;
    event.preventDefault();
    event.stopPropagation();
    if (arrow) {
      const step = STEP * (event.shiftKey ? 5 : 1) * (event.altKey ? 0.1 : 1);
      cursor = cursor.map((value, i) => Math.min(1, Math.max(0, value + arrow[i] * step)));
      showRing(toPlate(cursor));
      drawing?.add(cursor, 1);
    } else if (drawing) {
      drawing.lay();
      drawing = null;
      page.commit();
    } else {
      drawing = begin();
      drawing.add(cursor, 1);
    }
  });

  /** A part rendered anew has the brush as it begins: say what it is. */
  const told = () => {
    for (const value of page.root.querySelectorAll('[role="slider"][data-name^="brush."]')) {
      const own = page.brush[value.dataset.name.slice(6)];
      if (Number(value.dataset.value) !== own) value.dispatchEvent(new CustomEvent("set-live", { detail: own }));
    }
  };

  /** Let the drawing take strokes, or not. */
  const ready = () => {
    requestAnimationFrame(told);
    const brushing = of() !== null;
    svg.toggleAttribute("data-brushing", brushing);
    for (const [name, text] of Object.entries(BRUSH_WORDS)) {
      if (brushing) svg.setAttribute(name, text);
      else svg.removeAttribute(name);
    }
  };
  /** Change the brush by a key. */
  page.brushBy = (name, by) => {
    const value = one(`[data-name="brush.${name}"]`, page.root);
    const step = name === "radius" ? Math.max(0.2, page.brush.radius * 0.15) : 10;
    value?.dispatchEvent(new CustomEvent("set-live", { detail: page.brush[name] + by * step }));
    if (svg.contains(document.activeElement)) showRing(toPlate(cursor));
  };
  return { of, stroke, ready };
}
