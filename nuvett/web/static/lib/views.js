// What the viewer works out: sizes, parts and clips. Nothing here touches the page.

const EDGES = [640, 1280, 1600];

/** The long edge of a picture that is enough for a width in device pixels. */
export function edgeFor(width) {
  return EDGES.find((edge) => edge >= width) ?? EDGES.at(-1);
}

/** The plan that an address of a picture names, empty for the frame as it came. */
export function planOf(address) {
  return new URL(address, "http://here").searchParams.get("plan") ?? "";
}

/** The part of a picture at full size, [x, y, width, height], that a mat shows about a centre, at a zoom. */
export function cropBox(mat, picture, centre, zoom) {
  const width = Math.min(picture.width, Math.max(1, Math.round(mat.clientWidth / zoom)), 2000);
  const height = Math.min(picture.height, Math.max(1, Math.round(mat.clientHeight / zoom)), 2000);
  const within = (middle, size, whole) => Math.round(Math.min(whole - size, Math.max(0, middle * whole - size / 2)));
  return [within(centre.x, width, picture.width), within(centre.y, height, picture.height), width, height];
}

const SCALES = [0, 1, 2, 4];

/** The next scale inward or outward; 0 shows the whole, and ends are stayed at. */
export function nextScale(scale, inward) {
  const at = SCALES.indexOf(scale) + (inward ? 1 : -1);
  return SCALES[Math.min(SCALES.length - 1, Math.max(0, at))];
}

/** The place of a picture, in shares, at an offset from the middle of a mat, in pixels; at scale 0 it is seen whole. */
export function placeUnder(offset, mat, picture, centre, scale) {
  const fit = Math.min(mat.width / picture.width, mat.height / picture.height);
  const [x, y] = [offset.x / ((scale || fit) * picture.width), offset.y / ((scale || fit) * picture.height)];
  const from = scale ? centre : { x: 0.5, y: 0.5 };
  return { x: Math.min(1, Math.max(0, from.x + x)), y: Math.min(1, Math.max(0, from.y + y)) };
}

/** What of the picture before is seen: all that lies left of the edge, in percent. */
export function splitClip(split) {
  return `inset(0 ${100 - split}% 0 0)`;
}

/** Where an edge at a share of a mat, in percent, lies in a picture of a width about the mat's middle. */
export function splitWithin(split, mat, picture) {
  const from = (mat - picture) / 2;
  return picture ? Math.min(100, Math.max(0, (100 * ((split / 100) * mat - from)) / picture)) : split;
}
