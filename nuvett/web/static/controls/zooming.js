// Zooming the picture about the pointer: by the wheel, by two fingers, by a double click.

import { nextScale, placeUnder } from "../lib/views.js";

const NOTCH = 60; // of wheel movement, in pixels, that leads to the next scale
const SPREAD = 1.3; // ratio of two fingers' distance that leads to the next scale
const REST = 250; // ms without movement after which a wheel counts anew

/** What is under a pointer: its place in the picture in shares, and its offset from the middle of the mat in pixels. */
function under(viewer, mat, event) {
  const box = mat.getBoundingClientRect();
  const offset = { x: event.clientX - box.x - box.width / 2, y: event.clientY - box.y - box.height / 2 };
  return [placeUnder(offset, box, viewer.placed, viewer.centre, viewer.zoom), offset];
}

/** @param {any} viewer @param {any} mat */
export function listenToZoom(viewer, mat) {
  let turned = 0;
  let last = 0;
  const step = (event, inward) => {
    const scale = nextScale(viewer.zoom, inward);
    if (scale !== viewer.zoom) viewer.zoomTo(scale, under(viewer, mat, event));
  };
  mat.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      if (event.timeStamp - last > REST || Math.sign(turned) !== Math.sign(event.deltaY)) turned = 0;
      last = event.timeStamp;
      turned += event.deltaMode === 0 && !event.ctrlKey ? event.deltaY : event.deltaY * 20;
      if (Math.abs(turned) < NOTCH) return;
      step(event, turned < 0);
      turned = 0;
    },
    { passive: false },
  );
  mat.addEventListener("dblclick", (event) => {
    if (event.target.closest("button, [data-shape], [data-handle]") || mat.closest("[data-picking-now]")) return;
    viewer.zoomTo(viewer.zoom ? 0 : 1, under(viewer, mat, event));
  });
  /** @type {Map<number, PointerEvent>} */
  const fingers = new Map();
  let began = 0;
  const apart = () => {
    const [a, b] = [...fingers.values()];
    return Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
  };
  mat.addEventListener("pointerdown", (event) => {
    if (event.pointerType !== "touch") return;
    fingers.set(event.pointerId, event);
    if (fingers.size === 2) began = apart();
  });
  mat.addEventListener("pointermove", (event) => {
    if (!fingers.has(event.pointerId)) return;
    fingers.set(event.pointerId, event);
    if (fingers.size !== 2 || !began) return;
    const ratio = apart() / began;
    if (ratio < SPREAD && ratio > 1 / SPREAD) return;
    step(event, ratio > 1);
    began = apart();
  });
  for (const end of ["pointerup", "pointercancel", "pointerleave"])
    mat.addEventListener(end, (event) => fingers.delete(event.pointerId));
}
