// The newest value wins: while one draft is being computed the next waits, and only the latest waiting one is sent.
// `send` is also handed a test of whether a newer one waits, so that it may leave out what that will say anyway.

export function newestWins(send) {
  let busy = false;
  /** @type {{ value: unknown } | null} */
  let waiting = null;
  /** @type {(() => void)[]} */
  const resting = [];
  const run = async (value) => {
    busy = true;
    try {
      await send(value, () => waiting !== null);
    } finally {
      busy = false;
      if (waiting !== null) {
        const { value: next } = waiting;
        waiting = null;
        run(next);
      } else {
        for (const tell of resting.splice(0)) tell();
      }
    }
  };
  const draft = (value) => {
    if (busy) waiting = { value };
    else run(value);
  };
  /** When everything asked for so far has been answered. */
  draft.settled = () => {
    if (!busy) return Promise.resolve();
    return /** @type {Promise<void>} */ (new Promise((resolve) => resting.push(resolve)));
  };
  return draft;
}

/** For what may be asked for again before it has come: each call gives a test of whether it is still the latest. */
export function latest() {
  let count = 0;
  return () => {
    count += 1;
    const mine = count;
    return () => mine === count;
  };
}
