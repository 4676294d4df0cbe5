// What the viewer works out: sizes of pictures, plans in addresses, parts at full size, the split.

import assert from "node:assert/strict";
import { test } from "node:test";
import {
  cropBox, edgeFor, nextScale, placeUnder, planOf, splitClip, splitWithin,
} from "../../nuvett/web/static/lib/views.js";

test("a picture is asked for no smaller than it is drawn, and no larger than it is kept", () => {
  assert.deepEqual([300, 640, 641, 1280, 1400, 4000].map(edgeFor), [640, 640, 1280, 1280, 1600, 1600]);
});

test("the plan of a picture is read from its address", () => {
  assert.equal(planOf("/series/a/frames/b/picture.jpg?plan=abc&edge=1280"), "abc");
  assert.equal(planOf("/series/a/frames/b/picture.jpg?edge=1280"), "");
});

test("a part at full size lies about the centre, within the picture, as large as the mat shows", () => {
  const mat = { clientWidth: 600, clientHeight: 400 };
  const picture = { width: 3000, height: 2000 };
  assert.deepEqual(cropBox(mat, picture, { x: 0.5, y: 0.5 }, 1), [1200, 800, 600, 400]);
  assert.deepEqual(cropBox(mat, picture, { x: 0.5, y: 0.5 }, 2), [1350, 900, 300, 200]);
  assert.deepEqual(cropBox(mat, picture, { x: 0, y: 1 }, 1), [0, 1600, 600, 400]);
  assert.deepEqual(cropBox(mat, { width: 500, height: 300 }, { x: 0.9, y: 0.9 }, 1), [0, 0, 500, 300]);
  assert.deepEqual(cropBox({ clientWidth: 2600, clientHeight: 10 }, picture, { x: 0.5, y: 0.5 }, 1)[2], 2000);
});

test("a split shows what lies left of its edge", () => {
  assert.equal(splitClip(30), "inset(0 70% 0 0)");
});

test("an edge over a mat lies in a picture about its middle, and stays at its ends", () => {
  assert.deepEqual([0, 25, 50, 75, 100].map((split) => splitWithin(split, 800, 400)), [0, 0, 50, 100, 100]);
  assert.deepEqual([10, 50, 90].map((split) => splitWithin(split, 400, 800)), [30, 50, 70]);
  assert.equal(splitWithin(30, 800, 0), 30);
});

test("one turn of the wheel is one scale further, and the ends are stayed at", () => {
  assert.deepEqual([0, 1, 2, 4].map((scale) => nextScale(scale, true)), [1, 2, 4, 4]);
  assert.deepEqual([0, 1, 2, 4].map((scale) => nextScale(scale, false)), [0, 0, 1, 2]);
});

test("the place under the pointer is that of the picture as it is drawn, whole or enlarged", () => {
  const [mat, picture] = [{ width: 600, height: 400 }, { width: 3000, height: 2000 }];
  const near = (place, x, y) => assert.ok(Math.hypot(place.x - x, place.y - y) < 1e-9, JSON.stringify(place));
  near(placeUnder({ x: 150, y: -100 }, mat, picture, { x: 0.1, y: 0.1 }, 0), 0.75, 0.25);
  near(placeUnder({ x: 150, y: -100 }, mat, picture, { x: 0.4, y: 0.6 }, 1), 0.45, 0.55);
  near(placeUnder({ x: 300, y: 0 }, mat, picture, { x: 0.4, y: 0.6 }, 2), 0.45, 0.6);
  near(placeUnder({ x: 900, y: 900 }, mat, picture, { x: 0.9, y: 0.9 }, 0), 1, 1);
});
