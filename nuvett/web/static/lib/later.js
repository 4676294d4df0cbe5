// What a page leaves out until it is wanted: parts when they are first seen, choices when they are first used.

import { all, ask, say } from "./common.js";

const later = new IntersectionObserver(async (entries) => {
  for (const { isIntersecting, target } of entries) {
    const place = /** @type {HTMLElement} */ (target);
    if (!isIntersecting || !place.dataset.later) continue;
    later.unobserve(place);
    try {
      place.innerHTML = await (await ask(place.dataset.later)).text();
      delete place.dataset.later;
    } catch (error) {
      say(error instanceof Error ? error.message : String(error));
    }
  }
});

/** @param {HTMLSelectElement} select */
const fillChoices = async (select) => {
  const address = select.dataset.laterChoices ?? "";
  delete select.dataset.laterChoices;
  try {
    /** @type {{ id: string, name: string }[]} */
    const found = await (await ask(address)).json();
    const now = select.value;
    select.replaceChildren(...found.map(({ id, name }) => new Option(name, id, id === now, id === now)));
  } catch (error) {
    select.dataset.laterChoices = address;
    say(error instanceof Error ? error.message : String(error));
  }
};

/** Let parts marked with data-later, and choices with data-later-choices, come when they are wanted. */
export function listenForLater() {
  for (const place of all("[data-later]")) later.observe(place);
  for (const kind of ["pointerdown", "focusin"]) {
    document.addEventListener(kind, ({ target }) => {
      if (target instanceof HTMLSelectElement && target.dataset.laterChoices) fillChoices(target);
    });
  }
}
