// How live values are written, bounded and changed. Nothing here touches the page.

/** A number with a true minus sign, its sign where it can have two, and its unit; words for none. */
export function written(value, { digits, signed, unit, empty }) {
  if (value === null) return empty;
  let text = value.toFixed(digits);
  if (Number(text) === 0) text = text.replace("-", "");
  text = text.replace("-", "−");
  if (signed && Number(value.toFixed(digits)) > 0) text = `+${text}`;
  if (!unit) return text;
  return unit === "°" ? `${text}°` : `${text} ${unit}`;
}

/** A value within its range, without the noise of binary fractions. */
export function bounded(value, { low, high }) {
  return value === null ? null : Math.min(high, Math.max(low, Number(value.toFixed(4))));
}

/** What a key does to a value: the new value, or undefined for a key that does nothing. */
export function stepped(value, key, { step, low, high, start }, { shiftKey = false, altKey = false } = {}) {
  const size = step * (shiftKey ? 10 : 1) * (altKey ? 0.1 : 1);
  const by = { ArrowUp: size, ArrowRight: size, ArrowDown: -size, ArrowLeft: -size };
  const base = value ?? start;
  if (key in by) return base + by[key];
  if (key === "PageUp") return base + step * 10;
  if (key === "PageDown") return base - step * 10;
  if (key === "Home") return low;
  if (key === "End") return high;
  return undefined;
}

/** A number as people type it, undefined for anything else. */
export function typed(text) {
  const plain = text.trim().replace(",", ".").replace("−", "-");
  const value = Number(plain);
  return plain !== "" && Number.isFinite(value) ? value : undefined;
}

/** Facts of a live value from the attributes it was rendered with. */
export function factsOf(dataset) {
  return {
    step: Number(dataset.step),
    low: Number(dataset.low),
    high: Number(dataset.high),
    start: Number(dataset.start),
    usual: dataset.usual === "" ? null : Number(dataset.usual),
    digits: Number(dataset.digits),
    signed: dataset.signed === "yes",
    unit: dataset.unit,
    empty: dataset.empty,
  };
}
