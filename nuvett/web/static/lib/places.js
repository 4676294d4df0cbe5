// Places on a frame: what a matrix or a lens makes of them, and shapes as points. Nothing here touches the page.

/**
 * A place through a 3 by 3 matrix of rows.
 * @returns {[number, number]}
 */
export function through(matrix, [x, y]) {
  const [across, down, over] = matrix.map(([a, b, c]) => a * x + b * y + c);
  return [across / over, down / over];
}

/** The inverse of a 3 by 3 matrix of rows. */
export function inverse([[a, b, c], [d, e, f], [g, h, i]]) {
  const over = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  const rows = [
    [e * i - f * h, c * h - b * i, b * f - c * e],
    [f * g - d * i, a * i - c * g, c * d - a * f],
    [d * h - e * g, b * g - a * h, a * e - b * d],
  ];
  return rows.map((row) => row.map((value) => value / over));
}

/**
 * A place moved by shifts, rows of [x, y] at even places from edge to edge of a frame; between them evenly.
 * @returns {[number, number]}
 */
export function shifted(rows, [x, y]) {
  const cells = rows.length - 1;
  const cell = (share) => Math.min(Math.max(Math.floor(share * cells), 0), cells - 1);
  const within = (share) => Math.min(Math.max(share, 0), 1) * cells - cell(share);
  const [column, row, right, below] = [cell(x), cell(y), within(x), within(y)];
  const along = (line, axis) => {
    const near = rows[line][column][axis];
    return near + right * (rows[line][column + 1][axis] - near);
  };
  const shift = (axis) => along(row, axis) + below * (along(row + 1, axis) - along(row, axis));
  return [x + shift(0), y + shift(1)];
}

/**
 * Points of an ellipse, in shares of a frame of a size; radii are percent of its long edge.
 * @returns {[number, number][]}
 */
export function ellipse({ x, y, across, down, turn }, [width, height], edge, scale, count = 72) {
  const angle = (turn * Math.PI) / 180;
  return Array.from({ length: count }, (_, index) => {
    const at = (2 * Math.PI * index) / count;
    const along = ((across * scale) / 100) * edge * Math.cos(at);
    const side = ((down * scale) / 100) * edge * Math.sin(at);
    return [
      x + (along * Math.cos(angle) - side * Math.sin(angle)) / width,
      y + (along * Math.sin(angle) + side * Math.cos(angle)) / height,
    ];
  });
}

/** A radius in percent of the long edge, as shares of the width and of the height of a frame. */
export function boxOf([width, height], radius) {
  const pixels = (radius / 100) * Math.max(width, height);
  return [pixels / width, pixels / height];
}

const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

/** The way that an arrow key goes, [x, y]; undefined for other keys. */
export const arrowOf = (key) => ARROWS[key];

/** A place in shares a step along an arrow, kept inside the picture. */
export const stepped = ({ x, y }, arrow, step) => ({
  x: Math.min(1, Math.max(0, x + arrow[0] * step)),
  y: Math.min(1, Math.max(0, y + arrow[1] * step)),
});
