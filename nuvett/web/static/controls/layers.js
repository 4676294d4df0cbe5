// Layers of a wash: a way of blending is seen while it is pointed at, and rows are dragged into another order.

import { getAt, setAt } from "../lib/common.js";

const SOON = 120; // ms that a value is pointed at before the picture shows it

export function connectLayers(page) {
  const { root } = page;
  let before = null;
  let soon = null;

  const showAgain = () => {
    clearTimeout(soon);
    if (!before) return;
    setAt(page.document, before.path, before.value);
    before = null;
    page.draft({ proofs: true });
  };
  const show = (choice) => {
    const { tryValue, tryAt } = choice.dataset;
    showAgain();
    soon = setTimeout(() => {
      const value = getAt(page.document, tryAt);
      if (value === undefined || value === tryValue) return;
      before = { path: tryAt, value };
      setAt(page.document, tryAt, tryValue);
      page.draft({});
    }, SOON);
  };
  for (const name of ["pointerover", "focusin"])
    root.addEventListener(name, (event) => {
      const choice = event.target.closest("[data-try-at]");
      if (choice) show(choice);
      else showAgain();
    });
  root.addEventListener("click", (event) => {
    const choice = event.target.closest("[data-try-at]");
    if (!choice) return;
    clearTimeout(soon);
    before = null;
    setAt(page.document, choice.dataset.tryAt, choice.dataset.tryValue);
    page.commit();
  });

  /** A row of a list in another place of it. */
  const move = (list, from, to) => {
    const rows = getAt(page.document, list);
    if (from === to || !rows?.[from] || to < 0 || to >= rows.length) return;
    rows.splice(to, 0, ...rows.splice(from, 1));
    page.commit();
  };
  let dragged = null;
  root.addEventListener("dragstart", (event) => {
    dragged = event.target.closest?.("[data-order]")?.dataset ?? null;
    if (dragged) event.dataTransfer.setData("text/plain", dragged.place);
  });
  root.addEventListener("dragover", (event) => {
    if (dragged && event.target.closest("[data-order]")?.dataset.order === dragged.order) event.preventDefault();
  });
  root.addEventListener("drop", (event) => {
    const over = event.target.closest("[data-order]")?.dataset;
    if (!dragged || over?.order !== dragged.order) return;
    event.preventDefault();
    move(dragged.order, Number(dragged.place), Number(over.place));
    dragged = null;
  });
  root.addEventListener("click", (event) => {
    const by = event.target.closest("[data-move-by]");
    if (!by) return;
    const { order, place } = by.closest("[data-order]").dataset;
    move(order, Number(place), Number(place) + Number(by.dataset.moveBy));
  });
  root.addEventListener("change", (event) => {
    if (!event.target.matches("[data-add-wash]") || !event.target.value) return;
    const stops = JSON.parse(event.target.value).map((colour) => ({ colour }));
    getAt(page.document, event.target.dataset.addWash).push({ stops });
    event.target.value = "";
    page.commit();
  });
}
