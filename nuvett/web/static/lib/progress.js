// How far work in the background is, told by the server while it goes on.

/**
 * Follow a part of a series until nothing of it moves any more.
 *
 * @param {string} slug
 * @param {"gather" | "read" | "handover"} part
 * @param {(told: { mark: string, done: number, total: number, moves: boolean }) => void} told
 * @param {() => void} [over] once nothing moves any more
 * @returns {() => void} stops it
 */
export function followProgress(slug, part, told, over = () => {}) {
  const source = new EventSource(`/series/${slug}/events?part=${part}`);
  source.addEventListener("message", ({ data }) => told(JSON.parse(data)));
  source.addEventListener("rest", () => {
    source.close();
    over();
  });
  return () => source.close();
}

/**
 * Call something soon, and no more often than every so many milliseconds; the last call is never left out.
 *
 * @param {() => Promise<unknown>} work
 * @param {number} every
 */
export function atMostEvery(every, work) {
  let waiting = false;
  let again = false;
  return async function soon() {
    if (waiting) {
      again = true;
      return;
    }
    waiting = true;
    await work();
    await new Promise((resolve) => setTimeout(resolve, every));
    waiting = false;
    if (again) {
      again = false;
      await soon();
    }
  };
}
