// Choosing frames on the wall, by click, Shift, Ctrl or Space; all, a set-up, those that stand out; and what is done
// to them.

import { between, choose, chosenOf } from "../lib/chosen.js";
import { all, ask, one, say } from "../lib/common.js";

const BESIDE = 4; // frames that can stand beside each other

/**
 * Let frames be chosen on a wall.
 *
 * wall : whose tiles are morphed anew; again : shows the wall anew
 */
export function connectChoosing(root, wall, slug, again) {
  let last = null;
  const places = () => all("[data-tiles] > [data-frame]", wall); // also of those whose tiles are not there yet
  const show = () => {
    const now = new Set(chosenOf(slug));
    for (const place of places()) {
      const box = place.querySelector("[data-choose-tile]");
      if (box) box.checked = now.has(place.dataset.frame);
      place.toggleAttribute("data-chosen", now.has(place.dataset.frame));
    }
    const count = chosen().length;
    const bar = one("[data-chosen-bar]", wall);
    if (!bar) return;
    one("[data-chosen-acts]", bar).hidden = count === 0;
    one("[data-chosen-count]", bar).textContent = count
      ? `${count} ${count === 1 ? "frame" : "frames"} chosen`
      : "No frame chosen";
  };
  const set = (frames) => {
    choose(slug, frames);
    show();
  };
  const framesOf = (some) => some.map((place) => place.dataset.frame);
  const marked = (mark) => framesOf(places().filter((place) => place.hasAttribute(mark)));
  const chosen = () => marked("data-chosen");
  const toggle = (id, range) => {
    const order = framesOf(places());
    const now = new Set(chosen());
    if (range && last) for (const frame of between(order, last, id)) now.add(frame);
    else if (!now.delete(id)) now.add(id);
    last = id;
    set(now);
  };
  const groups = {
    all: () => framesOf(places()),
    none: () => [],
    setup: () => {
      let setup; // told by the first of several that follow each other
      const each = places().map((place) => [place, (setup = place.dataset.setup ?? setup)]);
      const wanted = new Set(each.filter(([place]) => place.hasAttribute("data-chosen")).map(([, own]) => own));
      return framesOf(each.filter(([, own]) => wanted.has(own)).map(([place]) => place));
    },
    outliers: () => marked("data-outlier"),
    favourites: () => marked("data-favourite"),
    trimmed: () => marked("data-trimmed"),
  };
  const ACTS = {
    carry: "carry/chosen",
    favourite: "frames/favourites",
    straighten: "trims/straighten",
    "left-out": "frames/left-out",
    off: "trims/off",
    out: "frames/out",
    "make-variants": "variants",
  };
  const act = async (what) => {
    const frames = chosen();
    if (what === "trim") return location.assign(`/series/${slug}/trim?frame=${frames[0]}`);
    if (what === "handover") return location.assign(`/series/${slug}/handover?chosen=true`);
    if (what === "beside") {
      const first = frames.slice(0, BESIDE).map((id) => `of=${id}:`);
      return location.assign(`/series/${slug}/beside?${first.join("&")}`);
    }
    if (what === "variants") return one("#variants", root).showModal();
    one("#variants", root).close();
    const name = one("[data-variant-name]", root).value;
    try {
      const json = { frames, ...(what === "make-variants" ? { name } : {}) };
      const { words } = await (await ask(`/series/${slug}/${ACTS[what]}`, { method: "POST", json })).json();
      await again();
      show();
      say(words);
    } catch (error) {
      say(error.message);
    }
  };
  wall.addEventListener("click", (event) => {
    const box = event.target.closest("[data-choose-tile]");
    const tile = event.target.closest(".tile")?.closest("[data-frame]");
    if (box) {
      event.stopPropagation();
      box.checked = !box.checked; // as it was: what is shown follows what is kept
      return toggle(box.value, event.shiftKey);
    }
    if (tile && (event.ctrlKey || event.metaKey || event.shiftKey)) {
      event.preventDefault();
      return toggle(tile.dataset.frame, event.shiftKey);
    }
    const group = event.target.closest("[data-choose]");
    if (group) set(groups[group.dataset.choose]());
    return undefined;
  });
  wall.addEventListener("keydown", (event) => {
    const tile = event.target.closest(".tile")?.closest("[data-frame]");
    if (!tile || event.key !== " ") return;
    event.preventDefault();
    toggle(tile.dataset.frame, event.shiftKey);
  });
  root.addEventListener("click", (event) => {
    const found = event.target.closest("[data-act]");
    if (found) act(found.dataset.act);
  });
  show();
  return show;
}
