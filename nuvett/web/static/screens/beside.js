// Beside: finished frames beside each other, zoomed and moved together, and what a step goes into.

import { all, one } from "../lib/common.js";

const SETTLE = 120; // ms that a part rests before it is asked for

export const beside = () => ({
  zoom: false,
  centre: { x: 0.5, y: 0.5 },
  waiting: 0,
  init() {
    const root = this.$root;
    root.addEventListener("change", (event) => this.changed(event));
    root.addEventListener("click", (event) => this.clicked(event));
    for (const mat of all("[data-beside-mat]", root)) this.listen(mat);
    for (const back of all("[data-back]", root)) back.value = location.search || this.query(this.columns());
    window.addEventListener("resize", () => this.zoom && this.show());
  },
  columns() {
    return all("[data-column]", this.$root).map((column) => {
      const frame = one("[data-column-frame]", column).value;
      return `${frame}:${one("[data-column-state]", column).value}`;
    });
  },
  query(columns) {
    return `?${columns.map((column) => `of=${encodeURIComponent(column)}`).join("&")}`;
  },
  go(columns) {
    location.search = this.query(columns);
  },
  changed(event) {
    if (event.target.matches("[data-column-frame], [data-column-state]")) this.go(this.columns());
    if (event.target.matches("[data-into-choice]")) {
      for (const into of all("[data-into]", this.$root)) into.value = event.target.value;
    }
  },
  clicked(event) {
    const zoom = event.target.closest("[data-zoom-to]");
    if (zoom) this.setZoom(Boolean(zoom.dataset.zoomTo));
    const columns = this.columns();
    if (event.target.closest("[data-drop-column]")) this.go(columns.slice(0, -1));
    if (event.target.closest("[data-add-column]")) {
      const shown = columns.map((column) => column.split(":")[0]);
      const every = [...one("[data-column-frame]", this.$root).options].map((option) => option.value);
      this.go([...columns, `${every.find((frame) => !shown.includes(frame)) ?? every[0]}:`]);
    }
  },
  setZoom(zoom) {
    this.zoom = zoom;
    for (const button of all("[data-zoom-to]", this.$root)) {
      button.setAttribute("aria-pressed", String(Boolean(button.dataset.zoomTo) === zoom));
    }
    this.show();
  },
  /** Show the whole of all frames, or the same part of each, pixel by pixel. */
  show() {
    clearTimeout(this.waiting);
    for (const mat of all("[data-beside-mat]", this.$root)) {
      const part = one("[data-part-of]", mat);
      if (!this.zoom) part.hidden = true;
      one("[data-whole]", mat).hidden = this.zoom;
      part.style.transform = "";
    }
    const crop = () => all("[data-beside-mat]", this.$root).forEach((mat) => this.crop(mat));
    if (this.zoom) this.waiting = setTimeout(crop, SETTLE);
  },
  crop(mat) {
    const { frame, plan, width, height } = mat.dataset;
    const size = [Math.min(mat.clientWidth, Number(width)), Math.min(mat.clientHeight, Number(height))];
    const left = Math.round(Math.min(Number(width) - size[0], Math.max(0, this.centre.x * width - size[0] / 2)));
    const top = Math.round(Math.min(Number(height) - size[1], Math.max(0, this.centre.y * height - size[1] / 2)));
    const part = one("[data-part-of]", mat);
    part.src = `/series/${this.$root.dataset.slug}/frames/${frame}/crop.png?plan=${plan}&place=${left},${top},${size}`;
    part.hidden = false;
  },
  listen(mat) {
    mat.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      const from = { x: event.clientX, y: event.clientY, ...{ cx: this.centre.x, cy: this.centre.y } };
      let dragged = false;
      mat.setPointerCapture(event.pointerId);
      const move = (at) => {
        const away = [at.clientX - from.x, at.clientY - from.y];
        if (Math.hypot(...away) > 4) dragged = true;
        if (!dragged || !this.zoom) return;
        const moved = `translate(${away[0]}px, ${away[1]}px)`;
        for (const other of all("[data-part-of]", this.$root)) other.style.transform = moved;
      };
      const end = (at) => {
        mat.removeEventListener("pointermove", move);
        if (!dragged) return this.pointed(mat, at);
        if (!this.zoom) return undefined;
        this.centre.x = Math.min(1, Math.max(0, from.cx - (at.clientX - from.x) / mat.dataset.width));
        this.centre.y = Math.min(1, Math.max(0, from.cy - (at.clientY - from.y) / mat.dataset.height));
        return this.show();
      };
      mat.addEventListener("pointermove", move);
      mat.addEventListener("pointerup", end, { once: true });
    });
  },
  /** A click: that place at 1:1 in all frames, or the whole of them again. */
  pointed(mat, event) {
    if (this.zoom) return this.setZoom(false);
    const box = mat.getBoundingClientRect();
    const { width, height } = mat.dataset;
    const scale = Math.min(box.width / width, box.height / height);
    const seen = [width * scale, height * scale];
    const across = event.clientX - box.left - (box.width - seen[0]) / 2;
    const down = event.clientY - box.top - (box.height - seen[1]) / 2;
    this.centre.x = Math.min(1, Math.max(0, across / seen[0]));
    this.centre.y = Math.min(1, Math.max(0, down / seen[1]));
    return this.setZoom(true);
  },
});
