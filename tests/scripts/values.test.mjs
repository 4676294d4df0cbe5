// Live values: how they are written, bounded, stepped and typed.

import assert from "node:assert/strict";
import { test } from "node:test";
import { bounded, factsOf, stepped, typed, written } from "../../nuvett/web/static/lib/values.js";

const percent = { step: 1, low: -60, high: 60, start: 0, usual: 0, digits: 0, signed: true, unit: "%", empty: "" };
const aim = { ...percent, low: 0, start: 4, usual: null, digits: 1, signed: false, unit: "L*", empty: "the target’s" };

test("a value is written with its sign, a true minus and its unit", () => {
  assert.equal(written(12, percent), "+12 %");
  assert.equal(written(-12, percent), "−12 %");
  assert.equal(written(-0.2, percent), "0 %");
  assert.equal(written(0.2, percent), "0 %");
  assert.equal(written(8, { ...percent, unit: "°", signed: false }), "8°");
  assert.equal(written(8, { ...percent, unit: "", signed: false }), "8");
  assert.equal(written(4.25, aim), "4.3 L*");
  assert.equal(written(null, aim), "the target’s");
});

test("a value stays within its range and loses the noise of binary fractions", () => {
  assert.equal(bounded(99, percent), 60);
  assert.equal(bounded(-99, percent), -60);
  assert.equal(bounded(0.1 + 0.2, percent), 0.3);
  assert.equal(bounded(null, aim), null);
});

test("keys step a value, with Shift by ten and with Alt by a tenth", () => {
  assert.equal(stepped(5, "ArrowUp", percent), 6);
  assert.equal(stepped(5, "ArrowLeft", percent), 4);
  assert.equal(stepped(5, "ArrowRight", percent, { shiftKey: true }), 15);
  assert.equal(stepped(5, "ArrowDown", percent, { altKey: true }), 4.9);
  assert.equal(stepped(5, "PageDown", percent), -5);
  assert.equal(stepped(5, "Home", percent), -60);
  assert.equal(stepped(5, "End", percent), 60);
  assert.equal(stepped(null, "ArrowUp", aim), 5, "none begins where it is said to begin");
  assert.equal(stepped(5, "x", percent), undefined);
});

test("numbers are typed with a comma, a point or a true minus, and anything else is nothing", () => {
  assert.equal(typed(" 1,5 "), 1.5);
  assert.equal(typed("−3"), -3);
  for (const wrong of ["", " ", "x", "1.2.3", "--1", "Infinity"]) assert.equal(typed(wrong), undefined);
});

test("facts are read from the attributes that the server writes", () => {
  const facts = factsOf({ step: "0.5", low: "0", high: "60", start: "4", usual: "", digits: "1", signed: "", unit: "L*" });
  assert.deepEqual(
    [facts.step, facts.low, facts.high, facts.start, facts.usual, facts.digits, facts.signed, facts.unit],
    [0.5, 0, 60, 4, null, 1, false, "L*"],
  );
});
