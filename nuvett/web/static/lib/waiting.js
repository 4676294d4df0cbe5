// What somebody waits for: shown once it takes long, with how long it has taken and a way to stop it after that.

const SHOWN = 300; // ms after which it is seen that something is at work
const LONG = 2000; // ms after which it is said, and can be stopped

/**
 * Keep what is waited for; `show` is told of the one that has lasted longest: whether it is seen, and once it is long,
 * for how many seconds it has lasted and how to stop it, where it can be.
 *
 * @param {(seen: boolean, seconds: number, stop: (() => void) | null) => void} show
 * @param {{ now?: () => number, later?: (work: () => void, after: number) => unknown }} [clock]
 */
export function waits(show, { now = () => performance.now(), later = (work, after) => setTimeout(work, after) } = {}) {
  /** @type {Set<{ since: number, stop: (() => void) | null }>} */
  const open = new Set();
  const look = () => {
    const [first] = open; // a set keeps the order in which things were begun
    const lasted = first ? now() - first.since : 0;
    const long = lasted >= LONG;
    const stopped = [...open].filter(({ stop }) => stop);
    const stop = long && stopped.length ? () => stopped.forEach((own) => own.stop?.()) : null;
    show(lasted >= SHOWN, long ? Math.floor(lasted / 1000) : 0, stop);
    return lasted;
  };
  const again = () => {
    const lasted = look();
    if (open.size) later(again, lasted < SHOWN ? SHOWN - lasted : lasted < LONG ? LONG - lasted : 1000);
  };
  /** Something is waited for, which `stop` gives up where it can be; returns what tells that it is over. */
  return (/** @type {(() => void) | null} */ stop = null) => {
    const own = { since: now(), stop };
    open.add(own);
    if (open.size === 1) later(again, SHOWN);
    return () => {
      open.delete(own);
      look();
    };
  };
}

/** Show it under the head of the page. */
function showWait(seen, seconds, stop) {
  const bar = document.querySelector("#waits");
  if (!(bar instanceof HTMLElement)) return;
  bar.hidden = !seen;
  const [slip, words, button] = bar.querySelectorAll("[data-long], [data-waited], button");
  if (!(slip instanceof HTMLElement) || !(button instanceof HTMLButtonElement)) return;
  slip.hidden = seconds === 0;
  words.textContent = seconds ? `At work for ${seconds} s` : "";
  button.hidden = !stop;
  button.onclick = stop;
}

export const waitFor = waits(showWait);

/** A page that is on its way is waited for, too; whoever stops that stays. */
export function listenForLeaving() {
  let over = () => {};
  const stay = () => {
    over();
    window.stop();
  };
  addEventListener("beforeunload", () => {
    over();
    over = waitFor(stay);
  });
  addEventListener("pageshow", () => over());
}
