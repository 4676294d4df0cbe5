// The still on Read under pointer, pen, touch and keyboard: patches, outlines, families, points, replacing a colour.

import { all, one, say } from "../lib/common.js";
import { arrowOf, stepped } from "../lib/places.js";

const MIN = 0.01;
const CORNER = 12;
const MAX_OUTLINE = 120;
const TOLERANCE_A_PIXEL = 0.35;
const clamp = (value, low = 0, high = 1) => Math.min(high, Math.max(low, value));

/** Corners of a box as a rectangle's two points. */
const corners = ([x, y, w, h]) => [
  [x, y],
  [x + w, y + h],
];

/** A patch moved by a distance, kept inside the picture. */
function moved(patch, dx, dy) {
  const xs = patch.points.map((p) => p[0]);
  const ys = patch.points.map((p) => p[1]);
  const x = clamp(dx, -Math.min(...xs), 1 - Math.max(...xs));
  const y = clamp(dy, -Math.min(...ys), 1 - Math.max(...ys));
  return { ...patch, points: patch.points.map(([px, py]) => [clamp(px + x), clamp(py + y)]) };
}

/** A patch sized about its middle. */
function sized(patch, factor) {
  const xs = patch.points.map((p) => p[0]);
  const ys = patch.points.map((p) => p[1]);
  const mx = (Math.min(...xs) + Math.max(...xs)) / 2;
  const my = (Math.min(...ys) + Math.max(...ys)) / 2;
  return {
    ...patch,
    points: patch.points.map(([x, y]) => [clamp(mx + (x - mx) * factor), clamp(my + (y - my) * factor)]),
  };
}

/** Every so many points of a drawn line, so that an outline stays small. */
function thinned(points) {
  const step = Math.max(1, Math.ceil(points.length / MAX_OUTLINE));
  return points.filter((_, index) => index % step === 0);
}

export function connectStill(page) {
  const { root } = page;
  const still = () => one("[data-still]", root);
  const copy = () => structuredClone(page.document);
  const leaveOut = () => one("[data-leave-out]", root).checked;
  const placeOf = (event) => {
    const box = still().getBoundingClientRect();
    return [clamp((event.clientX - box.left) / box.width), clamp((event.clientY - box.top) / box.height)];
  };

  /** Follow a pointer until it is lifted; `move` and `end` get places, `end` also whether it moved at all. */
  const follow = (event, move, end) => {
    const area = still();
    area.setPointerCapture(event.pointerId);
    let travelled = 0;
    const onMove = (at) => {
      travelled = Math.max(travelled, Math.hypot(at.clientX - event.clientX, at.clientY - event.clientY));
      move(placeOf(at), at);
    };
    const stop = (at) => {
      area.removeEventListener("pointermove", onMove);
      area.removeEventListener("pointerup", stop);
      area.removeEventListener("pointercancel", stop);
      end(placeOf(at), travelled > 3);
    };
    area.addEventListener("pointermove", onMove);
    area.addEventListener("pointerup", stop);
    area.addEventListener("pointercancel", stop);
  };

  const draw = (points, closed) => {
    for (const line of all("[data-drawing]", root)) {
      line.removeAttribute("hidden");
      line.setAttribute(
        "points",
        [...points, ...(closed ? [points[0]] : [])].map(([x, y]) => `${x * 100},${y * 100}`).join(" "),
      );
    }
  };
  const showPatch = (index, patch) => {
    const group = one(`[data-patch="${index}"]`, root);
    for (const shape of group.children) {
      if (patch.kind === "rectangle") {
        const [[x0, y0], [x1, y1]] = patch.points;
        for (const [name, value] of Object.entries({ x: x0, y: y0, width: x1 - x0, height: y1 - y0 }))
          shape.setAttribute(name, String(100 * value));
      } else shape.setAttribute("points", patch.points.map(([x, y]) => `${x * 100},${y * 100}`).join(" "));
    }
  };
  const withPatch = (index, patch) => {
    const next = copy();
    next.patches[index] = patch;
    return next;
  };
  const inside = (patch, [x, y]) => {
    const xs = patch.points.map((p) => p[0]);
    const ys = patch.points.map((p) => p[1]);
    return x >= Math.min(...xs) && x <= Math.max(...xs) && y >= Math.min(...ys) && y <= Math.max(...ys);
  };

  const grabPatch = (event, from) => {
    const box = still().getBoundingClientRect();
    const index = page.document.patches.findLastIndex((patch) => inside(patch, from));
    if (index < 0) return false;
    const patch = page.document.patches[index];
    let next = patch;
    const grabbed = patch.kind === "rectangle" ? cornerAt(patch, from, box) : null;
    const move = (to) => {
      if (grabbed) {
        const other = [patch.points[1 - grabbed[0]][0], patch.points[1 - grabbed[1]][1]];
        const xs = [other[0], to[0]].sort((a, b) => a - b);
        const ys = [other[1], to[1]].sort((a, b) => a - b);
        if (xs[1] - xs[0] < MIN || ys[1] - ys[0] < MIN) return;
        next = {
          ...patch,
          points: [
            [xs[0], ys[0]],
            [xs[1], ys[1]],
          ],
        };
      } else next = moved(patch, to[0] - from[0], to[1] - from[1]);
      showPatch(index, next);
      page.draft(withPatch(index, next));
    };
    follow(event, move, (_, travelled) =>
      travelled ? page.keep(withPatch(index, next)) : one(`[data-patch="${index}"]`, root)?.focus(),
    );
    return true;
  };
  const cornerAt = (patch, [x, y], box) => {
    const near = (a, b, size) => Math.abs(a - b) * size < CORNER;
    const column = patch.points.findIndex((p) => near(p[0], x, box.width));
    const row = patch.points.findIndex((p) => near(p[1], y, box.height));
    return column >= 0 && row >= 0 ? [column, row] : null;
  };

  const drawPatch = (event, from) => {
    const outline = page.tool === "outline";
    const points = [from];
    const made = () => {
      if (outline) return { kind: "outline", points: thinned(points), leave_out: leaveOut() };
      const [a, b] = [from, points.at(-1)];
      return {
        kind: "rectangle",
        points: [
          [Math.min(a[0], b[0]), Math.min(a[1], b[1])],
          [Math.max(a[0], b[0]), Math.max(a[1], b[1])],
        ],
        leave_out: leaveOut(),
      };
    };
    const enough = (patch) => {
      const xs = patch.points.map((p) => p[0]);
      const ys = patch.points.map((p) => p[1]);
      return (
        patch.points.length >= (outline ? 3 : 2) &&
        Math.max(...xs) - Math.min(...xs) > MIN &&
        Math.max(...ys) - Math.min(...ys) > MIN
      );
    };
    follow(
      event,
      (to) => {
        points.push(to);
        const patch = made();
        const shown = outline
          ? points
          : [
              patch.points[0],
              [patch.points[1][0], patch.points[0][1]],
              patch.points[1],
              [patch.points[0][0], patch.points[1][1]],
            ];
        draw(shown, true);
        if (enough(patch)) page.draft({ ...copy(), patches: [...page.document.patches, patch] });
      },
      (_, travelled) => {
        for (const line of all("[data-drawing]", root)) line.setAttribute("hidden", "");
        const patch = made();
        if (travelled && enough(patch)) page.keep({ ...copy(), patches: [...page.document.patches, patch] });
      },
    );
  };

  /** Picking adds a family; dragging on from there to the right widens its tolerance. */
  const addFamily = async (place, event) => {
    const asked = page.pick(place);
    const family = { colour: null, tolerance: 30 };
    let lifted = !event;
    const next = () => ({ ...copy(), families: [...page.document.families, { ...family }] });
    if (event) {
      const move = (_, at) => {
        family.tolerance = clamp(Math.round(30 + (at.clientX - event.clientX) * TOLERANCE_A_PIXEL), 0, 100);
        one("[data-here]", root).textContent = `Tolerance ${family.tolerance}: drag to the right for more`;
        if (family.colour) page.draft(next());
      };
      follow(event, move, () => {
        lifted = true;
        if (family.colour) page.keep(next());
      });
    }
    try {
      family.colour = (await asked).colour;
      if (lifted) page.keep(next());
      else page.draft(next());
    } catch (error) {
      say(error.message);
    }
  };
  const addPoint = ([x, y]) => {
    const next = copy();
    next.points.push({ kind: "free", x, y, radius: 0.01 });
    page.keep(next);
  };
  const replace = (place) => {
    const index = page.replacing;
    page.replacing = null;
    page.edit({ do: "replace", index, place });
  };

  /** A proposed point becomes placed where it is put; a placed one moves. */
  const withPoint = (marker, x, y) => {
    const next = copy();
    const { number, kind } = marker.dataset;
    if (number === "") next.points.push({ kind, x, y, radius: 0.01 });
    else Object.assign(next.points[Number(number)], { x, y });
    return next;
  };
  const dragPoint = (event, marker) => {
    let place = null;
    follow(
      event,
      (to) => {
        place = to;
        marker.style.left = `${to[0] * 100}%`;
        marker.style.top = `${to[1] * 100}%`;
        page.draft(withPoint(marker, ...to));
      },
      (_, travelled) => (travelled && place ? page.keep(withPoint(marker, ...place)) : marker.focus()),
    );
  };

  root.addEventListener("pointerdown", (event) => {
    if (!event.target.closest("[data-still]") || event.button !== 0) return;
    const marker = event.target.closest("[data-point]");
    if (marker) {
      event.preventDefault();
      return dragPoint(event, marker);
    }
    act(placeOf(event), event);
  });
  const act = (place, event) => {
    if (page.replacing !== null) return replace(place);
    if (page.tool === "family") return addFamily(place, event);
    if (page.tool === "points") return addPoint(place);
    if (event) return grabPatch(event, place) || drawPatch(event, place);
    addInMiddle(place);
  };
  const addInMiddle = ([x, y] = [0.5, 0.5]) => {
    if (page.tool === "family") return addFamily([x, y]);
    if (page.tool === "points") return addPoint([x, y]);
    const half = 0.15;
    const [mx, my] = [clamp(x, half, 1 - half), clamp(y, half, 1 - half)];
    const ring = Array.from({ length: 16 }, (_, i) => [
      mx + half * Math.cos((i * Math.PI) / 8),
      my + half * Math.sin((i * Math.PI) / 8),
    ]);
    const patch =
      page.tool === "outline"
        ? { kind: "outline", points: ring }
        : { kind: "rectangle", points: corners([mx - half, my - half, 2 * half, 2 * half]) };
    page.keep({ ...copy(), patches: [...page.document.patches, { ...patch, leave_out: leaveOut() }] });
  };
  root.addEventListener("click", (event) => event.target.closest("[data-add-middle]") && addInMiddle());

  const cross = { x: 0.5, y: 0.5 };
  let settling = null;
  const keepSoon = (document, focus) => {
    page.document = document;
    page.draft(document);
    clearTimeout(settling);
    settling = setTimeout(async () => {
      await page.keep(document);
      one(focus, root)?.focus();
    }, 400);
  };
  root.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey) return;
    const step = (event.shiftKey ? 0.1 : 0.01) * (event.altKey ? 0.1 : 1);
    const arrow = arrowOf(event.key);
    const patch = event.target.closest("[data-patch]");
    const marker = event.target.closest("[data-point]");
    const done = () => {
      event.preventDefault();
      event.stopPropagation();
    };
    if (patch) {
      const index = Number(patch.dataset.patch);
      const now = page.document.patches[index];
      if (event.key === "Delete" || event.key === "Backspace") {
        done();
        const next = copy();
        next.patches.splice(index, 1);
        return page.keep(next);
      }
      const next = arrow
        ? moved(now, arrow[0] * step, arrow[1] * step)
        : event.key === "+"
          ? sized(now, 1.1)
          : event.key === "-"
            ? sized(now, 1 / 1.1)
            : null;
      if (!next) return;
      done();
      showPatch(index, next);
      keepSoon(withPatch(index, next), `[data-patch="${index}"]`);
    } else if (marker) {
      if ((event.key === "Delete" || event.key === "Backspace") && marker.dataset.number !== "") {
        done();
        const next = copy();
        next.points.splice(Number(marker.dataset.number), 1);
        return page.keep(next);
      }
      if (!arrow) return;
      done();
      const x = clamp(Number(marker.dataset.x) / 100 + arrow[0] * step);
      const y = clamp(Number(marker.dataset.y) / 100 + arrow[1] * step);
      Object.assign(marker.dataset, { x: x * 100, y: y * 100 });
      Object.assign(marker.style, { left: `${x * 100}%`, top: `${y * 100}%` });
      const next = withPoint(marker, x, y);
      if (marker.dataset.number === "") marker.dataset.number = String(next.points.length - 1);
      keepSoon(next, `[data-point="${marker.dataset.point}"]`);
    } else if (event.target.matches("[data-still]")) {
      if (arrow) {
        done();
        Object.assign(cross, stepped(cross, arrow, step));
        const shown = one("[data-cross]", root);
        shown.hidden = false;
        Object.assign(shown.style, { left: `calc(${cross.x * 100}% - 12px)`, top: `calc(${cross.y * 100}% - 12px)` });
        root.dispatchEvent(new CustomEvent("look-at", { detail: [cross.x, cross.y] }));
      } else if (event.key === "Enter") {
        done();
        act([cross.x, cross.y], null);
      }
    }
  });
}
