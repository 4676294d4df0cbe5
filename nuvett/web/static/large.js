// One frame seen large over its screen, without leaving it: opened from a tile, walked through by n and b or arrows.

import { all, one } from "./common.js";

const STEPS = { n: 1, ArrowRight: 1, b: -1, ArrowLeft: -1 };

export const listenForLarge = () => {
  const dialog = document.getElementById("large");
  if (!dialog) return;
  const picture = one("img", dialog);
  let at = 0;
  const show = (index) => {
    const tiles = all("[data-large]");
    at = (index + tiles.length) % tiles.length;
    const { large, largeName } = tiles[at].dataset;
    picture.src = large;
    picture.alt = largeName;
    one("[data-large-words]", dialog).textContent = `${largeName}, ${at + 1} of ${tiles.length}`;
    if (!dialog.open) dialog.showModal();
  };
  document.addEventListener("click", (event) => {
    const tile = event.target.closest("[data-large]");
    if (!tile) return;
    event.preventDefault();
    show(all("[data-large]").indexOf(tile));
  });
  dialog.addEventListener("keydown", (event) => {
    if (event.key === "x") dialog.close();
    const step = STEPS[event.key];
    if (!step) return;
    event.preventDefault();
    show(at + step);
  });
  dialog.addEventListener("close", () => all("[data-large]")[at]?.focus());
};

/** Open the tile in focus, or the first. */
export const openLarge = () => {
  const here = document.activeElement?.closest("figure, [data-frame]");
  (one("[data-large]", here ?? document) ?? one("[data-large]"))?.click();
};
