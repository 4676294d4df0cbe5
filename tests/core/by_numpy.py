"""What `lanes` does to colours, said by numpy alone in double precision: what the compiled form is held against."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from nuvett.core.even import camera, light
from nuvett.core.fit import blend, casts, curves, grey, holds, hues, keep, moves, wash
from nuvett.core.measure import statistics
from nuvett.core.near import INNER, OUTER, STEEPEST, WIDEST, Ellipses
from nuvett.core.spaces import gamut
from nuvett.core.spaces.oklab import LINEAR_TO_LMS, LMS_TO_OKLAB
from nuvett.core.spaces.rgb import Space, matrix_between

Values = NDArray[np.float64]


def _doubles(values: Any) -> Values:
    return np.asarray(values, dtype=np.float64)


def stepped(t: Values) -> Values:
    s = np.clip(t, 0, 1)
    return s * s * (3 - 2 * s)


def between(values: Values, ends: tuple[float, float]) -> Values:
    return stepped((values - ends[0]) / (ends[1] - ends[0]))


def limited(movement: Values, limit: Values | float) -> Values:
    return np.asarray(movement / (1 + (np.abs(movement) / np.maximum(limit, 1e-6)) ** 3) ** (1 / 3))


def to_lab(linear: Any) -> Values:
    return np.asarray(np.cbrt(_doubles(linear) @ LINEAR_TO_LMS.T) @ LMS_TO_OKLAB.T)


def to_linear(lab: Any) -> Values:
    return np.asarray((_doubles(lab) @ np.linalg.inv(LMS_TO_OKLAB).T) ** 3 @ np.linalg.inv(LINEAR_TO_LMS).T)


def limit_of(lab: Values, cells: Any) -> Values:
    rows, columns = cells.shape[:2]
    down = np.clip(lab[:, 0], 0, 1) * rows
    across = np.arctan2(lab[:, 2], lab[:, 1]) % (2 * np.pi) * columns / (2 * np.pi)
    row, column = np.minimum(down.astype(int), rows - 1), np.minimum(across.astype(int), columns - 1)
    y, x, cell = down - row, across - column, _doubles(cells[row, column])
    return np.asarray(cell[:, 0] + x * cell[:, 1] + y * (cell[:, 2] + x * cell[:, 3]))


def within(lab: Any, space: Space) -> Values:
    lab, into = _doubles(lab), matrix_between(Space.SRGB, space).T
    plain = to_linear(lab) @ into
    chroma = np.maximum(np.hypot(lab[:, 1], lab[:, 2]), 1e-6)
    share = np.minimum(1, limit_of(lab, gamut.chroma_limits(space)) / chroma)
    lower = to_linear(np.stack([np.clip(lab[:, 0], 0, 1), share * lab[:, 1], share * lab[:, 2]], axis=1)) @ into
    outside = (plain.min(axis=1) < -1e-5) | (plain.max(axis=1) > 1 + 1e-5)
    return np.clip(np.where(outside[:, None], lower, plain), 0, 1)


def eased(before: Any, after: Any, space: Space) -> Values:
    before, after = _doubles(before), _doubles(after)
    limits = [np.maximum(limit_of(lab, gamut.gamut_boundary(space)), 1e-4) for lab in (before, after)]
    old, new = (np.hypot(lab[:, 1], lab[:, 2]) / limit for lab, limit in zip((before, after), limits, strict=True))
    knee = np.clip(old, gamut.KNEE, 1)
    over, room = np.maximum(new - knee, 0), np.maximum(gamut.EDGE - knee, 1e-3)
    made = np.minimum(new, knee) + room * over / (over + room)
    scale = np.where(new > gamut.KNEE, made / np.maximum(new, 1e-9), 1)
    return np.stack([after[:, 0], after[:, 1] * scale, after[:, 2] * scale], axis=1)


def gained(linear: Any, gains: Any, share: float) -> Values:
    linear, gains = _doubles(linear), _doubles(gains)
    white = between(linear.min(axis=1), light.CLIPPED)[:, None]
    own = gains * (1 - white) + float(light.LUMINANCE @ gains) * white
    plain = linear * own / (1 + (np.maximum(own, 1) ** 3 - 1) * np.minimum(np.abs(linear), 1) ** 3) ** (1 / 3)
    slope, shoulder, top = camera.CAMERA_CURVE
    raised = own**slope
    y = np.clip(linear, 0, 1) / np.where(raised > 1, 1, top)
    bent = linear * raised / (1 + (raised**shoulder - 1) * y**shoulder) ** (1 / shoulder)
    return np.asarray(plain + share * (bent - plain))


def moved(lab: Any, made: tuple[moves.Move, ...]) -> Values:
    lab = _doubles(lab)
    apart = np.stack([((lab - move.source) ** 2).sum(axis=1) / move.reach**2 for move in made], axis=1)
    weight = np.exp(-apart / 2) * [move.weight for move in made]
    by = np.array([move.by for move in made])
    return np.asarray(lab + weight @ by / (weight.sum(axis=1, keepdims=True) + moves.BACKGROUND))


def under_ceiling(chroma: Values, most: float) -> Values:
    knee, room = 0.75 * most, 0.25 * most
    above = np.maximum(chroma - knee, 0)
    return np.asarray(np.minimum(chroma, knee) + room * above / (room + above))


def ranged(lab: Any, bands: tuple[hues.HueBand, ...]) -> Values:
    """Tables bilinear in chroma and hue: turn, share of chroma and lightness; then ceilings by shares of ranges."""
    lab = _doubles(lab)
    chroma, hue = np.hypot(lab[:, 1], lab[:, 2]), np.arctan2(lab[:, 2], lab[:, 1])
    place = hue % (2 * np.pi) * 720 / (2 * np.pi)
    column = np.minimum(place.astype(int), 719)
    level = np.interp(chroma, hues._CHROMAS, np.arange(len(hues._CHROMAS)))
    row = np.minimum(level.astype(int), len(hues._CHROMAS) - 2)

    def looked_up(table: Any) -> Values:
        table, across, up = _doubles(table), (place - column)[:, None], (level - row)[:, None]
        low, high = (
            table[at, column] + across * (table[at, (column + 1) % 720] - table[at, column]) for at in (row, row + 1)
        )
        return np.asarray(low + up * (high - low))

    turn, richer, lighter = looked_up(hues._changes(bands)).T
    sure, seen = (1 - np.exp(-((chroma / grey) ** 2)) for grey in (0.018, 0.07))
    factor = np.maximum(1 + richer * sure, 0)
    shares, made = looked_up(hues._blurred(bands)), chroma * factor
    for band, share in zip(bands, shares.T, strict=True):
        if band.most is not None:
            below = under_ceiling(made, band.most / 100)
            factor = factor * (1 - share * (1 - below / np.maximum(made, 1e-6)))
    a = factor * (lab[:, 1] * np.cos(turn * sure) - lab[:, 2] * np.sin(turn * sure))
    b = factor * (lab[:, 1] * np.sin(turn * sure) + lab[:, 2] * np.cos(turn * sure))
    return np.stack([lab[:, 0] + lighter * seen, a, b], axis=1)


def bent(values: Values, up: bool) -> Values:
    """From light to codes or back by IEC 61966-2-1, of either sign."""
    size = np.abs(values)
    low, high = (
        (12.92 * size, 1.055 * size ** (1 / 2.4) - 0.055) if up else (size / 12.92, ((size + 0.055) / 1.055) ** 2.4)
    )
    return np.asarray(np.sign(values) * np.where(size <= (0.0031308 if up else 0.04045), low, high))


def laid_over(lab: Any, laid: Values, mode: blend.BlendMode) -> Values:
    """Linear light of colours with others blended over them: what lies outside 0 to 1 is kept beside the blending."""
    backdrop, source = (bent(to_linear(colours), True) for colours in (lab, laid))
    inside = np.clip(backdrop, 0, 1)
    return bent(backdrop + blend.BLENDS[mode](inside, np.clip(source, 0, 1)) - inside, False)


def beside_jumps(lab: Any, mode: blend.BlendMode) -> NDArray[np.bool_]:
    """Which colours (N,) lie so near to where a blend jumps that rounding decides on which side (half a code of 8 bits
    from black for dodging, from white for burning)."""
    jump = {"color-dodge": 1 / 510, "color-burn": 1 - 1 / 510}.get(mode, np.inf)
    return np.asarray((np.abs(bent(to_linear(lab), True) - jump) < 1e-5).any(axis=1))


def colours_of_wash(lab: Any, layer: wash.WashLayer) -> tuple[Values, Values]:
    """Colours that a wash lays, and how much of each: by CIE L*, within its range, faded at ends that are not open.

    Each stop lies 1e-4 L* above where it is said to, once more than the one before it.
    """
    own = np.clip(_doubles(lab)[:, 0], 0, 1)
    lightness = np.where(own**3 > 216 / 24389, 116 * own - 16, 24389 / 27 * own**3)
    where = 100 - lightness if layer.reversed else lightness
    at, colours = np.array([stop.at for stop in layer.stops]), np.array([stop.colour for stop in layer.stops])
    at = at + 1e-4 * np.arange(len(at))
    share = layer.amount / 100 * np.ones_like(own)
    for end, away in ((layer.low, lightness - layer.low), (100 - layer.high, layer.high - lightness)):
        share *= stepped(away / 8 + 0.5) if end > 0 else 1
    return np.stack([np.interp(where, at, column) for column in colours.T], axis=1), share


def colours_of_palette(lab: Any, colours: tuple[tuple[float, float, float], ...]) -> Values:
    own, palette = _doubles(lab)[:, 0], np.array(sorted(colours))
    return np.stack([own, *(np.interp(own, palette[:, 0], palette[:, i]) for i in (1, 2))], axis=1)


def curved(lab: Any, master: curves.Points, faded: float, channels: tuple[curves.Points, ...]) -> Values:
    def through(values: Values, table: Any) -> Values:
        inside = np.clip(values, 0, 1)
        return np.asarray(np.interp(inside, np.linspace(0, 1, len(table)), table) + (values - inside))

    lab = _doubles(lab)
    out = np.stack([through(lab[:, 0], curves.master_table(master, faded)), lab[:, 1], lab[:, 2]], axis=1)
    if all(curves.is_straight(points) for points in channels):
        return out
    encoded = bent(to_linear(out), True)
    made = [through(encoded[:, p], curves.channel_table(points)) for p, points in enumerate(channels)]
    return to_lab(bent(np.stack(made, axis=1), False))


def with_casts(lab: Any, shifts: Any) -> Values:
    lab = _doubles(lab)
    blacks, whites = 1 - between(lab[:, 0], casts._BLACKS), between(lab[:, 0], casts._WHITES)
    stays = between(lab[:, 0], casts._NOTHING) * (1 - between(lab[:, 0], casts._ALL))
    shares = np.stack([blacks, 1 - blacks - whites, whites]) * stays
    return np.concatenate([lab[:, :1], lab[:, 1:] + shares.T @ _doubles(shifts)], axis=1)


def saturated(lab: Any, saturation: float, vibrance: float, most: float | None) -> Values:
    lab = _doubles(lab)
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    factor = np.maximum((1 + saturation) * (1 + vibrance * np.exp(-((chroma / 0.12) ** 2))), 0)
    if most is not None:
        factor = factor * under_ceiling(chroma * factor, most) / np.maximum(chroma * factor, 1e-6)
    return lab * np.stack([np.ones_like(factor), factor, factor], axis=1)


def greyed(lab: Any, greys: tuple[grey.GreyHue, ...], toning: tuple[tuple[float, float], ...]) -> Values:
    """Each hue weighs by a tent about it, in degrees."""
    lab = _doubles(lab)
    hue, weight = np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360, np.zeros(len(lab))
    for each in (each for each in greys if each.on):
        away = (hue - each.hue + 180) % 360 - 180
        weight += each.lighter / 100 * np.maximum(1 - np.abs(away) / np.where(away < 0, each.before, each.after), 0)
    lightness = lab[:, 0] + grey.GAIN * weight * np.hypot(lab[:, 1], lab[:, 2])
    if not toning:
        return np.stack([lightness, *np.zeros((2, len(lab)))], axis=1)
    at = np.linspace(0, 1, len(toning))
    return np.stack([lightness, *(np.interp(lightness, at, column) for column in zip(*toning, strict=True))], axis=1)


def kept(before: Any, after: Any, vivid: float, whites: float) -> Values:
    before, after = _doubles(before), _doubles(after)
    own, ab = before[:, 1:], after[:, 1:]
    chroma = np.hypot(*own.T)
    near = np.exp(-(chroma**2) / keep.NEUTRAL**2) * (whites < 1)
    left = (1 - whites) * near * between(before[:, 0], keep.WHITE)
    left = left + (1 - left) * near * between(before[:, 0], keep.PAPER)
    ab = ab - left[:, None] * (ab - own)
    unit = own / np.maximum(chroma, 1e-6)[:, None]
    by = ab - chroma[:, None] * unit
    size = np.hypot(*by.T) + keep.FAINT
    opposed = between(-(by * unit).sum(axis=1) / size, keep.AGAINST) * between(chroma, keep.HAS_HUE)
    made = np.hypot(*ab.T) + keep.FAINT
    nearer = np.maximum((ab * unit).sum(axis=1) / made, (ab * by).sum(axis=1) / (made * size))
    ab = ab * (1 - keep.GREYED * opposed * between(-nearer, keep.FOREIGN))[:, None]
    if vivid > 0:
        least, turned = vivid * np.maximum(chroma, 1e-6), np.stack([-unit[:, 1], unit[:, 0]], axis=1)
        along = np.maximum((ab * unit).sum(axis=1), 0)
        held = (along**8 + least**8) ** (1 / 8)
        across = limited((ab * turned).sum(axis=1), keep.TURN * held)
        back = held[:, None] * unit + across[:, None] * turned - ab
        distance = np.maximum(np.hypot(*back.T), 1e-9)
        share = limited(distance, keep.BACK_BY_CHROMA * np.maximum(chroma - keep.SOFT, 0)) / distance
        ab = ab + share[:, None] * back
    return np.concatenate([after[:, :1], ab], axis=1)


def held(before: Any, after: Any, family: Ellipses, limits: holds.HoldLimits) -> Values:
    radius = family.near(before).radius
    before, after = _doubles(before), _doubles(after)
    old, new = (np.hypot(lab[:, 1], lab[:, 2]) for lab in (before, after))
    chroma = old + limited(new - old, old * limits.chroma / 100)
    turn = np.arctan2(after[:, 2], after[:, 1]) - np.arctan2(before[:, 2], before[:, 1])
    turn = (turn + np.pi) % (2 * np.pi) - np.pi
    meant = np.minimum(1 + np.cos(turn), 1) * np.minimum(new / holds.COLOURLESS, 1)
    hue = np.arctan2(before[:, 2], before[:, 1]) + limited(turn, float(np.radians(limits.hue))) * meant
    lightness = before[:, 0] + limited(after[:, 0] - before[:, 0], limits.lightness / 116)
    back = np.stack([lightness, chroma * np.cos(hue), chroma * np.sin(hue)], axis=1) - after
    distance = np.linalg.norm(back, axis=1)
    width = np.full(len(back), OUTER - INNER)
    if family.most is None:
        width = np.clip(distance * 1.5 / (STEEPEST * family.unit), width, WIDEST)
    else:
        back = back * (limited(distance, family.most) / np.maximum(distance, 1e-9))[:, None]
    return np.asarray(after + (1 - stepped((radius - INNER) / width))[:, None] * back)


def measured_zones(lab: Any) -> tuple[Values, Values, Values]:
    """Tints, evidence and spread by zones of lightness, as `statistics.measure_zones` gives them."""
    lab, count = _doubles(lab), len(lab)
    lightness, ab = lab[:, 0], lab[:, 1:]
    off = statistics.ZONE_LIGHTNESS[:, None].astype(np.float64) - lightness
    narrow, broad = (np.exp(-0.5 * (off / width) ** 2) for width in (statistics.NARROW, statistics.BROAD))

    def about(few: Values, centre: Values, width: float) -> Values:
        return np.asarray(np.exp(-((few[None] - centre[:, None]) ** 2).sum(axis=2) / 2 / width**2))

    step = max(1, count // statistics.MODE_COLOURS)
    few, kernel = ab[::step], narrow[:, ::step]
    near = [few[inside] for inside in kernel > statistics.KERNEL_EDGE]
    mode = np.array([np.median(each, axis=0) / 2 if len(each) else (0, 0) for each in near])
    for _ in range(statistics.SHIFTS):
        weight = kernel / (1 + (few**2).sum(axis=1) / statistics.STRONG**2)
        pull = weight * about(few, mode, 1.2 * statistics.CAST) + statistics.UNWEIGHTED
        mode = pull @ few / pull.sum(axis=1, keepdims=True)
    counts = about(ab, mode, statistics.CAST) + statistics.ALL_COUNT

    def shrunk(inner: Values, values: Values, outer: Values) -> Values:
        share, around = (weights.sum(axis=1, keepdims=True) / count for weights in (inner, outer))
        borrowed = (outer @ values / count + statistics.PRIOR * values.mean(axis=0)) / (around + statistics.PRIOR)
        return np.asarray((inner @ values / count + statistics.PRIOR * borrowed) / (share + statistics.PRIOR))

    tint = shrunk(narrow * counts, ab, broad * counts)
    left = ab - np.stack([np.interp(lightness, statistics.ZONE_LIGHTNESS, column) for column in tint.T], axis=1)
    products = np.stack([left[:, 0] ** 2, left[:, 0] * left[:, 1], left[:, 1] ** 2], axis=1)
    return tint, narrow.mean(axis=1), shrunk(broad, products, np.ones_like(broad))
