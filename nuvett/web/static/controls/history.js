// Undo, redo and the list of steps of what is being made.

import { ask, one, say } from "../lib/common.js";
import { morphInto } from "../lib/morphing.js";

export function connectHistory(page) {
  page.placeHistory = () => {
    const list = one("[data-history-list]", page.root);
    const slot = one('[data-slot="history"]', page.root);
    if (list && slot) morphInto(list, slot.innerHTML);
  };
  page.root.addEventListener("change", async ({ target }) => {
    if (!target.matches("[data-name-step]")) return;
    try {
      const json = { name: target.value };
      const named = await ask(`${page.at.walk}/step/${target.dataset.nameStep}/name`, { method: "POST", json });
      morphInto(one("[data-history]", page.root), (await named.json()).history);
      page.placeHistory();
    } catch (error) {
      say(error.message);
    }
  });
  page.root.addEventListener("click", (event) => {
    const walk = event.target.closest("[data-walk]");
    if (walk) return page.walkTo(`${page.at.walk}/${walk.dataset.walk}`);
    const go = event.target.closest("[data-go]");
    if (go) return page.walkTo(`${page.at.walk}/step/${go.dataset.go}`);
    const step = event.target.closest("[data-beside-step]");
    if (!step) return undefined;
    one("#history", page.root).close();
    const choice = one("[data-beside-choice]", page.root);
    const what = `step ${step.dataset.besideStep}`;
    if (![...choice.options].some((option) => option.value === what)) choice.add(new Option(what, what));
    choice.value = what;
    return choice.dispatchEvent(new Event("change"));
  });
}
