// The newest value wins: while one draft is being computed the next waits, and only the latest waiting one is sent.

export function newestWins(send) {
  let busy = false;
  let waiting = null;
  const run = async (value) => {
    busy = true;
    try {
      await send(value);
    } finally {
      busy = false;
      if (waiting !== null) {
        const next = waiting;
        waiting = null;
        run(next);
      }
    }
  };
  return (value) => {
    if (busy) waiting = value;
    else run(value);
  };
}
