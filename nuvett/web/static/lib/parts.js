// Parts of a page that take longer to work out than the page: each is asked for once the page stands, one by one.

import { all, ask } from "./common.js";

/** Another frame of a part that shows one of several. */
const listenForNext = () =>
  document.addEventListener("click", async (event) => {
    const target = /** @type {Element} */ (event.target);
    const next = /** @type {HTMLButtonElement | null} */ (target.closest("[data-next-shown]"));
    const place = /** @type {HTMLElement | null} */ (target.closest("[data-part]"));
    if (!next || !place) return;
    next.disabled = true;
    try {
      place.innerHTML = await (await ask(`${place.dataset.part}?shown=${next.dataset.nextShown}`)).text();
    } catch {
      next.disabled = false;
    }
  });

/** @param {ParentNode} within */
const loadWithin = async (within) => {
  for (const place of all("[data-part]", within)) {
    try {
      place.innerHTML = await (await ask(place.dataset.part)).text();
      await loadWithin(place);
    } catch {
      place.textContent = place.dataset.otherwise ?? "";
    }
  }
};

export const loadParts = () => {
  listenForNext();
  return loadWithin(document);
};
