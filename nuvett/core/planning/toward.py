"""What tells two finished frames apart, and the step that takes one of these differences over by some amount."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from nuvett.core.look.common import COMMON_VALUES, Common, with_common
from nuvett.core.look.trim import Trim
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import through
from nuvett.core.plan.operation import ColourOperation
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.steps.step import Aim, Ask
from nuvett.core.types import OKLab

_ZONES = (("shadows", 0.1), ("midtones", 0.5), ("highlights", 0.9))
_HALVINGS = 24
_WARM, _PINK = (0.34, 0.94), (0.94, -0.34)
"""Directions of warmer and pinker in OKLab a and b, as words of casts have them."""


@dataclass(frozen=True)
class _Kind:
    """A difference: what is measured of OKLab colours (N, 3), from when it is worth a word, its words each way, and
    the number of trims that changes it."""

    measure: Callable[[OKLab], float]
    least: float
    more: str
    less: str
    number: str


def _along(direction: tuple[float, float]) -> Callable[[OKLab], float]:
    return lambda lab: float(np.median(lab[:, 1] * direction[0] + lab[:, 2] * direction[1]))


def _middle(lab: OKLab) -> float:
    return float(np.median(lab[:, 0]))


def _contrast(lab: OKLab) -> float:
    low, high = np.quantile(lab[:, 0], [0.15, 0.85])
    return float(high - low)


def _chroma(lab: OKLab) -> float:
    off = lab[:, 1:] - np.median(lab[:, 1:], axis=0)
    return float(np.sqrt((off**2).sum(axis=1).mean()))


_KINDS: dict[str, _Kind] = {
    "light": _Kind(_middle, 0.012, "lighter", "darker", "exposure"),
    "contrast": _Kind(_contrast, 0.015, "more contrast", "less contrast", "contrast"),
    "warmth": _Kind(_along(_WARM), 0.004, "warmer", "cooler", "warmth"),
    "tint": _Kind(_along(_PINK), 0.004, "pinker", "greener", "tint"),
    "chroma": _Kind(_chroma, 0.004, "richer", "duller", "saturation"),
}


@dataclass(frozen=True)
class Difference:
    """One way in which a frame differs from another: in words, and by how much of what is measured."""

    kind: str
    words: str
    amount: float


def differences(own: OKLab, other: OKLab) -> tuple[Difference, ...]:
    """What another finished frame (M, 3) is that one (N, 3) is not, the plainest first."""
    found = []
    for name, kind in _KINDS.items():
        amount = kind.measure(other) - kind.measure(own)
        if abs(amount) >= kind.least:
            found.append((abs(amount) / kind.least, Difference(name, kind.more if amount > 0 else kind.less, amount)))
    return tuple(one for _, one in sorted(found, key=lambda pair: -pair[0]))


def by_zone(own: OKLab, other: OKLab) -> tuple[tuple[str, float], ...]:
    """By how many CIE L* another frame is lighter in shadows, midtones and highlights."""
    shares = [share for _, share in _ZONES]
    here, there = (lightness_of_oklab(np.quantile(lab[:, 0], shares).clip(0, 1)) for lab in (own, other))
    return tuple((name, float(away)) for (name, _), away in zip(_ZONES, there - here, strict=True))


def toward(own: OKLab, other: OKLab, kind: str, share: float) -> Common:
    """The number by which a frame goes a share, 0 to 1, of the way to another one in a kind of difference.

    Found by halving, since a number moves what is measured its own way in every frame. Raises KeyError for no kind.
    """
    found = _KINDS[kind]
    words, came = COMMON_VALUES[found.number], found.measure(own)
    goal = came + share * (found.measure(other) - came)
    low, high = words.low, words.high
    ask = _ask(own)
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        made = found.measure(_under(Common.model_validate({found.number: middle}), own, ask))
        low, high = (middle, high) if made < goal else (low, middle)
    value = round(round((low + high) / 2 / words.step) * words.step, 4)
    return Common.model_validate({found.number: words.within(value)})


def changed_by(common: Common, lab: OKLab) -> OKLab:
    """Finished colours (N, 3) after numbers that trims can have."""
    return _under(common, lab, _ask(lab))


def _ask(lab: OKLab) -> Ask:
    statistics = measure(lab)
    return Ask(frame=statistics, aim=Aim(statistics, ()), aimed=False)


def _under(common: Common, lab: OKLab, ask: Ask) -> OKLab:
    operations = [one for step in with_common(Trim(), common).steps for one in step.resolve(ask)]
    return through([one for one in operations if isinstance(one, ColourOperation)], lab)
