"""The hand-made global steps on OKLab colours, in the order in which they act."""

from collections.abc import Callable

import numpy as np
from scipy.interpolate import PchipInterpolator

from nuvett.core.even.light import apply_gains, join_gains
from nuvett.core.fit.blend import blend_over
from nuvett.core.fit.statistics import interpolate_zones
from nuvett.core.look.steps import (
    HUE_PLACES,
    HUES,
    CurvePoint,
    CurveStep,
    ExposureStep,
    FilterStep,
    MonoStep,
    OwnMove,
    Part,
    SaturationStep,
    WashStep,
    WhiteStep,
)
from nuvett.core.reading.palette import Colour
from nuvett.core.spaces.cielab import lightness_of_oklab, neutral_oklab, oklab_of_lightness
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear, oklch_to_oklab
from nuvett.core.spaces.rgb import from_linear, to_linear
from nuvett.core.types import Document, Floats, OKLab

_TABLE = 513  # points that curves are looked up from
_LIGHTNESS_COUNTS = 0.5  # of a difference in lightness, when it is judged whether a move by hand reaches a colour
_GEL_CHROMA = 0.16  # of the tint filter at full density
_MONO_GAIN = 0.9  # L per chroma at a weight of 100
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], dtype=np.float32)  # IEC 61966-2-1


class HandMade(Document):
    """Hand-made global steps as a plan carries them; the target's palette is put into the wash.

    toning : (17, 2) a and b by lightness that black-and-white is toned with, none for neutral greys
    """

    own: tuple[OwnMove, ...] = ()
    own_part: Part = "both"
    curve: CurveStep = CurveStep()
    wash: WashStep = WashStep()
    tint_filter: FilterStep = FilterStep()
    mono: MonoStep = MonoStep()
    toning: tuple[tuple[float, float], ...] = ()


def only(part: Part, before: OKLab, after: OKLab) -> OKLab:
    """What a step did to OKLab colours (N, 3), its colour or its tone alone if asked."""
    if part == "both":
        return after
    out = before.copy()
    if part == "tone":
        out[:, 0] = after[:, 0]
    else:
        out[:, 1:] = after[:, 1:]
    return out


def _taken(amount: float, before: OKLab, after: OKLab) -> OKLab:
    return after if amount == 100 else np.asarray(before + np.float32(amount / 100) * (after - before))


def _step(lab: OKLab, work: Callable[[OKLab], OKLab], part: Part, amount: float) -> OKLab:
    return lab if amount == 0 else _taken(amount, lab, only(part, lab, work(lab)))


def move_by_hand(lab: OKLab, moves: tuple[OwnMove, ...]) -> OKLab:
    """OKLab colours (N, 3) after moves made by hand: turned, made richer and lighter by smooth weights about sources.

    At a lone source the whole of its move is taken; where several reach, they share by weight. Neutrals stay neutral.
    """
    if not moves:
        return lab
    sources = np.array([m.source for m in moves], dtype=np.float32)
    reach = np.array([m.reach for m in moves], dtype=np.float32) / 100
    gap = (lab[:, None] - sources[None]) * np.array([_LIGHTNESS_COUNTS**0.5, 1, 1], dtype=np.float32)
    weight = np.exp(-0.5 * (gap**2).sum(axis=2) / reach**2)
    weight /= np.maximum(weight.sum(axis=1, keepdims=True), 1)
    turn = weight @ np.radians([m.hue for m in moves]).astype(np.float32)
    richer = 1 + weight @ np.array([m.chroma / 100 for m in moves], dtype=np.float32)
    lighter = weight @ np.array([m.lightness / 116 for m in moves], dtype=np.float32)
    cos, sin = np.cos(turn) * richer, np.sin(turn) * richer
    return np.stack(
        [lab[:, 0] + lighter, lab[:, 1] * cos - lab[:, 2] * sin, lab[:, 1] * sin + lab[:, 2] * cos], axis=1
    ).astype(np.float32)


def landings(made: HandMade) -> OKLab:
    """Where the moves made by hand take their own sources, OKLab (K, 3): others that reach a source count too."""
    sources = np.array([m.source for m in made.own], dtype=np.float32).reshape(-1, 3)
    return only(made.own_part, sources, move_by_hand(sources, made.own))


def _white(lab: OKLab, step: WhiteStep) -> OKLab:
    return linear_to_oklab(apply_gains(oklab_to_linear(lab), join_gains(0, step.warmth, step.tint)))


def _exposure(lab: OKLab, step: ExposureStep) -> OKLab:
    if step.exposure:
        lab = linear_to_oklab(apply_gains(oklab_to_linear(lab), join_gains(step.exposure)))
    if step.contrast:
        lab = lab.copy()
        lab[:, 0] = _contrast(lab[:, 0], step.contrast / 100, neutral_oklab(step.pivot))
    return lab


def _contrast(lightness: Floats, amount: float, pivot: float) -> Floats:
    """Contrast about a pivot: slope 1 + amount there, black and white kept (power curve on each side)."""
    gamma = 1 + amount
    x = np.clip(lightness, 0, 1)
    below = pivot * (np.minimum(x, pivot) / pivot) ** gamma
    above = 1 - (1 - pivot) * ((1 - np.maximum(x, pivot)) / (1 - pivot)) ** gamma
    return np.asarray(np.where(x < pivot, below, above) + (lightness - x), dtype=np.float32)


def curve_through(points: tuple[CurvePoint, ...], x: Floats) -> Floats:
    """Values (N,) of the curve through points, 0 to 100 both ways; level before the first point and after the last.

    Monotone piecewise cubic (Fritsch and Carlson 1980), so that it never leaves the points' own range.
    """
    xs, ys = np.array(points).T
    return np.asarray(PchipInterpolator(xs, ys)(np.clip(x, xs[0], xs[-1])), dtype=np.float32)


def _looked_up(values: Floats, table: Floats) -> Floats:
    """Values (...) 0 to 1 through a table over 0 to 1; what lies outside keeps its distance from the end."""
    inside = np.clip(values, 0, 1)
    at = np.linspace(0, 1, len(table))
    return np.asarray(np.interp(inside, at, table) + (values - inside), dtype=np.float32)


def master_table(step: CurveStep) -> Floats:
    """(513,) OKLab lightness out over lightness in: the master curve on L*, with blacks faded."""
    lightness = lightness_of_oklab(np.linspace(0, 1, _TABLE, dtype=np.float32))
    out = curve_through(step.master, lightness)
    faded = out + step.faded * (1 - np.clip(out, 0, 100) / 100) ** 4
    return oklab_of_lightness(np.clip(faded, 0, 100).astype(np.float32))


def _curve(lab: OKLab, step: CurveStep) -> OKLab:
    out = lab.copy()
    out[:, 0] = _looked_up(lab[:, 0], master_table(step))
    channels = (step.red, step.green, step.blue)
    if any(y != x for channel in channels for x, y in channel):
        encoded = from_linear(oklab_to_linear(out))
        at = np.linspace(0, 100, _TABLE, dtype=np.float32)
        for index, points in enumerate(channels):
            encoded[:, index] = _looked_up(encoded[:, index], np.asarray(curve_through(points, at) / 100, np.float32))
        out = linear_to_oklab(to_linear(encoded))
    return out


def saturate(lab: OKLab, saturation: float, vibrance: float) -> OKLab:
    """Chroma of OKLab colours (N, 3) scaled by 1 + saturation, and by vibrance where it is low; hue is kept."""
    if saturation == 0 and vibrance == 0:
        return lab
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    factor = (1 + saturation) * (1 + vibrance * np.exp(-((chroma / 0.12) ** 2)))
    out = lab.copy()
    out[:, 1:] *= np.maximum(factor, 0)[:, None]
    return out


def _wash(lab: OKLab, step: WashStep) -> OKLab:
    """The palette's colour at each lightness, laid over with the step's blend mode, whole."""
    palette = sorted(step.colours)
    light = np.array([c[0] for c in palette])
    laid = np.stack([lab[:, 0], *(np.interp(lab[:, 0], light, [c[i] for c in palette]) for i in (1, 2))], axis=1)
    backdrop, source = (from_linear(oklab_to_linear(c.astype(np.float32))) for c in (lab, laid))
    return linear_to_oklab(to_linear(blend_over(backdrop, source, step.mode, 1)))


def _tint_filter(lab: OKLab, step: FilterStep) -> OKLab:
    """Linear light through a gel of one hue, whose transmittance leaves grey's luminance as it is."""
    gel = oklab_to_linear(oklch_to_oklab(np.array([0.75, _GEL_CHROMA, step.hue], dtype=np.float32)))
    gel = np.maximum(gel, 0.02)
    gains = gel / float(_LUMINANCE @ gel)
    return linear_to_oklab(oklab_to_linear(lab) * gains.astype(np.float32))


def _mono(lab: OKLab, step: MonoStep, toning: tuple[tuple[float, float], ...]) -> OKLab:
    """Grey of each colour, made lighter or darker in proportion to its chroma by the weight of its hue; toned."""
    places = np.array([*HUE_PLACES, HUE_PLACES[0] + 360])
    weights = np.array([getattr(step, name) for name in (*HUES, HUES[0])]) / 100
    hue = np.degrees(np.arctan2(lab[:, 2], lab[:, 1])) % 360
    chroma = np.hypot(lab[:, 1], lab[:, 2])
    out = np.zeros_like(lab)
    out[:, 0] = lab[:, 0] + _MONO_GAIN * np.interp(hue, places, weights) * chroma
    if toning:
        out[:, 1:] = interpolate_zones(np.array(toning, dtype=np.float32), out[:, 0])
    return out


def apply_by_hand(
    lab: OKLab, white: WhiteStep, exposure: ExposureStep, saturation: SaturationStep, made: HandMade
) -> OKLab:
    """All hand-made global steps on OKLab colours (N, 3); steps that are off or do nothing cost nothing."""
    if made.own:
        lab = only(made.own_part, lab, move_by_hand(lab, made.own))
    if white.on and (white.warmth or white.tint):
        lab = _step(lab, lambda c: _white(c, white), white.part, white.amount)
    if exposure.on and (exposure.exposure or exposure.contrast):
        lab = _step(lab, lambda c: _exposure(c, exposure), exposure.part, exposure.amount)
    if made.curve.on and not made.curve.is_straight:
        lab = _step(lab, lambda c: _curve(c, made.curve), made.curve.part, made.curve.amount)
    if saturation.on:
        once = saturate(lab, saturation.saturation / 100, saturation.vibrance / 100)
        lab = _taken(saturation.amount, lab, once)
    if made.wash.on and made.wash.colours:
        lab = _step(lab, lambda c: _wash(c, made.wash), made.wash.part, made.wash.amount)
    if made.tint_filter.on:
        lab = _step(lab, lambda c: _tint_filter(c, made.tint_filter), made.tint_filter.part, made.tint_filter.amount)
    if made.mono.on:
        lab = _step(lab, lambda c: _mono(c, made.mono, made.toning), "both", made.mono.amount)
    return lab


def palette_for_wash(step: WashStep, target: tuple[Colour, ...]) -> WashStep:
    """The wash with the target's palette in it, when it has no colours of its own."""
    return step if step.colours or not step.on else step.model_copy(update={"colours": target})
