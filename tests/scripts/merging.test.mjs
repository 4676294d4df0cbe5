// What was changed here is done to what another state became, and nothing else is.

import assert from "node:assert/strict";
import { test } from "node:test";
import { merged } from "../../nuvett/web/static/lib/merging.js";

const base = { strength: 100, tone: { on: true, amount: 50 }, moves: [{ reach: 1 }, { reach: 2 }], name: "a" };

test("changes of both sides hold, and mine where both changed one value", () => {
  const mine = { ...base, tone: { on: true, amount: 70 }, strength: 80 };
  const theirs = { ...base, tone: { on: false, amount: 20 }, name: "b" };
  assert.deepEqual(merged(base, mine, theirs), {
    ...{ strength: 80, tone: { on: false, amount: 70 }, moves: base.moves, name: "b" },
  });
});

test("a change made while an Undo is under way is done to what was undone", () => {
  const undone = { ...base, strength: 60 };
  const mine = { ...base, tone: { on: true, amount: 10 } };
  assert.deepEqual(merged(base, mine, undone), { ...undone, tone: { on: true, amount: 10 } });
  assert.deepEqual(merged(base, base, undone), undone);
});

test("lists of one length are merged item by item; what was added or taken away stays so", () => {
  const mine = { ...base, moves: [{ reach: 9 }, { reach: 2 }] };
  const theirs = { ...base, moves: [{ reach: 1 }, { reach: 5 }] };
  assert.deepEqual(merged(base, mine, theirs).moves, [{ reach: 9 }, { reach: 5 }]);
  assert.deepEqual(merged(base, { ...base, moves: [] }, theirs).moves, []);
  const { name, ...without } = base;
  assert.equal("name" in merged(base, without, { ...base, strength: 1 }), false);
  assert.equal(name, "a");
});
