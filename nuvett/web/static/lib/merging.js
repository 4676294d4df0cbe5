// Changes made to a document here, done to a state of it that came about elsewhere meanwhile.

const isPlain = (value) => typeof value === "object" && value !== null && !Array.isArray(value);
const same = (one, other) => JSON.stringify(one) === JSON.stringify(other);

/**
 * `theirs`, with what was changed from `base` to `mine` changed in it too. Where both changed the same value, and in a
 * list that became longer or shorter, mine holds.
 *
 * @param {any} base @param {any} mine @param {any} theirs
 * @returns {any}
 */
export function merged(base, mine, theirs) {
  if (same(base, mine)) return theirs;
  if (same(base, theirs)) return mine;
  if (isPlain(base) && isPlain(mine) && isPlain(theirs)) {
    const names = new Set([...Object.keys(theirs), ...Object.keys(mine)]);
    const values = [...names].map((name) => [name, merged(base[name], mine[name], theirs[name])]);
    return Object.fromEntries(values.filter(([, value]) => value !== undefined));
  }
  const lists = [base, mine, theirs];
  if (lists.every(Array.isArray) && lists.every((list) => list.length === lists[0].length))
    return lists[0].map((_, index) => merged(base[index], mine[index], theirs[index]));
  return mine;
}
