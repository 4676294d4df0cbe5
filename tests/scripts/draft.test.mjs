// The newest value wins, and an answer that is late is known to be.

import assert from "node:assert/strict";
import { test } from "node:test";
import { latest, newestWins } from "../../nuvett/web/static/lib/draft.js";

test("while one is under way the next waits, and only the newest of those is sent", async () => {
  const sent = [];
  const free = [];
  const draft = newestWins((value) => {
    sent.push(value);
    return new Promise((resolve) => free.push(resolve));
  });
  for (const value of [1, 2, 3]) draft(value);
  assert.deepEqual(sent, [1]);
  let settled = false;
  const rest = draft.settled().then(() => (settled = true));
  free[0]();
  await new Promise((resolve) => setTimeout(resolve));
  assert.deepEqual([sent, settled], [[1, 3], false]);
  free[1]();
  await rest;
  assert.ok(settled);
});

test("who sends is told whether something newer waits", async () => {
  const told = [];
  let newer;
  const draft = newestWins(async (value, waits) => {
    newer = waits;
    await new Promise((resolve) => setTimeout(resolve));
    told.push([value, waits()]);
  });
  draft(1);
  assert.equal(newer(), false);
  draft(2);
  await draft.settled();
  assert.deepEqual(told, [[1, true], [2, false]]);
});

test("of several askings only the latest still counts", () => {
  const ask = latest();
  const [first, second] = [ask(), ask()];
  assert.deepEqual([first(), second()], [false, true]);
});
