"""Handles of hue ranges, primaries and casts on the colour chart: what a place in OKLab a, b means for them."""

import math
import re
from typing import TypeVar

import numpy as np

from nuvett.core.errors import InvalidChangeError
from nuvett.core.fields import numbers_of
from nuvett.core.fit.hues import MAX_BANDS, HueBand, ranged
from nuvett.core.fit.primaries import PRIMARIES
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.plan.by_hand import PrimariesOperation
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.hues import HueStep, hue_colour
from nuvett.core.steps.primaries import PrimariesStep
from nuvett.core.types import Linear, OKLab

Kept = TypeVar("Kept", bound=WithSteps)
_MIDDLE = 0.35  # linear light of the mixtures that stand for primaries on the chart
_ROUNDS = 6


def drag_chart(look: Kept, handle: str, a: float, b: float) -> Kept | None:
    """A look after a handle of these steps was dragged to OKLab a, b; none for a handle of another step.

    handle : "band.0.hue", "band.0.before", "band.0.after", "band.0.to", "primary.red" or "cast.blacks";
        "band.new" for one range more

    Raises InvalidChangeError for a range that is gone.
    """
    if handle == "band.new":
        return with_band(look, HueBand(hue=round(_hue_of(a, b), 1)))
    if match := re.fullmatch(r"band\.(\d+)\.(hue|before|after|to)", handle):
        return _with_band(look, int(match[1]), match[2], a, b)
    if match := re.fullmatch(r"primary\.(red|green|blue)", handle):
        return _with_primary(look, match[1], a, b)
    if match := re.fullmatch(r"cast\.(blacks|neutrals|whites)", handle):
        numbers = numbers_of(CastStep)
        asked = {f"{match[1]}_red": 100 * a, f"{match[1]}_yellow": 100 * b}
        update = {name: round(numbers[name].within(value), 2) for name, value in asked.items()}
        return look.with_step(look.step(CastStep).model_copy(update={"on": True, **update}))
    return None


def reset_chart(look: Kept, handle: str) -> Kept | None:
    """A look with what one of these handles says as it usually is; none for a handle of another step."""
    if match := re.fullmatch(r"band\.(\d+)\.(hue|before|after|to)", handle):
        step, index = look.step(HueStep), int(match[1])
        _held(step, index)
        usual, names = HueBand(), ("turn", "chroma") if match[2] == "to" else (match[2],)
        update = {name: getattr(usual, name) for name in names if name != "hue"}
        return look.with_step(_changed_band(step, index, update))
    if match := re.fullmatch(r"primary\.(red|green|blue)", handle):
        primaries = {f"{match[1]}_turn": 0.0, f"{match[1]}_richer": 0.0}
        return look.with_step(look.step(PrimariesStep).model_copy(update=primaries))
    if match := re.fullmatch(r"cast\.(blacks|neutrals|whites)", handle):
        casts = {f"{match[1]}_red": 0.0, f"{match[1]}_yellow": 0.0}
        return look.with_step(look.step(CastStep).model_copy(update=casts))
    return None


def _hue_of(a: float, b: float) -> float:
    return math.degrees(math.atan2(b, a)) % 360


def with_band(look: Kept, band: HueBand) -> Kept:
    """A look with one hue range more. Raises InvalidChangeError when there are as many as there may be."""
    step = look.step(HueStep)
    if len(step.bands) >= MAX_BANDS:
        raise InvalidChangeError(f"There are at most {MAX_BANDS} hue ranges; take one away first.")
    return look.with_step(step.model_copy(update={"on": True, "bands": (*step.bands, band)}))


def _held(step: HueStep, index: int) -> HueBand:
    if not 0 <= index < len(step.bands):
        raise InvalidChangeError("That range is not there any more.")
    return step.bands[index]


def _changed_band(step: HueStep, index: int, update: dict[str, float]) -> HueStep:
    numbers = numbers_of(HueBand)
    kept = {name: round(numbers[name].within(value), numbers[name].digits) for name, value in update.items()}
    bands = [b.model_copy(update=kept) if place == index else b for place, b in enumerate(step.bands)]
    return step.model_copy(update={"on": True, "bands": tuple(bands)})


def _with_band(look: Kept, index: int, what: str, a: float, b: float) -> Kept:
    step = look.step(HueStep)
    band = _held(step, index)
    hue = _hue_of(a, b)
    away = (hue - band.hue + 180) % 360 - 180
    update = {
        "hue": {"hue": hue},
        "before": {"before": max(0.0, -away)},
        "after": {"after": max(0.0, away)},
        "to": {"turn": away, "chroma": 100 * (math.hypot(a, b) / float(np.hypot(*hue_colour(band.hue)[1:])) - 1)},
    }[what]
    return look.with_step(_changed_band(step, index, update))


def band_landing(bands: tuple[HueBand, ...], index: int) -> OKLab:
    """Where the colour (3,) that stands for the centre of a range is taken by all of them."""
    return OKLab(ranged(OKLab(hue_colour(bands[index].hue)[None]), bands)[0])


def primary_colour(name: str) -> OKLab:
    """The colour (3,) that stands for a primary on the chart: as much of it as a chart has room for, upon grey."""
    light = np.full(3, _MIDDLE, dtype=np.float32)
    light[PRIMARIES.index(name)] += np.float32(_MIDDLE)
    return OKLab(linear_to_oklab(Linear(light[None]))[0])


def primary_landing(step: PrimariesStep, name: str) -> OKLab:
    """Where a step takes the colour (3,) that stands for a primary."""
    turns, richer = ([getattr(step, f"{each}_{of}") for each in PRIMARIES] for of in ("turn", "richer"))
    operation = PrimariesOperation(turns=tuple(turns), richer=tuple(np.array(richer) / 100))
    own = OKLab(primary_colour(name)[None])
    return OKLab(operation.apply(own, own, Space.SRGB)[0])


def _with_primary(look: Kept, name: str, a: float, b: float) -> Kept:
    """A primary moved until its colour lands as near as may be: by its angle and length in turn."""
    numbers, step = numbers_of(PrimariesStep), look.step(PrimariesStep)
    turn, richer = f"{name}_turn", f"{name}_richer"
    step = step.model_copy(update={"on": True})
    for _ in range(_ROUNDS):
        _, at_a, at_b = (float(v) for v in primary_landing(step, name))
        off = (math.degrees(math.atan2(b, a) - math.atan2(at_b, at_a)) + 180) % 360 - 180
        longer = math.hypot(a, b) / max(math.hypot(at_a, at_b), 1e-4)
        asked = {turn: getattr(step, turn) + off * 0.8, richer: (100 + getattr(step, richer)) * longer - 100}
        step = step.model_copy(update={field: numbers[field].within(value) for field, value in asked.items()})
    rounded = {field: round(getattr(step, field), 1) for field in (turn, richer)}
    return look.with_step(step.model_copy(update=rounded))
