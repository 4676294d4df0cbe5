// Kept looks at hand on Shape and Trim: pointing at one tries it on, Enter takes it, Escape gives the old one back.

import { all, ask, one, say } from "../lib/common.js";
import { latest } from "../lib/draft.js";

const REST = 300; // ms until a look that is pointed at is drawn as finely as all else

/** Connect the strip of kept looks to the page of a sheet; `take` is given the look that was chosen. */
export function connectTrying(page, take) {
  const { root, slug, frame } = page;
  const place = one("[data-try]:not(button)", root);
  const proofs = one("[data-proofs]", root);
  const opener = one("[data-try-open]", root);
  const wanted = latest();
  let own = null; // what the viewer showed before anything was tried on
  let tried = null;
  window.addEventListener("pictures", ({ detail }) => {
    if (detail.pictures && !detail.tried) own = detail.pictures;
  });
  let resting;
  /** Show pictures: while one points from look to look a quicker one first, the whole one when that rests. */
  const show = (pictures, quick = false) => {
    clearTimeout(resting);
    page.$dispatch("pictures", { pictures, quick, tried: true });
    if (quick) resting = setTimeout(() => show(pictures), REST);
  };
  const buttons = () => all("button[data-try]", place);
  const mark = (button) => {
    for (const other of buttons()) other.setAttribute("aria-selected", String(other === button));
  };
  const tryOn = async (button) => {
    if (tried === button.dataset.try) return;
    tried = button.dataset.try;
    mark(button);
    const still = wanted();
    const { where, reference } = page.tries;
    const json = { kept: tried, strength: Number(button.dataset.strength), reference };
    try {
      const address = `/series/${slug}/frames/${frame}/looks/${where}`;
      const { pictures } = await (await ask(address, { method: "POST", json })).json();
      if (still() && tried) show(pictures, true);
    } catch (error) {
      if (still()) say(error.message);
    }
  };
  const giveBack = () => {
    wanted();
    tried = null;
    mark(null);
    if (own) show(own);
  };
  const close = () => {
    if (place.hidden) return;
    giveBack();
    place.hidden = true;
    proofs.hidden = false;
    opener.setAttribute("aria-expanded", "false");
    opener.focus();
  };
  const open = async () => {
    own ??= JSON.parse(one("[data-facts]", root).textContent).pictures;
    try {
      place.innerHTML = await (await ask(`/series/${slug}/frames/${frame}/looks`)).text();
    } catch (error) {
      return say(error.message);
    }
    place.hidden = false;
    proofs.hidden = true;
    opener.setAttribute("aria-expanded", "true");
    return buttons()[0]?.focus();
  };
  opener.addEventListener("click", () => (place.hidden ? open() : close()));
  place.addEventListener("pointerover", ({ target }) => {
    const button = target.closest("button[data-try]");
    if (button) tryOn(button);
  });
  place.addEventListener("focusin", ({ target }) => target.matches("button[data-try]") && tryOn(target));
  place.addEventListener("pointerleave", () => {
    const focused = document.activeElement?.closest("button[data-try]");
    if (focused && place.contains(focused)) tryOn(focused);
    else giveBack();
  });
  place.addEventListener("click", async ({ target }) => {
    const button = target.closest("button[data-try]");
    if (!button) return;
    const look = { id: button.dataset.try, strength: Number(button.dataset.strength) };
    tried = null;
    place.hidden = true;
    proofs.hidden = false;
    opener.setAttribute("aria-expanded", "false");
    try {
      await take(look);
    } catch (error) {
      if (own) show(own);
      say(error.message);
    }
  });
  root.addEventListener("keydown", (event) => {
    if (place.hidden) return;
    if (event.key === "Escape") {
      event.preventDefault();
      return close();
    }
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    const here = event.target.closest("button[data-try]");
    if (!step || !here) return undefined;
    event.preventDefault();
    const found = buttons();
    return found[Math.min(found.length - 1, Math.max(0, found.indexOf(here) + step))].focus();
  });
}
