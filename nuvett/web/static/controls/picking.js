// Picking a colour in the frame, to move it or to hold it: by the pointer, or by a cross that arrow keys move.

import { all, ask, clone, one, say } from "../lib/common.js";
import { merged } from "../lib/merging.js";
import { arrowOf, stepped } from "../lib/places.js";

const SAID = {
  hold: "Pick the colour to hold in the frame.",
  move: "Pick the colour to move in the frame.",
  area: "Pick the colour of the area in the frame.",
  hue: "Pick a colour of the range in the frame, or a place on the chart.",
  centre: "Point at the centre of the vignette in the frame.",
  spot: "Click on the spots to paint out; Escape ends it.",
  neutral: "Point at what should be neutral in the frame.",
};

export function connectPicking(page) {
  const { root } = page;
  const picture = one("[data-picture]", root);
  const plate = one("[data-plate]", root);
  const shown = one("[data-cross]", root);
  const cross = { x: 0.5, y: 0.5 };

  const showCross = () => {
    shown.hidden = !page.picking;
    Object.assign(shown.style, {
      left: `calc(${cross.x * 100}% - 12px)`,
      top: `calc(${cross.y * 100}% - 12px)`,
    });
  };
  const end = () => {
    page.picking = null;
    picture.tabIndex = -1;
    for (const button of all("[data-picking]", root)) button.setAttribute("aria-pressed", "false");
    showCross();
    page.drawShapes();
  };
  const start = (button) => {
    if (page.picking) return end();
    page.picking = button.dataset.picking;
    page.pickingIn = button.closest("[data-step]")?.dataset.step ?? "";
    button.setAttribute("aria-pressed", "true");
    say(SAID[page.picking]);
    picture.tabIndex = 0;
    picture.focus();
    page.drawShapes();
    return showCross();
  };
  const pickAt = async (place) => {
    const what = page.picking;
    if (what !== "spot") end(); // several spots are painted out one after the other
    if (what === "centre") {
      const { finish } = page.scope();
      for (const name of ["x", "y"]) finish[`vignette_${name}`] = Math.round(place[name] * 100);
      return page.commit();
    }
    try {
      const sent = clone(page.document);
      const at = { frame: page.frame, place: [place.x, place.y], area: page.areaOf(page.pickingIn) };
      const json = { ...at, what, document: sent };
      const { colour, document } = await (await ask(page.at.pick, { method: "POST", json })).json();
      if (what === "area") {
        const index = page.joining ?? null;
        page.joining = null;
        return await page.addPart({ kind: page.pickedKind, colour }, index);
      }
      if (what !== "spot") page.open = page.pickingIn;
      page.document = merged(sent, page.document, document); // with what was changed meanwhile
      await page.commit();
    } catch (error) {
      say(error.message);
    }
  };

  page.endPicking = end;
  root.addEventListener("click", (event) => {
    const button = event.target.closest("[data-picking]");
    if (button) return start(button);
    if (!page.picking || !event.target.closest("[data-plate]")) return undefined;
    const box = plate.getBoundingClientRect();
    return pickAt({ x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height });
  });
  picture.addEventListener("keydown", (event) => {
    if (!page.picking) return;
    const arrow = arrowOf(event.key);
    if (!arrow && event.key !== "Enter" && event.key !== "Escape") return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key === "Escape") return end();
    if (!arrow) return pickAt(cross);
    Object.assign(cross, stepped(cross, arrow, event.shiftKey ? 0.1 : 0.01));
    showCross();
  });
}
