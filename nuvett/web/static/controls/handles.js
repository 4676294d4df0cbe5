// Handles of the instruments: marks of the tone column, points of curves, tints and moves on the colour chart, greys,
// and ribbons of the pairing. What a place means for the look or trim is worked out by the application.

import { all, one } from "../lib/common.js";
import { follow } from "../lib/following.js";
import { meant } from "../lib/near.js";

const SETTLE = 400;
const ENDS = new Set(["0", "6"]);

export function connectHandles(page) {
  const { root } = page;
  const within = (svg, event) =>
    new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  let settling = null;
  let dragging = false;

  /** Ask for the look with a handle elsewhere; keep it when the handle comes to rest. */
  const send = (handle, x, y, lab = null) => page.draft({ proofs: false, drag: { handle, x, y, lab } });
  const rest = (delay) => {
    clearTimeout(settling);
    settling = setTimeout(async () => {
      if (dragging) return;
      page.$dispatch("show-while", "");
      await page.draft.settled(); // the look that the last movement gave must be there before it is kept
      page.commit();
    }, delay);
  };

  /** Follow the pointer from an element that outlives the handles within it. */
  const followed = (event, holder, where, handle) => {
    event.preventDefault();
    document.activeElement?.blur?.(); // a value that still had the focus would take the next key
    (event.target.closest("[tabindex]") ?? meant(event, "svg [tabindex]", root))?.focus();
    dragging = true;
    const move = (at) => {
      const place = where(at);
      if (place) send(handle, ...place);
      if (ENDS.has(handle.split(".")[1]) && handle.startsWith("share.")) page.$dispatch("show-while", "clipping");
    };
    follow(move, () => {
      dragging = false;
      rest(60);
    });
  };

  const lightnessAt = (svg) => (event) => {
    const scale = one("[data-scale]", svg);
    const { y } = within(svg, event);
    const lightness = 100 - (100 * (y - Number(scale.getAttribute("y")))) / Number(scale.getAttribute("height"));
    return Math.min(100, Math.max(0, lightness));
  };
  const curveAt = (event) => {
    const { x, y } = within(one("[data-slot-place] [data-curve]", root), event);
    return [Math.min(100, Math.max(0, x)), Math.min(100, Math.max(0, 100 - y))];
  };
  const chartAt = (event) => {
    const { x, y } = within(one("[data-slot-place] [data-field-of-colours]", root), event);
    return [x, y];
  };

  /** Drag a stop of a wash, or put one there. */
  const dragStop = (bar, event) => {
    const stop = event.target.closest("[data-stop]");
    const { layers } = page.scope().wash;
    const index = stop ? Number(stop.dataset.stop) : layers[bar.dataset.stops].stops.length;
    const at = (moved) => {
      const { x } = within(bar, moved);
      stop?.setAttribute("x", String(Math.min(100, Math.max(0, x)) - 1.6)); // the sheet follows when it rests
      return [Math.min(100, Math.max(0, x)), 0];
    };
    const handle = `stop.${bar.dataset.stops}.${index}`;
    if (stop) return followed(event, root, at, handle);
    send(handle, ...at(event));
    return rest(60);
  };

  root.addEventListener("pointerdown", (event) => {
    if (event.button !== 0 || !event.target.closest("svg")) return;
    const mine = (selector) => meant(event, `[data-slot-place] ${selector}`, root);
    const share = mine("[data-share]");
    if (share) {
      const index = Number(share.dataset.share);
      const toneAt = lightnessAt(share.closest("svg"));
      return followed(event, root, (at) => [index, toneAt(at)], `share.${index}`);
    }
    const grey = mine("[data-grey]");
    if (grey) {
      const lab = JSON.parse(grey.dataset.lab);
      const greyAt = lightnessAt(grey.closest("svg"));
      return followed(event, root, (at) => [0, greyAt(at), lab], "grey");
    }
    const bar = event.target.closest("[data-stops]");
    if (bar) return dragStop(bar, event);
    const field = event.target.closest("[data-curve]");
    if (field) {
      const point = mine(`[data-of="${page.channel}"] [data-point]`);
      const count = page.scope().curve[page.channel].length;
      const handle = `curve.${page.channel}.${point ? point.dataset.point : count}`;
      if (!point) {
        // A new point; from then on it is the one nearest to where it was put.
        const [x, y] = curveAt(event);
        send(handle, x, y);
        const index = page.scope().curve[page.channel].filter(([at]) => at < x).length;
        return followed(event, root, curveAt, `curve.${page.channel}.${index}`);
      }
      return followed(event, root, curveAt, handle);
    }
    if (page.picking === "hue" && event.target.closest("[data-slot-place] [data-field-of-colours]")) {
      page.endPicking();
      send("band.new", ...chartAt(event));
      return rest(60);
    }
    const handle = mine("[data-handle]");
    if (handle) followed(event, root, chartAt, handle.dataset.handle);
  });

  /** What a handle is called, by the element that is one. */
  const called = ({ dataset }) => {
    if (dataset.share !== undefined) return `share.${dataset.share}`;
    if (dataset.point !== undefined) return `curve.${page.channel}.${dataset.point}`;
    return dataset.handle ?? "grey";
  };
  root.addEventListener("dblclick", async (event) => {
    if (!event.target.closest("[data-slot-place] svg")) return;
    const handle = meant(event, "[data-slot-place] :is([data-share], [data-point], [data-handle], [data-grey])", root);
    if (!handle) return;
    event.preventDefault();
    page.draft({ proofs: false, drag: { handle: called(handle), x: 0, y: 0, reset: true } });
    await page.draft.settled();
    page.commit();
  });

  root.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey) return;
    const arrow = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    const step = (event.shiftKey ? 10 : 1) * (event.altKey ? 0.1 : 1);
    const share = event.target.closest("[data-share]");
    const grey = event.target.closest("[data-grey]");
    const point = event.target.closest("[data-point]");
    const handle = event.target.closest("[data-handle]");
    const ribbon = event.target.closest("[data-ribbon]");
    const stop = event.target.closest("[data-stop]");
    const done = () => {
      event.preventDefault();
      event.stopPropagation();
    };
    if (share && arrow) {
      done();
      const value = Number(share.dataset.value) + (arrow[0] + arrow[1]) * step;
      share.dataset.value = value;
      send(`share.${share.dataset.share}`, Number(share.dataset.share), value);
      rest(SETTLE);
    } else if (grey && arrow) {
      done();
      const value = Number(grey.dataset.value) + (arrow[0] + arrow[1]) * step;
      grey.dataset.value = value;
      send("grey", 0, value, JSON.parse(grey.dataset.lab));
      rest(SETTLE);
    } else if (point && arrow) {
      done();
      const x = Number(point.dataset.x) + arrow[0] * step;
      const y = Number(point.dataset.y) + arrow[1] * step;
      Object.assign(point.dataset, { x, y });
      send(`curve.${page.channel}.${point.dataset.point}`, x, y);
      rest(SETTLE);
    } else if (point && (event.key === "Delete" || event.key === "Backspace")) {
      done();
      if (page.scope().curve[page.channel].length > 2)
        page.scope().curve[page.channel].splice(Number(point.dataset.point), 1);
      page.commit();
    } else if (handle && arrow) {
      done();
      const x = Number(handle.dataset.x) + arrow[0] * step;
      const y = Number(handle.dataset.y) - arrow[1] * step;
      Object.assign(handle.dataset, { x, y });
      send(handle.dataset.handle, x, y);
      rest(SETTLE);
    } else if (stop && arrow) {
      done();
      const value = Number(stop.dataset.value) + (arrow[0] + arrow[1]) * step;
      stop.dataset.value = value;
      send(`stop.${stop.closest("[data-stops]").dataset.stops}.${stop.dataset.stop}`, value, 0);
      rest(SETTLE);
    } else if (ribbon && (event.key === "Enter" || event.key === " ")) {
      done();
      openRibbon(ribbon);
    }
  });

  const openRibbon = (ribbon) => {
    for (const slip of all("[data-ribbon-slip]", root))
      slip.hidden = slip.dataset.ribbonSlip !== ribbon.dataset.ribbon || !slip.hidden;
    one(`[data-ribbon-slip="${ribbon.dataset.ribbon}"]:not([hidden]) button`, root)?.focus();
  };
  const pin = (slip, change) => {
    const source = JSON.parse(slip.dataset.lab);
    const near = (other) => Math.hypot(...other.source.map((v, i) => v - source[i])) < 0.02;
    const others = page.scope().moves.pins.filter((other) => !near(other));
    page.scope().moves.pins = change ? [...others, { source, to: null, amount: 100, ...change }] : others;
    page.commit();
  };
  root.addEventListener("click", (event) => {
    const ribbon = event.target.closest("[data-ribbon]");
    if (ribbon) return openRibbon(ribbon);
    const slip = event.target.closest("[data-ribbon-slip]");
    const amount = event.target.closest("[data-pin]");
    if (amount) return pin(slip, { amount: Number(amount.dataset.pin) });
    if (event.target.closest("[data-unpin]")) return pin(slip, null);
    const adding = event.target.closest("[data-add-point]");
    if (adding) {
      const points = page.scope().curve[adding.dataset.addPoint];
      const gaps = points.slice(1).map((p, i) => p[0] - points[i][0]);
      const widest = gaps.indexOf(Math.max(...gaps));
      const middle = [0, 1].map((i) => (points[widest][i] + points[widest + 1][i]) / 2);
      points.splice(widest + 1, 0, middle);
      page.commit();
    }
  });
  root.addEventListener("change", (event) => {
    if (!event.target.matches("[data-redirect]") || event.target.value === "") return;
    pin(event.target.closest("[data-ribbon-slip]"), { to: JSON.parse(event.target.value) });
  });
}
