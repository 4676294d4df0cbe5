// A handle is met within its reach, and of several the nearest.

import assert from "node:assert/strict";
import { test } from "node:test";
import { distanceTo, meant, REACH } from "../../nuvett/web/static/lib/near.js";

const handle = (name, x, y, size = 8) => ({
  name,
  getBoundingClientRect: () => ({
    ...{ left: x - size / 2, right: x + size / 2, top: y - size / 2, bottom: y + size / 2, width: size },
  }),
});
const root = (...handles) => ({ querySelectorAll: () => handles });
const at = (x, y, under = null) => ({ clientX: x, clientY: y, target: { closest: () => under } });

test("what is under the pointer is meant, else what is near it", () => {
  const [one, other] = [handle("one", 100, 100), handle("other", 118, 100)];
  assert.equal(meant(at(300, 300, one), "x", root(other)).name, "one");
  assert.equal(meant(at(100, 100 + REACH), "x", root(one)).name, "one");
  assert.equal(meant(at(110, 100), "x", root(one, other)).name, "other");
  assert.equal(meant(at(100, 100 + REACH + 1), "x", root(one, other)), null);
  assert.equal(meant(at(100, 100), "x", root(handle("hidden", 100, 100, 0))), null);
});

test("a point inside a box is no distance from it", () => {
  const box = { left: 0, right: 10, top: 0, bottom: 10 };
  assert.deepEqual([distanceTo(box, { x: 5, y: 5 }), distanceTo(box, { x: 13, y: 14 })], [0, 5]);
});
