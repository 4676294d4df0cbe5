// Frames that were chosen: kept for a series while the window is open, so that the wall, Trim and Hand over share them.

/** @returns {string[]} */
export function chosenOf(slug) {
  try {
    return JSON.parse(sessionStorage.getItem(`chosen ${slug}`) ?? "[]");
  } catch {
    return [];
  }
}

/** @param {string} slug @param {Iterable<string>} frames */
export function choose(slug, frames) {
  sessionStorage.setItem(`chosen ${slug}`, JSON.stringify([...frames]));
}

/** The frames from one to another in the order in which they hang, both of them too. */
export function between(order, from, to) {
  const ends = [order.indexOf(from), order.indexOf(to)].sort((a, b) => a - b);
  return ends[0] < 0 ? [to] : order.slice(ends[0], ends[1] + 1);
}
