"""What the trims of a series have in common: taken into the look, where it acts as it did in each trim."""

from dataclasses import dataclass

import numpy as np

from nuvett.core.fields import number, numbers_of
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.step import Step
from nuvett.core.steps.white import WhiteStep
from nuvett.core.types import Document

MIN_OF_A_SETUP, MIN_OF_A_SERIES = 3, 5
"""Frames whose trims have to point the same way before that is said."""

_STEPS: dict[str, type[Step]] = {
    "exposure": ExposureStep,
    "contrast": ExposureStep,
    "warmth": WhiteStep,
    "tint": WhiteStep,
    "saturation": SaturationStep,
    "vibrance": SaturationStep,
}


class Common(Document):
    """Numbers that every frame's trim begins from."""

    exposure: float = number(0, -4, 4, "Exposure in common", "EV", 0.05)
    contrast: float = number(0, -80, 100, "Contrast in common")
    warmth: float = number(0, -60, 60, "Warmth in common")
    tint: float = number(0, -40, 40, "Tint in common")
    saturation: float = number(0, -100, 100, "Saturation in common")
    vibrance: float = number(0, -100, 100, "Vibrance in common")

    @property
    def is_none(self) -> bool:
        """Whether nothing is in common."""
        return self == Common()


COMMON_VALUES = numbers_of(Common)


def added(common: Common, more: Common) -> Common:
    """Numbers in common with others added to them, within their ranges."""
    return Common.model_validate(
        {
            name: words.within(round(getattr(common, name) + getattr(more, name), 4))
            for name, words in COMMON_VALUES.items()
        }
    )


def common_changes(before: Common | None, after: Common | None) -> list[str]:
    """What changed between what is in common in two looks, in words."""
    if before is None or after is None:
        return []
    return [
        f"{words.label} {words.bare(getattr(before, name))} to {words.written(getattr(after, name))}"
        for name, words in COMMON_VALUES.items()
        if getattr(before, name) != getattr(after, name)
    ]


def with_common(trim: Trim, common: Common, sign: int = 1) -> Trim:
    """A trim with what is in common added to its numbers, or taken off them with -1; bounded as they are."""
    made = trim
    for name, kind in _STEPS.items():
        by = sign * getattr(common, name)
        if by == 0:
            continue
        held = made.step(kind)
        step = held if held.on else kind()
        value = numbers_of(kind)[name].within(round(getattr(step, name) + by, 4))
        made = made.with_step(step.model_copy(update={"on": True, name: value}))
    return _without_empty(made) if sign < 0 else made


def _without_empty(trim: Trim) -> Trim:
    """A trim without the steps that taking something off has emptied."""
    empty = {kind.name: None for kind in set(_STEPS.values()) if (held := getattr(trim, kind.name)) and held.is_idle}
    return trim.model_copy(update=empty)


@dataclass(frozen=True)
class CommonTrim:
    """What trims have in common: which frames (by their places), in which number, and by how much."""

    name: str
    value: float
    low: float
    high: float
    frames: tuple[int, ...]
    setup: int | None

    @property
    def words(self) -> str:
        """Which way they point, as "warmth by 3 to 5 %"."""
        words = COMMON_VALUES[self.name]
        label = words.label.removesuffix(" in common").lower()
        ends = sorted((abs(self.low), abs(self.high)))
        away = words.written(ends[0]) if ends[0] == ends[1] else f"{words.bare(ends[0])} to {words.written(ends[1])}"
        return f"{'more' if self.value > 0 else 'less'} {label}, by {away}"

    @property
    def common(self) -> Common:
        """What would be taken into the look."""
        return Common.model_validate({self.name: self.value})


def shared_by(trims: list[Trim], setups: list[int]) -> list[CommonTrim]:
    """What trims have in common, most frames first: within a set-up, else in the series.

    trims : of all frames in order; setups : the set-up of each. Values that point the same way count, by their median.
    """
    found = []
    for name, kind in _STEPS.items():
        step_of = [trim.step(kind) if getattr(trim, kind.name) else None for trim in trims]
        values = [float(getattr(step, name)) if step is not None and _is_plain(step) else 0.0 for step in step_of]
        for sign in (1, -1):
            places = [i for i, value in enumerate(values) if value * sign > 0]
            by_setup = {s: [i for i in places if setups[i] == s] for s in dict.fromkeys(setups[i] for i in places)}
            if len(places) >= MIN_OF_A_SERIES and len(by_setup) > 1:
                found.append(_shared(name, values, places, None))
            else:
                found += [_shared(name, values, own, s) for s, own in by_setup.items() if len(own) >= MIN_OF_A_SETUP]
    return sorted(found, key=lambda shared: -len(shared.frames))


def _is_plain(step: Step) -> bool:
    """Whether a step is on and taken whole, so that its numbers say what it does."""
    return step.on and getattr(step, "amount", 100) == 100 and getattr(step, "part", "both") == "both"


def _shared(name: str, values: list[float], places: list[int], setup: int | None) -> CommonTrim:
    own = [values[i] for i in places]
    step = COMMON_VALUES[name].step
    middle = round(round(float(np.median(own)) / step) * step, 4)
    return CommonTrim(name, middle or own[0], min(own), max(own), tuple(places), setup)
