// A frame seen large in the place of the wall or the board, in the viewer that Shape and Trim have.

import { all, ask, one, say, setAddress } from "../lib/common.js";

const place = () => one("[data-large-place]");
let came = null;

/** The frame that is in focus, if any. */
const focused = () => one("button[data-large]", document.activeElement?.closest("figure, [data-frame]") ?? document);

export async function openLarge(id = focused()?.dataset.large) {
  const wanted = id;
  const held = place();
  if (!wanted || !held) return;
  const { slug, left, right } = held.dataset;
  const asked = new URLSearchParams(location.search).get("reference");
  const state = one("[data-shown-state]")?.dataset.shownState;
  const query = new URLSearchParams({
    ...(asked && { reference: asked }),
    ...(left && { left, right }),
    ...(state && { state }),
  });
  try {
    held.innerHTML = await (await ask(`/series/${slug}/frames/${wanted}/large?${query}`)).text();
  } catch (error) {
    say(error.message);
    return;
  }
  came ??= document.activeElement;
  document.body.dataset.large = "open";
  for (const other of all("[data-behind-large]")) other.hidden = true;
  held.hidden = false;
  setAddress({ large: wanted });
  one("[data-close-large]", held)?.focus();
}

export function closeLarge() {
  const held = place();
  if (!held || held.hidden) return;
  held.hidden = true;
  held.replaceChildren();
  delete document.body.dataset.large;
  for (const other of all("[data-behind-large]")) other.hidden = false;
  setAddress({ large: null, left: null, right: null });
  came?.focus();
  came = null;
}

export function listenForLarge() {
  const held = place();
  if (!held) return;
  document.addEventListener("click", (event) => {
    const opener = event.target.closest("[data-large]:is(button)");
    if (opener && !(event.ctrlKey || event.metaKey || event.shiftKey)) return openLarge(opener.dataset.large);
    const go = held.hidden ? null : event.target.closest("[data-go-frame]");
    if (go) return openLarge(go.dataset.goFrame);
    return event.target.closest("[data-close-large]") ? closeLarge() : undefined;
  });
  held.addEventListener("change", (event) => {
    if (event.target.matches("[data-frame-choice]")) openLarge(event.target.value);
  });
  held.addEventListener("go-to", ({ detail }) => {
    setAddress({ reference: detail.reference });
    openLarge(new URLSearchParams(location.search).get("large"));
  });
  // Pages that know other states listen themselves.
  held.addEventListener("other-state", ({ detail }) => detail.resolve(null));
  document.addEventListener("keydown", (event) => {
    if (held.hidden || one("dialog[open]")) return;
    if (event.key === "Escape") closeLarge();
    const way = { ArrowLeft: "before", ArrowRight: "next" }[event.key];
    const elsewhere = event.target.closest?.("select, input, [role=slider], .mat[tabindex='0']");
    if (!way || elsewhere || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    one(`[data-go-${way}]`, held)?.click();
  });
  const asked = new URLSearchParams(location.search).get("large");
  if (asked) openLarge(asked);
}
