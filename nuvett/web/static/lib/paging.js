// Long lists page by page: what is not rendered yet holds its place, and is asked for when it comes near the screen.

const NEAR = "600px";
const WATCHED = 4; // of so many places one is watched, and the last of each page: watching costs with every frame drawn
const AT_ONCE = 4; // places that are filled before the screen is drawn again, so that scrolling goes on meanwhile

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
  const put = async (html, start) => {
    const page = document.createElement("template");
    page.innerHTML = html;
    const made = [...page.content.children];
    const waiting = places().slice(start, start + made.length);
    for (const [index, tile] of made.entries()) {
      if (index && index % AT_ONCE === 0) await new Promise((resolve) => requestAnimationFrame(resolve));
      // What was rendered anew meanwhile is not there any more.
      if (waiting[index]?.matches("i") && waiting[index].isConnected) waiting[index].replaceWith(tile);
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
          await put(await load(start), start);
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
    const all = places();
    for (const [index, place] of all.entries()) {
      const watched = index % WATCHED === 0 || (index + 1) % size() === 0 || index === all.length - 1;
      if (watched && place.matches("i")) observer.observe(place);
    }
  };
}
