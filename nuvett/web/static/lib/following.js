// Following a pointer from where it went down until it is let go, also outside the element and when it is lost.

const OVER = ["pointerup", "pointercancel"];

/**
 * Call `move` for every movement of the pointer, and `end` once when it is let go.
 *
 * @param {(at: PointerEvent) => void} move
 * @param {(at: PointerEvent) => void} end
 */
export function follow(move, end) {
  /** @param {PointerEvent} at */
  const over = (at) => {
    document.removeEventListener("pointermove", move);
    for (const kind of OVER) document.removeEventListener(/** @type {"pointerup"} */ (kind), over);
    end(at);
  };
  document.addEventListener("pointermove", move);
  for (const kind of OVER) document.addEventListener(/** @type {"pointerup"} */ (kind), over);
}
