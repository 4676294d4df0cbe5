// Palettes in the lookbook: named, grouped, and laid into the look of the series in view.

import { ask, say } from "../lib/common.js";

async function change(id, what, fields) {
  const form = new FormData();
  for (const [name, value] of Object.entries(fields)) form.append(name, value);
  try {
    const answer = await ask(`/palettes/${id}/${what}`, { method: "POST", form });
    const found = answer.headers.get("content-type")?.includes("json") ? await answer.json() : null;
    if (found?.words) say(found.words);
    return true;
  } catch (error) {
    say(error.message);
    return false;
  }
}

export function connectPalettes(root, slug) {
  const at = (target) => target.closest("[data-palette]");
  root.addEventListener("change", ({ target }) => {
    for (const what of ["name", "group"])
      if (target.matches(`[data-palette-${what}]`)) change(at(target).dataset.palette, what, { [what]: target.value });
  });
  root.addEventListener("click", async ({ target }) => {
    const doing = target.closest("[data-palette-do]")?.dataset.paletteDo;
    if (!doing) return;
    const row = at(target);
    if (doing !== "delete") change(row.dataset.palette, `use/${doing}`, { series: slug });
    else if (await change(row.dataset.palette, "remove", {})) row.remove();
  });
}
