// Parts that the server rendered, put in place of what stands there: what is the same stays, and with it focus, scroll
// and what is typed.

import Alpine from "../vendor/alpine.js";

/** Let the children of an element become those of a text of HTML; places of instruments within are filled apart. */
export function morphInto(element, html) {
  const next = element.cloneNode(false);
  next.innerHTML = html;
  Alpine.morph(element, next, {
    key: keyOf,
    updating(from, to, childrenOnly, skip) {
      if (from === element || from.nodeType !== 1) return;
      if (from.matches("details[open]")) to.setAttribute("open", "");
      const typing = from.matches(".live") && from.querySelector("input");
      if (typing || from.matches("[data-slot-place]")) skip();
    },
    updated: asWritten,
  });
}

/** What a person has set in a control gives way to what the server wrote. */
function asWritten(node) {
  if (node.nodeType !== 1) return;
  if (node.matches("input[type=checkbox]")) node.checked = node.hasAttribute("checked");
  if (node.matches("option")) node.selected = node.hasAttribute("selected");
}

/** What tells an element from those beside it: names of values and steps, and of handles of instruments. */
function keyOf({ dataset, id }) {
  if (!dataset) return id;
  const { name, step, handle, area, share, point, grey, ribbon, to } = dataset;
  if (name ?? step ?? handle) return name ?? step ?? handle;
  if (area !== undefined) return `area ${area}`;
  if (ribbon !== undefined) return `ribbon ${ribbon} ${to}`;
  const marked = Object.entries({ share, point, grey }).find(([, value]) => value !== undefined);
  return marked ? marked.join(" ") : id;
}
