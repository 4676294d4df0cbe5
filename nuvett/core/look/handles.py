"""Handles of the instruments: what a place on the colour chart or the tone column means for a look."""

import math
import re
from itertools import pairwise
from typing import Any

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.look import Look
from nuvett.core.look.steps import MOST_POINTS, CurvePoint, OwnMove

_ZONE_CHROMA, _NEAR, _LEAST_GAP = 20.0, 3.0, 0.5


def _bounded(value: float, low: float, high: float) -> float:
    return min(high, max(low, value))


def drag_zone(look: Look, zone: str, a: float, b: float) -> Look:
    """Choose the tint of a zone: OKLab a, b. Raises InvalidChangeError for another zone."""
    if zone not in ("shadow", "midtone", "highlight"):
        raise InvalidChangeError("There is no such zone.")
    hue = round(math.degrees(math.atan2(b, a)) % 360, 1)
    chroma = round(_bounded(100 * math.hypot(a, b), 0, _ZONE_CHROMA), 2)
    zones = look.zones.model_copy(update={"on": True, f"{zone}_hue": hue, f"{zone}_chroma": chroma})
    return look.model_copy(update={"zones": zones})


def drag_move(look: Look, index: int, a: float, b: float) -> Look:
    """Land a move made by hand at OKLab a, b: its hue and chroma follow. Raises InvalidChangeError without it."""
    own = list(look.moves.own)
    if not 0 <= index < len(own):
        raise InvalidChangeError("That move is not there any more.")
    _, a0, b0 = own[index].source
    turn = (math.degrees(math.atan2(b, a) - math.atan2(b0, a0)) + 180) % 360 - 180
    richer = 100 * (math.hypot(a, b) / max(math.hypot(a0, b0), 1e-3) - 1)
    update = {"hue": round(turn, 1), "chroma": round(_bounded(richer, -100, 150), 1)}
    own[index] = OwnMove.model_validate(own[index].model_dump() | update)
    return look.model_copy(update={"moves": look.moves.model_copy(update={"own": tuple(own)})})


def drag_hold(look: Look, index: int, a: float, b: float) -> Look:
    """Let the ring of a held family reach OKLab a, b: its limits of hue and chroma. Raises InvalidChangeError."""
    kept = list(look.kept)
    if not 0 <= index < len(kept):
        raise InvalidChangeError("That hold is not there any more.")
    _, a0, b0 = kept[index].family.colour
    turn = (math.degrees(math.atan2(b, a) - math.atan2(b0, a0)) + 180) % 360 - 180
    share = 100 * abs(math.hypot(a, b) / max(math.hypot(a0, b0), 1e-3) - 1)
    limits = {"hue": round(_bounded(abs(turn), 0, 60), 1), "chroma": round(_bounded(share, 0, 100), 1)}
    kept[index] = kept[index].model_copy(update=limits)
    return look.model_copy(update={"kept": tuple(kept)})


def land(look: Look, at: float, lightness: float) -> Look:
    """Let tones that would lie at CIE L* `at` without the master curve land at another: a point of that curve.

    A point within 3 of `at` is moved, else one is added; the curve is kept rising. Raises InvalidChangeError when the
    curve is full.
    """
    points = list(look.curve.master)
    near = min(range(len(points)), key=lambda i: abs(points[i][0] - at))
    x = _bounded(at, 0, 100)
    if abs(points[near][0] - x) < _NEAR:
        x = points[near][0]
        points.pop(near)
    elif len(points) >= MOST_POINTS:
        raise InvalidChangeError(f"A curve has at most {MOST_POINTS} points; take one away first.")
    below, above = [p for p in points if p[0] < x], [p for p in points if p[0] > x]
    low = below[-1][1] if below else 0.0
    high = above[0][1] if above else 100.0
    placed = (round(x, 2), round(_bounded(lightness, low, high), 2))
    curve = look.curve.model_copy(update={"on": True, "master": (*below, placed, *above)})
    return look.model_copy(update={"curve": curve})


def drag_point(points: tuple[CurvePoint, ...], index: int, x: float, y: float) -> tuple[CurvePoint, ...]:
    """A curve with one point elsewhere, kept between its neighbours; index len(points) adds one there.

    Raises InvalidChangeError when that cannot be.
    """
    x = _bounded(x, 0, 100)
    if index == len(points):
        if len(points) >= MOST_POINTS:
            raise InvalidChangeError(f"A curve has at most {MOST_POINTS} points; take one away first.")
        others = list(points)
        index = sum(p[0] < x for p in others)
        if any(abs(p[0] - x) < _LEAST_GAP for p in others):
            return points
    elif 0 <= index < len(points):
        others = [p for i, p in enumerate(points) if i != index]
    else:
        raise InvalidChangeError("That point is not there any more.")
    left, right = others[:index], others[index:]
    low_x = left[-1][0] + _LEAST_GAP if left else 0.0
    high_x = right[0][0] - _LEAST_GAP if right else 100.0
    low_y, high_y = (left[-1][1] if left else 0.0), (right[0][1] if right else 100.0)
    placed = (round(_bounded(x, low_x, max(low_x, high_x)), 2), round(_bounded(y, low_y, high_y), 2))
    made = (*left, placed, *right)
    return made if all(b[0] - a[0] >= _LEAST_GAP - 1e-6 for a, b in pairwise(made)) else points


def drag(look: Look, handle: str, place: tuple[float, float]) -> Look:
    """A look after one of its handles was dragged.

    handle : "zone.shadow", "move.0" or "hold.0" with a place in OKLab a, b; "curve.red.2" with a place in 0 to 100
        both ways; "land" with CIE L* before and after

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
        points: Any = drag_point(getattr(look.curve, match[1]), int(match[2]), x, y)
        return look.model_copy(update={"curve": look.curve.model_copy(update={"on": True, match[1]: points})})
    if handle == "land":
        return land(look, x, y)
    raise InvalidChangeError("There is no such handle.")
