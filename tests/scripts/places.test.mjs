// What shapes on the picture work out: places through a matrix, ellipses, and what handles make of them.

import assert from "node:assert/strict";
import { test } from "node:test";
import { arrowOf, boxOf, ellipse, inverse, shifted, stepped, through } from "../../nuvett/web/static/lib/places.js";
import { HANDLES, kept } from "../../nuvett/web/static/controls/shape_handles.js";

const near = (found, wanted) => found.forEach((value, i) => assert.ok(Math.abs(value - wanted[i]) < 1e-9, `${found}`));

test("a matrix leads to where a place is seen, and its inverse back", () => {
  const seen = [
    [1.2, 0.1, -0.1],
    [-0.05, 1.3, -0.2],
    [0.02, -0.03, 1],
  ];
  near(through(inverse(seen), through(seen, [0.3, 0.7])), [0.3, 0.7]);
});

test("a place is moved as the places around it are, beyond the frame as its edge is", () => {
  const rows = [0, 1, 2].map((y) => [0, 1, 2].map((x) => [0.01 * x, -0.02 * y * x]));
  near(shifted(rows, [0.5, 0.5]), [0.51, 0.48]);
  near(shifted(rows, [0.75, 0.25]), [0.765, 0.235]);
  near(shifted(rows, [1, 1]), [1.02, 0.92]);
  near(shifted(rows, [1.5, -0.2]), [1.52, -0.2]);
});

test("an ellipse lies about its middle and turns clockwise", () => {
  const part = { x: 0.5, y: 0.5, across: 20, down: 10, turn: 90 };
  const points = ellipse(part, [300, 200], 300, 1, 4);
  near(points[0], [0.5, 0.8]); // 60 pixels of 200 down, after a quarter turn
  near(points[1], [0.4, 0.5]);
  near(boxOf([300, 200], 10), [0.1, 0.15]);
});

test("a handle that is put elsewhere changes what it stands for alone", () => {
  const part = { kind: "round", x: 0.5, y: 0.5, across: 20, down: 10, turn: 30, soft: 50 };
  const size = [300, 200];
  for (const [name, , , place, change] of HANDLES.round(part, size)) {
    const same = { ...part, ...kept(change(place)) };
    for (const [field, value] of Object.entries(same))
      if (typeof value === "number") assert.ok(Math.abs(value - part[field]) < 0.6, `${name} ${field} ${value}`);
  }
  const [, across] = HANDLES.round(part, size);
  const angle = Math.PI / 6;
  const farther = [0.5 + (90 * Math.cos(angle)) / 300, 0.5 + (90 * Math.sin(angle)) / 200];
  assert.deepEqual(across[4](farther), { across: 30 });
  const line = { kind: "straight", x: 0.2, y: 0.2, end_x: 0.4, end_y: 0.6 };
  const [, , both] = HANDLES.straight(line);
  near(Object.values(both[4]([0.5, 0.5])), [0.4, 0.3, 0.6, 0.7]);
  assert.deepEqual(kept({ x: 9, soft: 12 }), { x: 3, soft: 12 });
});

test("an arrow key moves a place by a step and never out of the picture", () => {
  assert.deepEqual(stepped({ x: 0.5, y: 0.5 }, arrowOf("ArrowUp"), 0.25), { x: 0.5, y: 0.25 });
  assert.deepEqual(stepped({ x: 0.9, y: 0.5 }, arrowOf("ArrowRight"), 0.25), { x: 1, y: 0.5 });
  assert.equal(arrowOf("Enter"), undefined);
});
