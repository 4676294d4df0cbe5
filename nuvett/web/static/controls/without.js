// Holding a part of a step off: while its button is held, by pointer or key, the picture is drawn without that part.

import { getAt, setAt } from "../lib/common.js";

export function connectWithout(page) {
  const { root } = page;
  let held = "";

  const hold = (path) => {
    if (held || !getAt(page.document, path)?.on) return;
    held = path;
    setAt(page.document, `${path}.on`, false);
    page.draft({});
  };
  const release = () => {
    if (!held) return;
    if (getAt(page.document, held)) setAt(page.document, `${held}.on`, true);
    held = "";
    page.draft({ proofs: true }); // as fine as it was before
  };
  const of = (event) => event.target.closest("[data-without]")?.dataset.without;

  root.addEventListener("pointerdown", (event) => {
    const path = of(event);
    if (path && event.button === 0) hold(path);
  });
  root.addEventListener("keydown", (event) => {
    const path = of(event);
    if (!path || (event.key !== " " && event.key !== "Enter")) return;
    event.preventDefault();
    hold(path);
  });
  for (const name of ["pointerup", "pointercancel", "keyup", "blur"]) window.addEventListener(name, release);
}
