"""Handles of the instruments: what a place on the colour chart or a tone column means for a look or a trim."""

import math
import re
from collections.abc import Callable
from itertools import pairwise

import numpy as np

from nuvett.core.errors import InvalidChangeError
from nuvett.core.fit.curves import MAX_POINTS, STRAIGHT, CurvePoint
from nuvett.core.fit.grey import GAIN, MAX_GREYS, GreyHue, grey_lightness
from nuvett.core.fit.moves import OwnMove
from nuvett.core.fit.wash import MAX_STOPS, WashLayer
from nuvett.core.look.colour_handles import Kept, drag_chart, reset_chart
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.hold import FamilyHold, HoldStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.wash import WashStep
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.types import OKLab

_ZONE_CHROMA, _NEAR, _MIN_GAP = 20.0, 3.0, 0.5
_MIN_CHROMA = 0.01  # OKLab, below which a hue says nothing
_SAME_HUE = 12.0  # degrees within which a colour dragged on the grey column is taken for one that was dragged before


def _bounded(value: float, low: float, high: float) -> float:
    return min(high, max(low, value))


def drag_zone(look: Kept, zone: str, a: float, b: float) -> Kept:
    """Choose the tint of a zone: OKLab a, b. Raises InvalidChangeError for another zone."""
    if zone not in ("shadow", "midtone", "highlight"):
        raise InvalidChangeError("There is no such zone.")
    hue = round(math.degrees(math.atan2(b, a)) % 360, 1)
    chroma = round(_bounded(100 * math.hypot(a, b), 0, _ZONE_CHROMA), 2)
    tinted = {"on": True, f"{zone}_hue": hue, f"{zone}_chroma": chroma}
    return look.with_step(look.step(ZoneStep).model_copy(update=tinted))


def drag_move(look: Kept, index: int, a: float, b: float) -> Kept:
    """Land a move made by hand at OKLab a, b: its hue and chroma follow. Raises InvalidChangeError without it."""
    moves = look.step(MoveStep)
    own = list(moves.own)
    if not 0 <= index < len(own):
        raise InvalidChangeError("That move is not there any more.")
    _, a0, b0 = own[index].source
    turn = (math.degrees(math.atan2(b, a) - math.atan2(b0, a0)) + 180) % 360 - 180
    richer = 100 * (math.hypot(a, b) / max(math.hypot(a0, b0), 1e-3) - 1)
    update = {"hue": round(turn, 1), "chroma": round(_bounded(richer, -100, 150), 1)}
    own[index] = OwnMove.model_validate(own[index].model_dump() | update)
    return look.with_step(moves.model_copy(update={"own": tuple(own)}))


def drag_hold(look: Kept, index: int, a: float, b: float) -> Kept:
    """Let the ring of a held family reach OKLab a, b: its limits of hue and chroma. Raises InvalidChangeError."""
    hold = look.step(HoldStep)
    kept = list(hold.families)
    if not 0 <= index < len(kept):
        raise InvalidChangeError("That hold is not there any more.")
    _, a0, b0 = kept[index].family.colour
    turn = (math.degrees(math.atan2(b, a) - math.atan2(b0, a0)) + 180) % 360 - 180
    share = 100 * abs(math.hypot(a, b) / max(math.hypot(a0, b0), 1e-3) - 1)
    limits = {"hue": round(_bounded(abs(turn), 0, 60), 1), "chroma": round(_bounded(share, 0, 100), 1)}
    kept[index] = kept[index].model_copy(update=limits)
    return look.with_step(hold.model_copy(update={"families": tuple(kept)}))


def land(look: Kept, at: float, lightness: float) -> Kept:
    """Let tones that would lie at CIE L* `at` without the master curve land at another: a point of that curve.

    A point within 3 of `at` is moved, else one is added; the curve is kept rising. Raises InvalidChangeError when the
    curve is full.
    """
    curve = look.step(CurveStep)
    points = list(curve.master)
    near = min(range(len(points)), key=lambda i: abs(points[i][0] - at))
    x = _bounded(at, 0, 100)
    if abs(points[near][0] - x) < _NEAR:
        x = points[near][0]
        points.pop(near)
    elif len(points) >= MAX_POINTS:
        raise InvalidChangeError(f"A curve has at most {MAX_POINTS} points; take one away first.")
    below, above = [p for p in points if p[0] < x], [p for p in points if p[0] > x]
    low = below[-1][1] if below else 0.0
    high = above[0][1] if above else 100.0
    placed = (round(x, 2), round(_bounded(lightness, low, high), 2))
    return look.with_step(curve.model_copy(update={"on": True, "master": (*below, placed, *above)}))


def drag_point(points: tuple[CurvePoint, ...], index: int, x: float, y: float) -> tuple[CurvePoint, ...]:
    """A curve with one point elsewhere, kept between its neighbours; index len(points) adds one there.

    Raises InvalidChangeError when that cannot be.
    """
    x = _bounded(x, 0, 100)
    if index == len(points):
        if len(points) >= MAX_POINTS:
            raise InvalidChangeError(f"A curve has at most {MAX_POINTS} points; take one away first.")
        others = list(points)
        index = sum(p[0] < x for p in others)
        if any(abs(p[0] - x) < _MIN_GAP for p in others):
            return points
    elif 0 <= index < len(points):
        others = [p for i, p in enumerate(points) if i != index]
    else:
        raise InvalidChangeError("That point is not there any more.")
    left, right = others[:index], others[index:]
    low_x = left[-1][0] + _MIN_GAP if left else 0.0
    high_x = right[0][0] - _MIN_GAP if right else 100.0
    low_y, high_y = (left[-1][1] if left else 0.0), (right[0][1] if right else 100.0)
    placed = (round(_bounded(x, low_x, max(low_x, high_x)), 2), round(_bounded(y, low_y, high_y), 2))
    made = (*left, placed, *right)
    return made if all(b[0] - a[0] >= _MIN_GAP - 1e-6 for a, b in pairwise(made)) else points


def drag_grey(look: Kept, colour: tuple[float, float, float], lightness: float) -> Kept:
    """Let a colour, OKLab as it comes to black-and-white, become a grey of a CIE L*: its hue grows lighter or darker.

    A hue near one that was dragged before moves that one. Raises InvalidChangeError for a colour without chroma, and
    for more hues than there may be.
    """
    mono = look.step(MonoStep)
    lab = OKLab(np.array([colour], dtype=np.float32))
    chroma = float(np.hypot(colour[1], colour[2]))
    if chroma < _MIN_CHROMA:
        raise InvalidChangeError("A grey has no hue to be made lighter or darker by; the tone curve does that.")
    hue = math.degrees(math.atan2(colour[2], colour[1])) % 360
    away = 100 * (neutral_oklab(_bounded(lightness, 0, 100)) - float(grey_lightness(lab, mono.hues)[0])) / GAIN / chroma
    hues = list(mono.hues)
    near = next((i for i, g in enumerate(hues) if abs((g.hue - hue + 180) % 360 - 180) < _SAME_HUE), None)
    if near is None:
        if len(hues) >= MAX_GREYS:
            raise InvalidChangeError(f"Black-and-white weighs at most {MAX_GREYS} hues; reset one first.")
        hues.append(GreyHue(hue=round(hue, 1), lighter=round(_bounded(away, -200, 200), 1)))
    else:
        # By the share that this hue has in the colour's own weight, so that it arrives.
        whole = float(grey_lightness(lab, [hues[near].model_copy(update={"lighter": 100})])[0])
        share = max((whole - colour[0]) / GAIN / chroma, 0.2)
        lighter = round(_bounded(hues[near].lighter + away / share, -200, 200), 1)
        hues[near] = hues[near].model_copy(update={"lighter": lighter})
    return look.with_step(mono.model_copy(update={"on": True, "hues": tuple(hues)}))


def drag_stop(look: Kept, layer: int, index: int, at: float) -> Kept:
    """A look with a stop of one of its washes at CIE L* `at`, or one stop more. Raises InvalidChangeError."""
    return _with_wash(look, layer, index, lambda own: own.with_stop(index, at), may_add=True)


def _with_wash(
    look: Kept, layer: int, index: int, change: Callable[[WashLayer], WashLayer], may_add: bool = False
) -> Kept:
    step = look.step(WashStep)
    if layer >= len(step.layers) or index >= len(step.layers[layer].stops) + may_add:
        raise InvalidChangeError("That stop is not there any more.")
    if index >= MAX_STOPS:
        raise InvalidChangeError(f"A wash has at most {MAX_STOPS} stops; take one away first.")
    layers = tuple(change(own) if place == layer else own for place, own in enumerate(step.layers))
    return look.with_step(step.model_copy(update={"layers": layers}))


def _without_stop(own: WashLayer, index: int) -> WashLayer:
    if len(own.stops) <= 2:
        raise InvalidChangeError("A wash keeps two stops at least.")
    return own.model_copy(update={"stops": (*own.stops[:index], *own.stops[index + 1 :])})


def drag(look: Kept, handle: str, place: tuple[float, float]) -> Kept:
    """A look after one of its handles was dragged.

    handle : "zone.shadow", "move.0", "hold.0" or one of `drag_chart` with a place in OKLab a, b; "curve.red.2" with a
        place in 0 to 100 both ways; "land" with CIE L* before and after

    Raises InvalidChangeError for another handle.
    """
    x, y = place
    if match := re.fullmatch(r"zone\.(\w+)", handle):
        return drag_zone(look, match[1], x, y)
    if match := re.fullmatch(r"move\.(\d+)", handle):
        return drag_move(look, int(match[1]), x, y)
    if match := re.fullmatch(r"hold\.(\d+)", handle):
        return drag_hold(look, int(match[1]), x, y)
    if match := re.fullmatch(r"curve\.(master|red|green|blue)\.(\d+)", handle):
        curve = look.step(CurveStep)
        points = drag_point(getattr(curve, match[1]), int(match[2]), x, y)
        return look.with_step(curve.model_copy(update={"on": True, match[1]: points}))
    if match := re.fullmatch(r"stop\.(\d+)\.(\d+)", handle):
        return drag_stop(look, int(match[1]), int(match[2]), x)
    if handle == "land":
        return land(look, x, y)
    if (dragged := drag_chart(look, handle, x, y)) is not None:
        return dragged
    raise InvalidChangeError("There is no such handle.")


def reset(look: Kept, handle: str) -> Kept:
    """A look with what one of its handles says as it usually is: a point or a hue is taken away, a move moves nothing.

    handle : as `drag` has it, or "grey" for all hues of black-and-white. Raises InvalidChangeError for another handle.
    """
    if match := re.fullmatch(r"zone\.(shadow|midtone|highlight)", handle):
        step = look.step(ZoneStep)
        usual = {f"{match[1]}_{name}": getattr(ZoneStep(), f"{match[1]}_{name}") for name in ("hue", "chroma")}
        return look.with_step(step.model_copy(update=usual))
    if match := re.fullmatch(r"(move|hold)\.(\d+)", handle):
        return _reset_listed(look, match[1], int(match[2]))
    if match := re.fullmatch(r"curve\.(master|red|green|blue)\.(\d+)", handle):
        curve = look.step(CurveStep)
        return look.with_step(curve.model_copy(update={match[1]: _without_point(curve, match[1], int(match[2]))}))
    if handle.startswith("share."):
        return look.with_step(look.step(CurveStep).model_copy(update={"master": STRAIGHT}))
    if match := re.fullmatch(r"stop\.(\d+)\.(\d+)", handle):
        index = int(match[2])
        return _with_wash(look, int(match[1]), index, lambda own: _without_stop(own, index))
    if handle == "grey":
        return look.with_step(look.step(MonoStep).model_copy(update={"hues": ()}))
    if (back := reset_chart(look, handle)) is not None:
        return back
    raise InvalidChangeError("There is no such handle.")


def _reset_listed(look: Kept, kind: str, index: int) -> Kept:
    step, name = (look.step(MoveStep), "own") if kind == "move" else (look.step(HoldStep), "families")
    rows: list[OwnMove | FamilyHold] = list(getattr(step, name))
    if index >= len(rows):
        raise InvalidChangeError("That handle is not there any more.")
    row = rows[index]
    rows[index] = (
        OwnMove(source=row.source, reach=row.reach) if isinstance(row, OwnMove) else FamilyHold(family=row.family)
    )
    return look.with_step(step.model_copy(update={name: tuple(rows)}))


def _without_point(curve: CurveStep, channel: str, index: int) -> tuple[CurvePoint, ...]:
    points: tuple[CurvePoint, ...] = getattr(curve, channel)
    if index >= len(points):
        raise InvalidChangeError("That point is not there any more.")
    if index in (0, len(points) - 1):
        end = STRAIGHT[0] if index == 0 else STRAIGHT[-1]
        return (end, *points[1:]) if index == 0 else (*points[:-1], end)
    return (*points[:index], *points[index + 1 :])
