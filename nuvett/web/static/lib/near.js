// Handles are met by whoever comes near: what is drawn small is hit on at least 24 pixels. Nothing here draws.

export const REACH = 12;

/** How far a point lies outside a box, in pixels; 0 inside. */
export function distanceTo({ left, right, top, bottom }, { x, y }) {
  return Math.hypot(Math.max(left - x, 0, x - right), Math.max(top - y, 0, y - bottom));
}

/**
 * The element that a pointer means: the one under it, else the nearest one within reach.
 *
 * @param {{ target: any, clientX: number, clientY: number }} event
 * @param {string} selector @param {any} root where others are looked for
 */
export function meant(event, selector, root) {
  const under = event.target.closest(selector);
  if (under) return under;
  const place = { x: event.clientX, y: event.clientY };
  const near = [...root.querySelectorAll(selector)]
    .map((element) => {
      const box = element.getBoundingClientRect();
      const middle = Math.hypot((box.left + box.right) / 2 - place.x, (box.top + box.bottom) / 2 - place.y);
      return { element, away: Math.min(distanceTo(box, place) + 4, middle), seen: box.width > 0 };
    })
    .filter(({ away, seen }) => seen && away <= REACH);
  return near.sort((a, b) => a.away - b.away)[0]?.element ?? null;
}
