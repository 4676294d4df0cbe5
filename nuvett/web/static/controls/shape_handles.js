// Handles of shapes: where each lies on a frame, and what of the shape follows when it is put elsewhere. Nothing here
// touches the page.

/** Handles of a part: where each lies in shares of the uncut frame, and what a new place makes of the part. */
export const HANDLES = {
  round: (part, size) => {
    const edge = Math.max(...size);
    const angle = (part.turn * Math.PI) / 180;
    const along = [Math.cos(angle) * edge, Math.sin(angle) * edge];
    const at = (across, down) => [
      part.x + (along[0] * across - along[1] * down) / size[0],
      part.y + (along[1] * across + along[0] * down) / size[1],
    ];
    const away = ([x, y]) => {
      const [dx, dy] = [(x - part.x) * size[0], (y - part.y) * size[1]];
      return [(dx * along[0] + dy * along[1]) / edge / edge, (dy * along[0] - dx * along[1]) / edge / edge];
    };
    const [across, down] = [part.across / 100, part.down / 100];
    const outer = down * (1 + part.soft / 100);
    const percent = (share) => Math.min(150, Math.max(0.5, Math.round(Math.abs(share) * 1000) / 10));
    return [
      ["middle", "Middle", "circle", at(0, 0), ([x, y]) => ({ x, y })],
      ["across", "Half width", "square", at(across, 0), (to) => ({ across: percent(away(to)[0]) })],
      ["down", "Half height", "square", at(0, down), (to) => ({ down: percent(away(to)[1]) })],
      [
        "soft",
        "Softness",
        "diamond",
        at(0, -outer),
        (to) => ({ soft: Math.min(200, Math.max(0, Math.round((Math.abs(away(to)[1]) / down - 1) * 100))) }),
      ],
      [
        "turn",
        "Turn",
        "circle",
        at(across * 1.3 + 0.02, 0),
        ([x, y]) => {
          const turn = Math.atan2((y - part.y) * size[1], (x - part.x) * size[0]);
          return { turn: Math.round((turn * 180) / Math.PI) };
        },
      ],
    ];
  },
  straight: (part) => [
    ["from", "Whole from here", "circle", [part.x, part.y], ([x, y]) => ({ x, y })],
    ["to", "Faded out here", "diamond", [part.end_x, part.end_y], ([x, y]) => ({ end_x: x, end_y: y })],
    [
      "both",
      "The whole line",
      "square",
      [(part.x + part.end_x) / 2, (part.y + part.end_y) / 2],
      ([x, y]) => {
        const [dx, dy] = [x - (part.x + part.end_x) / 2, y - (part.y + part.end_y) / 2];
        return { x: part.x + dx, y: part.y + dy, end_x: part.end_x + dx, end_y: part.end_y + dy };
      },
    ],
  ],
};

/** A change of a part, rounded and bounded as documents keep it. */
export const kept = (change) =>
  Object.fromEntries(
    Object.entries(change).map(([name, value]) => {
      const share = ["x", "y", "end_x", "end_y"].includes(name);
      return [name, share ? Math.min(3, Math.max(-2, Math.round(value * 1e4) / 1e4)) : value];
    }),
  );
