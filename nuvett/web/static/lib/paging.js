// Long lists page by page: what is not rendered yet holds its place, and is asked for when it comes near the screen.

const NEAR = "600px";

/** Where the page begins that a place of a list is on. */
export function pageStart(place, size) {
  return Math.floor(place / size) * size;
}

/** Where the page begins that is at the top of what is seen of an element that scrolls. */
export function startSeen(places, scrolled, size) {
  const top = scrolled?.getBoundingClientRect().top ?? 0;
  const place = places.findIndex((one) => one.getBoundingClientRect().bottom > top);
  return place < 0 ? 0 : pageStart(place, size);
}

/**
 * Fill the places of a list as they come near; call the answer again when the list has been rendered anew.
 *
 * places : finds the places of the list in order; those that wait are `i` elements
 * size : tells how many are on a page
 * load : asks for the HTML of the page that begins at a place, one element a place
 * filled : is called when a page is in its place
 */
export function fillAsSeen({ places, size, load, filled = () => {} }) {
  const asked = new Set();
  const put = (html, start) => {
    const page = document.createElement("template");
    page.innerHTML = html;
    const at = places().slice(start);
    for (const [index, made] of [...page.content.children].entries()) {
      if (at[index]?.matches("i")) at[index].replaceWith(made);
    }
  };
  const observer = new IntersectionObserver(
    async (entries) => {
      const all = places();
      const seen = entries.filter((entry) => entry.isIntersecting).map((entry) => all.indexOf(entry.target));
      const starts = new Set(seen.filter((place) => place >= 0).map((place) => pageStart(place, size())));
      for (const start of starts) {
        if (asked.has(start)) continue;
        asked.add(start);
        try {
          put(await load(start), start);
          filled();
        } catch {
          // It is asked for again when it next comes near.
        } finally {
          asked.delete(start);
        }
      }
    },
    { rootMargin: NEAR },
  );
  return () => {
    observer.disconnect();
    for (const place of places()) if (place.matches("i")) observer.observe(place);
  };
}
