// What is waited for is seen once it takes long, and can be stopped after that.

import assert from "node:assert/strict";
import test from "node:test";

import { waits } from "../../nuvett/web/static/lib/waiting.js";

/** Waits on a clock that goes by hand: what was shown last, and how to let time pass. */
function watched() {
  let time = 0;
  let due = [];
  let shown = { seen: false, seconds: 0, stop: null };
  const begin = waits((seen, seconds, stop) => (shown = { seen, seconds, stop }), {
    now: () => time,
    later: (work, after) => due.push({ at: time + after, work }),
  });
  const pass = (ms) => {
    const end = time + ms;
    for (;;) {
      const [next] = due.filter(({ at }) => at <= end).sort((a, b) => a.at - b.at);
      if (!next) break;
      due = due.filter((one) => one !== next);
      time = next.at;
      next.work();
    }
    time = end;
  };
  return { begin, pass, shown: () => shown };
}

test("what is quick is not seen", () => {
  const { begin, pass, shown } = watched();
  const over = begin();
  pass(299);
  assert.equal(shown().seen, false);
  over();
  pass(5000);
  assert.equal(shown().seen, false);
});

test("what takes long is seen, then said and stopped, and gone once it is over", () => {
  const { begin, pass, shown } = watched();
  let stopped = 0;
  const over = begin(() => (stopped += 1));
  pass(300);
  assert.deepEqual([shown().seen, shown().seconds, shown().stop], [true, 0, null]);
  pass(1700);
  assert.deepEqual([shown().seen, shown().seconds], [true, 2]);
  pass(3000);
  assert.equal(shown().seconds, 5);
  shown().stop();
  assert.equal(stopped, 1);
  over();
  assert.deepEqual(shown(), { seen: false, seconds: 0, stop: null });
});

test("of several the longest counts, and what cannot be stopped offers nothing to stop", () => {
  const { begin, pass, shown } = watched();
  const first = begin();
  pass(1500);
  const second = begin();
  pass(700);
  assert.deepEqual([shown().seconds, shown().stop], [2, null]);
  first();
  assert.deepEqual([shown().seen, shown().seconds], [true, 0]);
  pass(2000);
  assert.equal(shown().seconds, 2);
  second();
  assert.equal(shown().seen, false);
});
