// The viewer: one frame large, as it came or with what has been done, beside something, split or alone, zoomed and
// panned, with a veil over it, and the colour under the pointer.

import { ask, one, say, setAddress, swapPicture } from "../lib/common.js";
import { latest, newestWins } from "../lib/draft.js";
import { cropBox, edgeFor, planOf, splitClip, splitWithin } from "../lib/views.js";
import { listenToZoom } from "./zooming.js";

const QUIET = 90; // ms between colours that are asked for while the pointer moves

export const viewer = () => ({
  shown: "look",
  arrange: "beside",
  zoom: 0,
  veil: "",
  veilQuery: "",
  split: 50,
  waiting: false,
  // All that it keeps is named here: a name that only the page around it has would be set there.
  root: null,
  facts: null,
  pictures: {},
  centre: { x: 0.5, y: 0.5 },
  asked: null,
  askedBeside: null,
  holding: false,
  moving: "",
  what: null,
  other: null,
  readColour: null,
  sizes: null,
  placed: null,
  where: "",
  cutting: false,
  init() {
    const root = this.$el;
    this.root = root;
    this.facts = JSON.parse(one("[data-facts]", root).textContent);
    this.pictures = this.facts.pictures;
    this.asked = latest();
    this.askedBeside = latest();
    const { reference } = this.facts;
    this.place(this.facts.placed);
    const other = this.facts.beside ?? reference;
    if (other) one("[data-mat-beside]", root).style.setProperty("--aspect", String(other.width / other.height));
    this.other = this.facts.beside?.picture ?? null;
    this.readColour = newestWins((place) => this.askColour(place));
    this.listen();
    this.sizes = new ResizeObserver(() => this.sized());
    this.sizes.observe(one("[data-mat]", root));
    this.fromAddress();
  },
  /** What is seen of the frame has this size from now on. */
  place(placed) {
    this.placed = placed;
    one(".easel-frame", this.root).style.setProperty("--aspect", String(placed.width / placed.height));
  },
  destroy() {
    this.sizes?.disconnect();
  },
  get picture() {
    return one("[data-picture]", this.root);
  },
  /** What the large picture is, in words. */
  inWords() {
    const shown = one(`[data-show="${this.holding ? "original" : this.shown}"]`, this.$root);
    return `${one("[data-picture]", this.$root).dataset.of}, ${shown.textContent.toLowerCase()}`;
  },
  /** The address of what is shown now, no smaller than it is drawn. */
  address() {
    const source = this.holding ? this.pictures.original : this.pictures[this.shown];
    return source.replace(/edge=\d+/, `edge=${edgeFor(this.picture.clientWidth * devicePixelRatio)}`);
  },
  async paint(quick = false) {
    const address = quick && this.shown === "look" && !this.holding ? `${this.address()}&quick=true` : this.address();
    const wanted = this.asked();
    await swapPicture(this.picture, address, wanted).catch((error) => wanted() && say(error.message));
  },
  show(name) {
    this.shown = name;
    setAddress({ shown: name === "look" ? null : name });
    this.paint();
    this.showVeil();
  },
  hold(on) {
    this.holding = on;
    this.asked(); // a picture that is on its way would take the place of this one
    this.picture.setAttribute("src", on ? this.pictures.original : this.address());
    this.cropAnew();
  },
  /** After a draft: everything that shows the picture shows the new one. */
  async follow({ pictures, quick, waiting, placed, where, cutting, seen }) {
    if (cutting !== undefined && cutting !== this.cutting) {
      this.cutting = cutting;
      this.showVeil();
      if (this.zoom) this.zoomTo(0);
    }
    if (waiting !== undefined) this.waiting = waiting;
    if (where !== undefined && where !== this.where) {
      this.where = where;
      if ((this.moving || this.veil) === "where") this.showVeil();
    }
    if (!pictures) return;
    this.pictures = pictures;
    if (placed) this.place(placed);
    await this.paint(quick);
    seen?.();
    if (quick) return;
    this.showVeil();
    if (this.what?.startsWith("strength")) this.besideBy(this.what);
  },
  arrangeAs(name) {
    this.arrange = name;
    setAddress({ arrange: name === "beside" ? null : name });
    this.$nextTick(() => this.sized());
  },
  sized() {
    this.splitAt();
    if (this.zoom) this.cropAnew();
    else if (!this.picture.src.includes(`edge=${edgeFor(this.picture.clientWidth * devicePixelRatio)}`)) this.paint();
  },
  setSplit(share) {
    this.split = Math.min(100, Math.max(0, Math.round(share)));
    this.splitAt();
  },
  /** What is before ends at the edge; at full size that is a place of the mat, about whose middle parts lie. */
  splitAt() {
    one("[data-over]", this.root).style.clipPath = splitClip(this.split);
    for (const edge of this.root.querySelectorAll("[data-edge]")) edge.style.left = `${this.split}%`;
    const before = one("[data-zoomed-before]", this.root);
    const mat = one("[data-mat]", this.root).clientWidth;
    before.style.clipPath = splitClip(splitWithin(this.split, mat, before.offsetWidth));
  },
  /** At a scale, 0 for the whole; a place in the picture may stay where it is seen: [its shares, its offset]. */
  zoomTo(scale, held = null) {
    if (held && scale) {
      const [place, offset] = held;
      const { width, height } = this.placed;
      const x = place.x - offset.x / (scale * width);
      const y = place.y - offset.y / (scale * height);
      this.centre = { x: Math.min(1, Math.max(0, x)), y: Math.min(1, Math.max(0, y)) };
    }
    this.zoom = scale;
    setAddress({ zoom: scale || null });
    for (const image of this.root.querySelectorAll(".zoomed")) image.hidden = true;
    if (scale) requestAnimationFrame(() => this.cropAnew());
    else this.showVeil();
  },
  /** A place in shares of the picture, at full size. */
  seeAt(place) {
    this.centre = { ...place };
    this.zoomTo(1);
  },
  /** The parts at full size that both mats show about the same centre. */
  cropAnew() {
    if (!this.zoom) return;
    const { slug, frame, reference } = this.facts;
    const { width, height } = this.placed;
    const source = this.holding ? this.pictures.original : this.pictures[this.shown];
    const under = (picture) => (box) => `/series/${slug}/frames/${frame}/crop.png?plan=${planOf(picture)}&place=${box}`;
    /** @type {any} A mat, its picture, and where parts of it are found. */
    const mine = { mat: one("[data-mat]", this.root), image: one("[data-zoomed]", this.root), width, height };
    mine.address = under(source);
    /** @type {any} */
    const theirs = { mat: one("[data-mat-beside]", this.root), image: one("[data-zoomed-beside]", this.root) };
    if (this.other) {
      const own = this.other === this.facts.beside?.picture ? this.facts.beside : this.placed;
      Object.assign(theirs, { width: own.width, height: own.height });
      theirs.address = under(this.other);
    } else if (reference) {
      Object.assign(theirs, reference);
      theirs.address = (box) => `/series/${slug}/references/${reference.id}/crop.png?place=${box}`;
    }
    const before = { ...mine, image: one("[data-zoomed-before]", this.root), address: under(this.pictures.original) };
    const veil = { ...mine, image: one("[data-zoomed-veil]", this.root) };
    const over = this.veilAddress();
    veil.address = over && ((box) => `${over}&place=${box}`);
    veil.image.hidden ||= !over;
    const sides = this.arrange === "split" ? [mine, before, veil] : [mine, theirs, veil];
    for (const side of sides) if (side.address && side.mat.clientWidth) this.cropInto(side);
  },
  async cropInto({ mat, image, width, height, address }) {
    const box = cropBox(mat, { width, height }, this.centre, this.zoom);
    const wanted = address(box.join(","));
    image.dataset.wanted = wanted;
    await swapPicture(image, wanted, () => this.zoom && image.dataset.wanted === wanted).catch(() => {});
    if (!this.zoom || image.dataset.wanted !== wanted) return;
    image.style.width = `${box[2] * this.zoom}px`;
    image.style.height = `${box[3] * this.zoom}px`;
    image.hidden = false;
    this.splitAt();
  },
  pan(dx, dy) {
    this.centre.x = Math.min(1, Math.max(0, this.centre.x + dx));
    this.centre.y = Math.min(1, Math.max(0, this.centre.y + dy));
    this.cropAnew();
  },
  /** Lay a veil over the picture that leaves open what clips, breaks up or is a face; again for no veil. */
  veilBy(what, query = "") {
    this.veil = this.veil === what && this.veilQuery === query ? "" : what;
    this.veilQuery = query;
    setAddress({ veil: this.veil || null, of: query.startsWith("colour=") ? query.slice(7) : null });
    this.showVeil();
  },
  /** Whether what clips is shown, and has to be explained. */
  clips() {
    return (this.moving || this.veil) === "clipping";
  },
  /** Show a veil while something moves: what clips, or where an area is; none when it rests. */
  showWhile(what) {
    if (this.moving === what) return;
    this.moving = what;
    this.showVeil();
  },
  /** Where the veil that is wanted is found, empty for none. */
  veilAddress() {
    const what = this.moving || this.veil;
    const { slug, frame } = this.facts;
    const plan = planOf(this.pictures[this.shown]);
    if (what === "where") return this.cutting ? "" : this.where; // the cut is seen without it
    return what && `/series/${slug}/frames/${frame}/veil.png?plan=${plan}&what=${what}&${this.veilQuery}`;
  },
  async showVeil() {
    if (this.zoom) return this.cropAnew();
    const image = one("[data-veil-picture]", this.root);
    const address = this.veilAddress();
    image.hidden = !address;
    image.dataset.wanted = address;
    if (address) await swapPicture(image, address, () => image.dataset.wanted === address).catch(() => {});
  },
  /** Let something stand beside: a reference, the frame as it came, or another state of the document. */
  async besideBy(what) {
    const wanted = this.askedBeside();
    if (what.startsWith("reference ")) {
      const id = what.slice(10);
      if (id === this.facts.reference?.id && !this.other) return;
      return this.$dispatch("go-to", { reference: id, beside: null });
    }
    this.what = what;
    try {
      const found = what === "original" ? this.pictures.original : await this.stateOf(what);
      if (!found || !wanted()) return;
      this.other = found;
      setAddress({ beside: what });
      const { width, height } = this.placed;
      one("[data-mat-beside]", this.root).style.setProperty("--aspect", String(width / height));
      const image = one("[data-reference-picture]", this.root);
      image.alt = `The same frame: ${what}`;
      const choice = one("[data-beside-choice]", this.root);
      if (![...choice.options].some((option) => option.value === what)) choice.add(new Option(what, what));
      choice.value = what;
      await swapPicture(image, found, wanted);
      if (wanted()) this.cropAnew();
    } catch (error) {
      say(error.message);
    }
  },
  /** The page that holds the document answers where the picture of another state of it lies. */
  stateOf(what) {
    return new Promise((resolve, reject) => this.$dispatch("other-state", { what, resolve, reject }));
  },
  async askColour({ x, y }) {
    const { slug, frame } = this.facts;
    const query = new URLSearchParams({ x: x.toFixed(4), y: y.toFixed(4), plan: planOf(this.pictures[this.shown]) });
    try {
      const found = await (await ask(`/series/${slug}/frames/${frame}/colour?${query}`)).json();
      this.say(found);
    } catch {
      // The next movement asks again.
    }
    await new Promise((resolve) => setTimeout(resolve, QUIET));
  },
  say({ came, now, near }) {
    const place = one("[data-readout]", this.root);
    const parts = [["came", came], ["now", now], ...(near ? [["target", near]] : [])];
    place.replaceChildren(
      ...parts.map(([word, colour]) => {
        const span = document.createElement("span");
        const swatch = document.createElement("span");
        swatch.className = "swatch";
        swatch.style.background = colour.hex;
        span.title = colour.figures;
        span.append(`${word} `, swatch, ` ${colour.name}, ${colour.apart ?? colour.lightness}`);
        return span;
      }),
    );
  },
  listen() {
    const root = this.root;
    const plate = one("[data-plate]", root);
    const share = (event) => {
      const box = plate.getBoundingClientRect();
      return { x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height };
    };
    plate.addEventListener("pointermove", (event) => {
      const place = share(event);
      if (place.x >= 0 && place.x <= 1 && place.y >= 0 && place.y <= 1) this.readColour(place);
    });
    for (const edge of root.querySelectorAll("[data-edge]")) this.listenToEdge(edge);
    one("[data-beside-choice]", root).addEventListener("change", (event) => this.besideBy(event.target.value));
    root.addEventListener("click", (event) => {
      const note = event.target.closest("[data-note]");
      if (note) this.veilBy(note.dataset.note, note.dataset.noteQuery);
    });
    for (const mat of [one("[data-mat]", root), one("[data-mat-beside]", root)]) {
      this.listenToMat(mat);
      listenToZoom(this, mat);
    }
  },
  /** The edge between before and after is dragged or stepped over what holds it, which is not panned meanwhile. */
  listenToEdge(edge) {
    edge.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
      if (!step) return;
      event.preventDefault();
      event.stopPropagation();
      this.setSplit(this.split + step * (event.shiftKey ? 10 : 1));
    });
    edge.addEventListener("pointerdown", (event) => {
      event.stopPropagation();
      edge.setPointerCapture(event.pointerId);
      const move = (at) => {
        const box = edge.parentElement.getBoundingClientRect();
        this.setSplit((100 * (at.clientX - box.left)) / box.width);
      };
      edge.addEventListener("pointermove", move);
      edge.addEventListener("pointerup", () => edge.removeEventListener("pointermove", move), { once: true });
    });
  },
  listenToMat(mat) {
    mat.addEventListener("pointerdown", (event) => {
      if (!this.zoom) return;
      event.preventDefault();
      mat.setPointerCapture(event.pointerId);
      let last = event;
      const { width, height } = this.placed;
      const move = (at) => {
        this.pan((last.clientX - at.clientX) / this.zoom / width, (last.clientY - at.clientY) / this.zoom / height);
        last = at;
      };
      mat.addEventListener("pointermove", move);
      mat.addEventListener("pointerup", () => mat.removeEventListener("pointermove", move), { once: true });
    });
    mat.addEventListener("keydown", (event) => {
      const to = { ArrowLeft: [-0.04, 0], ArrowRight: [0.04, 0], ArrowUp: [0, -0.04], ArrowDown: [0, 0.04] }[event.key];
      if (!this.zoom || !to) return;
      event.preventDefault();
      this.pan(to[0] * (event.shiftKey ? 4 : 1), to[1] * (event.shiftKey ? 4 : 1));
    });
  },
  /** Show what the address asks for. */
  fromAddress() {
    if (this.facts.large) return;
    const asked = new URL(location.href).searchParams;
    if (["split", "alone"].includes(asked.get("arrange"))) this.arrangeAs(asked.get("arrange"));
    if (["1", "2", "4"].includes(asked.get("zoom"))) this.zoomTo(Number(asked.get("zoom")));
    const of = asked.get("of");
    if (this.facts.veils.includes(asked.get("veil"))) this.veilBy(asked.get("veil"), of ? `colour=${of}` : "");
    if (Object.hasOwn(this.pictures, asked.get("shown"))) this.show(asked.get("shown"));
    if (/^(original|(strength|step|version) \d+)$/.test(asked.get("beside") ?? "")) {
      // The page that knows other states listens once it stands, too.
      this.$nextTick(() => this.besideBy(asked.get("beside")));
    }
  },
});
