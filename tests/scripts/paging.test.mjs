// Long lists page by page: which page is wanted.

import assert from "node:assert/strict";
import { test } from "node:test";
import { pageStart, startSeen } from "../../nuvett/web/static/lib/paging.js";

test("a place is on the page that begins at or before it", () => {
  assert.deepEqual([0, 23, 24, 50].map((place) => pageStart(place, 24)), [0, 0, 24, 48]);
});

test("the page that is seen is the one with the first place whose foot is below the top", () => {
  const at = (bottom) => ({ getBoundingClientRect: () => ({ bottom }) });
  const scrolled = { getBoundingClientRect: () => ({ top: 100 }) };
  const places = [40, 80, 100, 101, 200].map(at);
  assert.equal(startSeen(places, scrolled, 2), 2);
  assert.equal(startSeen(places, scrolled, 3), 3);
  assert.equal(startSeen([], scrolled, 2), 0);
  assert.equal(startSeen([at(50)], scrolled, 2), 0, "all is above: the beginning");
});
