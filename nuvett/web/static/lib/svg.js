// Elements of drawings.

const NS = "http://www.w3.org/2000/svg";

/** An element of a drawing with its attributes. */
export function drawn(name, attributes) {
  const made = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, String(value));
  return made;
}
