// Threads: a thing is pointed at in frames, its outline grows, and its colours stand in a row in shooting order.

import { all, ask, one, say } from "../lib/common.js";
import { latest } from "../lib/draft.js";
import { morphInto } from "../lib/morphing.js";
import { fillAsSeen, startSeen } from "../lib/paging.js";
import { arrowOf, stepped } from "../lib/places.js";

const STEP = 0.02; // of the picture that the cross goes by a key
const LIGHT = 1500; // ms until it is seen whether light has been evened
const WHEEL = 90; // of a wheel's turn from outline to outline

const BRUSH = 5; // pixels of the screen: half the width of a stroke
const BEGINS = 6; // pixels of the screen that a click may go before it is a stroke
const POINTS = 200; // of a stroke that are sent

const placeIn = (plate, event) => {
  const box = plate.getBoundingClientRect();
  return { x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height };
};

const lineIn = (plate) => {
  const line = document.createElementNS("http://www.w3.org/2000/svg", "polyline");
  line.setAttribute("class", "thread-brush");
  return one("svg", plate).appendChild(line);
};

const fewer = (points) => {
  const step = Math.ceil(points.length / POINTS);
  return points.filter((_, index) => index % step === 0 || index === points.length - 1);
};

export const threads = () => ({
  init() {
    this.root = this.$el;
    this.slug = this.root.dataset.slug;
    this.asked = latest();
    this.turned = 0;
    this.crosses = new Map();
    this.waitForLight();
    this.lookForTiles = fillAsSeen({
      places: () => this.places,
      size: () => this.pageSize,
      load: async (start) => {
        const query = new URLSearchParams(location.search);
        query.set("start", String(start));
        return (await ask(`${this.address}/tiles?${query}`)).text();
      },
    });
    this.lookForTiles();
    this.root.addEventListener("pointerdown", (event) => this.pressed(event));
    this.root.addEventListener("pointermove", (event) => this.brushed(event));
    this.root.addEventListener("pointerup", () => this.lifted());
    this.root.addEventListener("pointercancel", () => this.stopBrushing());
    this.root.addEventListener("click", (event) => this.clicked(event));
    this.root.addEventListener("keydown", (event) => this.typed(event));
    this.root.addEventListener("wheel", (event) => this.wheeled(event), { passive: false });
    this.root.addEventListener("change", (event) => this.changed(event));
    this.root.addEventListener("focusin", (event) => this.showCross(event.target.closest("[data-plate]")));
    this.root.addEventListener("focusout", (event) => this.hideCross(event.target.closest("[data-plate]")));
  },
  get places() {
    return all("[data-tiles] > *", this.root);
  },
  get pageSize() {
    return Number(one("[data-tiles]", this.root).dataset.tiles);
  },
  get address() {
    return `/series/${this.slug}/threads`;
  },
  get thread() {
    return one("[data-thread] [aria-current]", this.root)?.closest("[data-thread]").dataset.thread ?? null;
  },
  /** Show what the address asks for; of several asked for, the last one stays. */
  async hang(query = location.search) {
    const wanted = this.asked();
    const from = new URLSearchParams(query);
    from.set("start", String(startSeen(this.places, one("[data-tiles]", this.root), this.pageSize)));
    const html = await (await ask(`${this.address}/board?${from}`)).text();
    if (!wanted()) return;
    morphInto(this.root, html);
    this.lookForTiles();
    this.waitForLight();
  },
  /** Light is evened anew by what was pointed at: show it once it is. */
  waitForLight() {
    clearTimeout(this.waiting);
    if (!one("[data-waiting]", this.root)) return;
    this.waiting = setTimeout(() => {
      if (this.colourIsTyped) this.waitForLight();
      else this.hang().catch(() => {});
    }, LIGHT);
  },
  /** Whether a colour is to be given that has not been kept yet, which showing the board anew would take away. */
  get colourIsTyped() {
    const kind = one('[data-goal] option[value="given"]', this.root);
    return Boolean(kind?.selected && !kind.defaultSelected);
  },
  async go(query) {
    history.replaceState(null, "", query);
    await this.hang(query).catch((error) => say(error.message));
  },
  with(changes) {
    const query = new URLSearchParams(location.search);
    for (const [name, value] of Object.entries(changes)) query.set(name, value);
    return `?${query}`;
  },
  /** Do something and show what has become of it. */
  async act(address, asked) {
    try {
      const answer = await (await ask(address, asked)).json();
      await this.go(answer.thread === undefined ? location.search : this.with({ thread: answer.thread }));
    } catch (error) {
      say(error.message);
    }
  },
  point(tile, pointed, choice, strokes = []) {
    const places = pointed.map(([x, y, inside]) => ({ x, y, inside }));
    const json = { thread: this.thread, pointed: places, choice, strokes };
    return this.act(`${this.address}/frames/${tile.dataset.tile}`, { method: "POST", json });
  },
  pointAt(tile, place, event) {
    const before = JSON.parse(tile.dataset.pointed);
    const adds = (event.shiftKey || event.altKey) && before.length > 0;
    const pointed = [...(adds ? before : []), [place.x, place.y, !(event.altKey && adds)]];
    return this.point(tile, pointed, undefined, adds ? JSON.parse(tile.dataset.strokes) : []);
  },
  otherOutline(tile, by) {
    const pointed = JSON.parse(tile.dataset.pointed);
    const strokes = JSON.parse(tile.dataset.strokes);
    if (pointed.length) this.point(tile, pointed, Number(tile.dataset.choice) + by, strokes);
  },
  /** Dragging over a frame brushes what its outline lacks, with Alt what it has too much; a click stays a click. */
  pressed(event) {
    const plate = event.target.closest("[data-plate]");
    if (!plate || event.button) return;
    const points = [placeIn(plate, event)];
    this.stroke = { plate, points, inside: !event.altKey, began: [event.clientX, event.clientY], line: null };
  },
  brushed(event) {
    const { stroke } = this;
    if (!stroke) return;
    const [x, y] = stroke.began;
    if (!stroke.line && Math.hypot(event.clientX - x, event.clientY - y) < BEGINS) return;
    stroke.line ??= lineIn(stroke.plate);
    stroke.points.push(placeIn(stroke.plate, event));
    const { width, height } = one("svg", stroke.plate).viewBox.baseVal;
    stroke.line.setAttribute("points", stroke.points.map((p) => `${p.x * width},${p.y * height}`).join(" "));
  },
  stopBrushing() {
    this.stroke?.line?.remove();
    this.stroke = null;
  },
  lifted() {
    const { stroke } = this;
    this.stopBrushing();
    if (!stroke?.line) return;
    this.justBrushed = true;
    setTimeout(() => (this.justBrushed = false));
    const tile = stroke.plate.closest("[data-tile]");
    const before = JSON.parse(tile.dataset.pointed);
    if (!before.length && !stroke.inside) return;
    const [first] = stroke.points;
    const pointed = before.length ? before : [[first.x, first.y, true]];
    const radius = BRUSH / Math.max(stroke.plate.clientWidth, stroke.plate.clientHeight);
    const drawn = { points: fewer(stroke.points).map(({ x, y }) => [x, y]), radius, inside: stroke.inside };
    const choice = before.length ? Number(tile.dataset.choice) : undefined;
    this.point(tile, pointed, choice, [...JSON.parse(tile.dataset.strokes), drawn]);
  },
  clicked(event) {
    const { target } = event;
    if (this.justBrushed) return event.preventDefault();
    const to = target.closest("[data-to]");
    if (to && !(event.ctrlKey || event.metaKey)) {
      event.preventDefault();
      return this.go(to.getAttribute("href"));
    }
    const plate = target.closest("[data-plate]");
    if (plate && event.detail) return this.pointAt(plate.closest("[data-tile]"), placeIn(plate, event), event);
    const walk = target.closest("[data-walk]");
    if (walk) return this.act(`${this.address}/${walk.dataset.walk}`, { method: "POST" });
    if (target.closest("[data-drop-thread]")) return this.act(`${this.address}/${this.thread}`, { method: "DELETE" });
    const said = target.closest("[data-answer]");
    if (said) {
      const frame = said.closest("[data-question]").dataset.question;
      const json = { answer: said.dataset.answer };
      return this.act(`${this.address}/${this.thread}/frames/${frame}/answer`, { method: "POST", json });
    }
    const bead = target.closest("[data-go-tile]");
    if (!bead) return undefined;
    event.preventDefault();
    const tile = one(`[data-tile="${bead.dataset.goTile}"]`, this.root);
    tile.scrollIntoView({ block: "center" });
    return one("[data-plate]", tile)?.focus(); // none while the frame is not there yet
  },
  typed(event) {
    const plate = event.target.closest("[data-plate]");
    if (!plate || event.ctrlKey || event.metaKey) return;
    const tile = plate.closest("[data-tile]");
    const arrow = arrowOf(event.key);
    if (arrow) {
      const cross = this.crossOf(plate);
      Object.assign(cross, stepped(cross, arrow, event.shiftKey ? 5 * STEP : STEP));
      this.showCross(plate);
    } else if (event.key === "Enter" || event.key === " ") this.pointAt(tile, this.crossOf(plate), event);
    else if (event.key === "+" || event.key === "-") this.otherOutline(tile, event.key === "+" ? 1 : -1);
    else if (event.key === "Delete" || event.key === "Backspace") {
      const place = JSON.parse(tile.dataset.pointed).length > 0;
      const address = `${this.address}/${this.thread}/frames/${tile.dataset.tile}`;
      if (place) this.act(address, { method: "DELETE" });
    } else return;
    event.preventDefault();
  },
  wheeled(event) {
    const plate = event.target.closest("[data-plate]");
    if (!plate || plate !== document.activeElement) return;
    event.preventDefault();
    this.turned += event.deltaY;
    if (Math.abs(this.turned) < WHEEL) return;
    this.otherOutline(plate.closest("[data-tile]"), this.turned < 0 ? 1 : -1);
    this.turned = 0;
  },
  changed(event) {
    const address = `${this.address}/${this.thread}`;
    const { target } = event;
    const put = (json) => this.act(address, { method: "PUT", json });
    if (target.matches("[data-name]")) return put({ name: target.value });
    if (target.matches("[data-hold], [data-within]")) {
      const hold = target.matches("[data-within]") || target.checked;
      return put({ hold, within: Number(one("[data-within]", this.root).value) });
    }
    if (target.matches("[data-given]")) return put({ goal: "given", given: target.value });
    if (!target.matches("[data-goal]")) return undefined;
    if (target.value !== "given") return put({ goal: target.value });
    const place = one("[data-given-place]", this.root);
    place.hidden = false;
    return one("[data-given]", place).focus();
  },
  crossOf(plate) {
    const { tile } = plate.closest("[data-tile]").dataset;
    if (!this.crosses.has(tile)) this.crosses.set(tile, { x: 0.5, y: 0.5 });
    return this.crosses.get(tile);
  },
  showCross(plate) {
    if (!plate?.matches(":focus-visible")) return;
    const cross = one(".thread-cross", plate);
    const { x, y } = this.crossOf(plate);
    const { width, height } = one("svg", plate).viewBox.baseVal;
    cross.setAttribute("transform", `translate(${x * width} ${y * height})`);
    cross.removeAttribute("hidden");
  },
  hideCross(plate) {
    if (plate) one(".thread-cross", plate).setAttribute("hidden", "");
  },
});
