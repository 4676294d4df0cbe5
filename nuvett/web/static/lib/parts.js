// Parts of a page that take longer to work out than the page: each is asked for once the page stands, one by one.

import { all, ask } from "./common.js";

export const loadParts = async () => {
  for (const place of all("[data-part]")) {
    try {
      place.innerHTML = await (await ask(place.dataset.part)).text();
    } catch {
      place.textContent = place.dataset.otherwise ?? "";
    }
  }
};
