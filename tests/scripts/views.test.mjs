// What the viewer works out: sizes of pictures, plans in addresses, parts at full size, the split.

import assert from "node:assert/strict";
import { test } from "node:test";
import { cropBox, edgeFor, planOf, splitClip } from "../../nuvett/web/static/lib/views.js";

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
