// How the frame is looked at on Shape: original or look, beside, split or alone, zoomed and panned, with clipping
// shown, and beside another state of the look.

import { all, ask, one, press, say, setAddress, swapPicture } from "./common.js";
import { latest, newestWins } from "./draft.js";

export function connectViews(page) {
  const { root, slug, frame, reference } = page;
  const picture = one("[data-picture]", root);
  const before = one("[data-picture-before]", root);
  const easel = one("[data-easel]", root);
  const mat = one("[data-mat]", root);
  const matBeside = one("[data-mat-beside]", root);
  const beside = one("[data-reference-picture]", root);
  const over = one("[data-over]", root);
  const edge = one("[data-edge]", root);
  const clipping = one("[data-clipping-picture]", root);
  const view = { split: 50, zoom: 0, x: 0.5, y: 0.5, veil: "", moving: false, other: null, mats: null };
  const asked = latest();

  const planOf = (address) => new URL(address, location.href).searchParams.get("plan") ?? "";
  const show = async (name) => {
    page.shown = name;
    const buttons = all("[data-show]", root);
    press(
      buttons,
      buttons.find((button) => button.dataset.show === name),
    );
    if (!page.pictures[name]) return page.draft({ proofs: false });
    await swapPicture(picture, page.pictures[name], () => !page.holding && page.shown === name);
    follow();
  };
  const fit = () => {
    const split = easel.dataset.arrange === "split";
    over.hidden = edge.hidden = !split || view.zoom > 0;
    const box = mat.getBoundingClientRect();
    const at = picture.getBoundingClientRect();
    const over_picture = {
      position: "absolute",
      left: `${at.left - box.left}px`,
      top: `${at.top - box.top}px`,
      width: `${at.width}px`,
      height: `${at.height}px`,
    };
    Object.assign(clipping.style, over_picture);
    if (over.hidden) return;
    Object.assign(before.style, over_picture);
    const x = at.left - box.left + (at.width * view.split) / 100;
    over.style.clipPath = `inset(0 ${box.width - x}px 0 0)`;
    edge.style.left = `${x}px`;
    edge.setAttribute("aria-valuenow", String(Math.round(view.split)));
  };
  const showClipping = () => {
    clipping.hidden = !(view.veil || view.moving) || view.zoom > 0;
    if (clipping.hidden) return;
    const plan = planOf(page.pictures[page.shown]);
    const what = view.moving ? "clipping" : view.veil;
    const asked = new URLSearchParams({ edge: 1280, what, ...(plan && { plan }) });
    clipping.src = `/series/${slug}/frames/${frame}/veil.png?${asked}`;
    fit();
  };

  /** Place of a crop around the same share of a picture, as large as its mat at a zoom; never beyond the picture. */
  const placeIn = (image, box) => {
    const full = [Number(image.getAttribute("width")), Number(image.getAttribute("height"))];
    const size = [
      Math.min(full[0], Math.round(box.width / view.zoom)),
      Math.min(full[1], Math.round(box.height / view.zoom)),
    ];
    const from = [view.x, view.y].map((share, i) =>
      Math.round(Math.min(full[i] - size[i], Math.max(0, share * full[i] - size[i] / 2))),
    );
    return [...from, ...size];
  };
  const put = async (image, address, place) => {
    await swapPicture(image, address);
    Object.assign(image.style, { width: `${place[2] * view.zoom}px`, height: `${place[3] * view.zoom}px` });
    image.hidden = false;
  };
  const crops = newestWins(async () => {
    if (!view.zoom) return;
    try {
      const place = placeIn(picture, view.mats[0]);
      const plan = planOf(page.pictures[page.holding ? "original" : page.shown]);
      await put(
        one("[data-zoomed]", root),
        `/series/${slug}/frames/${frame}/crop.png?place=${place.join(",")}${plan ? `&plan=${plan}` : ""}`,
        place,
      );
      if (!beside || easel.dataset.arrange !== "beside") return;
      const there = view.other ? place : placeIn(beside, view.mats[1]);
      const address = view.other
        ? `/series/${slug}/frames/${frame}/crop.png?place=${there.join(",")}&plan=${planOf(view.other)}`
        : `/series/${slug}/references/${reference}/crop.png?place=${there.join(",")}`;
      await put(one("[data-zoomed-beside]", root), address, there);
    } catch {
      say("This part cannot be shown at full size.");
    }
  });
  const zoom = (scale) => {
    if (!view.zoom) view.mats = [mat.getBoundingClientRect(), matBeside.getBoundingClientRect()];
    view.zoom = scale;
    press(all("[data-zoom]", root), one(`[data-zoom="${scale}"]`, root));
    setAddress({ zoom: scale || null });
    for (const [box, inner] of [
      [mat, picture],
      [matBeside, beside],
    ]) {
      if (!inner) continue;
      const size = view.mats?.[box === mat ? 0 : 1];
      box.classList.toggle("mat-zoomed", scale > 0);
      box.style.height = scale ? `${size.height}px` : "";
      inner.style.visibility = scale ? "hidden" : "";
      box.tabIndex = scale ? 0 : -1;
    }
    for (const image of all(".zoomed", root)) image.hidden = true;
    showClipping();
    fit();
    if (scale) crops(null);
  };
  /** After a draft: everything that shows the picture shows the new one. */
  const follow = () => {
    showClipping();
    fit();
    if (view.zoom) crops(null);
    if (view.what?.startsWith("strength")) other(view.what);
  };
  /** Let the caption say what stands beside. */
  const caption = (what) => {
    const choice = one("[data-beside-choice]", root);
    if (![...choice.options].some((option) => option.value === what)) choice.add(new Option(what, what));
    choice.value = what;
  };
  const other = async (what) => {
    view.what = what;
    const wanted = asked();
    if (what.startsWith("reference ")) {
      const id = what.slice(10);
      if (id === reference && !view.other) return;
      setAddress({ frame, reference: id, beside: null });
      return location.reload();
    }
    try {
      const json = { look: page.look, frame, reference, what };
      const found = (await (await ask(`/series/${slug}/shape/other`, { method: "POST", json })).json()).picture;
      if (!wanted()) return;
      view.other = found;
      caption(what);
      setAddress({ beside: what });
      beside.setAttribute("width", picture.getAttribute("width"));
      beside.setAttribute("height", picture.getAttribute("height"));
      beside.alt = `The same frame under ${what}`;
      beside.closest("figure").style.flexGrow = picture.closest("figure").style.flexGrow;
      await swapPicture(beside, found, wanted);
      if (view.zoom) crops(null);
    } catch (error) {
      say(error.message);
    }
  };

  const arrangeAs = (name) => {
    if (view.zoom) zoom(0);
    easel.dataset.arrange = name;
    press(all("[data-arrange]:is(button)", root), one(`[data-arrange="${name}"]:is(button)`, root));
    setAddress({ arrange: name === "beside" ? null : name });
    fit();
  };
  /** Lay a veil over the picture that leaves open what clips, breaks up or is a face; none for no veil. */
  const veil = (what) => {
    view.veil = what;
    one("[data-clipping]:is(button)", root).setAttribute("aria-pressed", String(what === "clipping"));
    setAddress({ veil: what || null });
    showClipping();
  };

  root.addEventListener("click", (event) => {
    const find = (name) => event.target.closest(`[data-${name}]:is(button)`)?.dataset;
    const shown = find("show");
    if (shown) return show(shown.show);
    const arrange = find("arrange");
    if (arrange) return arrangeAs(arrange.arrange);
    const scale = find("zoom");
    if (scale) return zoom(Number(scale.zoom));
    const step = find("beside-step");
    if (step) {
      one("#history", root).close();
      return other(`step ${step.besideStep}`);
    }
    const note = find("note");
    const what = note ? note.note : find("clipping") && "clipping";
    if (what) veil(view.veil === what ? "" : what);
  });
  one("[data-beside-choice]", root).addEventListener("change", (event) => other(event.target.value));
  const held = one("[data-held]", root);
  held.addEventListener("hold", () => {
    page.holding = true;
    picture.setAttribute("src", page.pictures.original);
    crops(null);
  });
  held.addEventListener("release", () => {
    page.holding = false;
    picture.setAttribute("src", page.pictures[page.shown]);
    crops(null);
  });
  window.addEventListener("resize", fit);
  picture.addEventListener("load", fit);
  edge.addEventListener("keydown", (event) => {
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!step) return;
    event.preventDefault();
    view.split = Math.min(100, Math.max(0, view.split + step * (event.shiftKey ? 10 : 1)));
    fit();
  });
  edge.addEventListener("pointerdown", (event) => {
    edge.setPointerCapture(event.pointerId);
    const move = (at) => {
      const box = picture.getBoundingClientRect();
      view.split = Math.min(100, Math.max(0, (100 * (at.clientX - box.left)) / box.width));
      fit();
    };
    edge.addEventListener("pointermove", move);
    edge.addEventListener("pointerup", () => edge.removeEventListener("pointermove", move), { once: true });
  });

  // Panning moves both pictures at once.
  const pan = (dx, dy) => {
    view.x = Math.min(1, Math.max(0, view.x + dx));
    view.y = Math.min(1, Math.max(0, view.y + dy));
    crops(null);
  };
  for (const box of [mat, matBeside]) {
    box.addEventListener("pointerdown", (event) => {
      if (!view.zoom) return;
      event.preventDefault();
      box.setPointerCapture(event.pointerId);
      let last = event;
      const move = (at) => {
        pan(
          (last.clientX - at.clientX) / view.zoom / picture.getAttribute("width"),
          (last.clientY - at.clientY) / view.zoom / picture.getAttribute("height"),
        );
        last = at;
      };
      box.addEventListener("pointermove", move);
      box.addEventListener("pointerup", () => box.removeEventListener("pointermove", move), { once: true });
    });
    box.addEventListener("keydown", (event) => {
      const to = { ArrowLeft: [-0.04, 0], ArrowRight: [0.04, 0], ArrowUp: [0, -0.04], ArrowDown: [0, 0.04] }[event.key];
      if (!view.zoom || !to) return;
      event.preventDefault();
      pan(to[0] * (event.shiftKey ? 4 : 1), to[1] * (event.shiftKey ? 4 : 1));
    });
  }
  /** Show what the address asks for, once the picture is there to be measured. */
  const fromAddress = async () => {
    const asked = new URL(location.href).searchParams;
    await picture.decode().catch(() => {});
    if (["split", "alone"].includes(asked.get("arrange"))) arrangeAs(asked.get("arrange"));
    if (["1", "2"].includes(asked.get("zoom"))) zoom(Number(asked.get("zoom")));
    if (["clipping", "steep", "skin"].includes(asked.get("veil"))) veil(asked.get("veil"));
    if (/^(strength|step|version) \d+$/.test(asked.get("beside"))) other(asked.get("beside"));
  };
  fromAddress();
  return {
    follow,
    /** Show what clips while an end of the tone scale is dragged. */
    clipWhile(on) {
      if (view.moving === on) return;
      view.moving = on;
      showClipping();
    },
  };
}
