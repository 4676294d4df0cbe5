"""Drift: how far a frame is from the target, and why, in words."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from pydantic import Field

from nuvett.core.measure.sliced import directions, projected_quantiles
from nuvett.core.measure.statistics import thin
from nuvett.core.spaces.cielab import neutral_cielab
from nuvett.core.types import Document, Floats, OKLab

_REASON_COLOURS = 512  # colours that reasons are worked out on
_GREY = 0.012  # OKLab chroma
_OTHER, _BLACK_AND_WHITE = "other colours", "black-and-white"
_TONES, _ABOUT_A_TINT = 16, 0.018  # steps of lightness, and OKLab chroma about a tint that a toned print stays within
_DIRECTIONS = 32
_QUANTILES = 128
_FORM_DIRECTIONS, _FORM_QUANTILES = 16, 16
_NOTICEABLE = {"lightness": 1.5, "contrast": 8.0, "colour": 0.8, "chroma": 10.0, "palette": 0.6}
_OUTLIER_DEVIATIONS = 3.0
_MIN_DEVIATION = 0.25  # of drift; below it a series counts as even and nothing stands out by chance


class Reason(Document):
    """One part of a drift. `share` is its part of the whole, 0 to 1; `amount` is in the unit the words name."""

    kind: str
    share: float
    amount: float
    words: str


class Drift(Document):
    """Distance of a frame from a target: sliced 1-Wasserstein in OKLab times 100, with reasons, largest first.

    shown : what no change of light, contrast, cast or chroma could take away: what the frame shows; none if not known
    """

    value: float = Field(ge=0)
    shown: float | None = Field(default=None, ge=0)
    reasons: tuple[Reason, ...] = ()
    words: str = ""


@dataclass(frozen=True)
class Yardstick:
    """A cloud (N, 3) made ready for measuring: with its projected quantiles."""

    cloud: OKLab
    quantiles: Floats

    @classmethod
    def of(cls, cloud: OKLab) -> "Yardstick":
        return cls(cloud, projected_quantiles(cloud, directions(_DIRECTIONS), _QUANTILES))

    def shifted(self, by: tuple[float, float, float]) -> "Yardstick":
        """The cloud moved by a difference in OKLab: sorted values move alike, so nothing is sorted anew."""
        away = np.array(by, dtype=np.float32)
        return Yardstick(OKLab(self.cloud + away), self.quantiles + directions(_DIRECTIONS) @ away)

    def energy(self, other: "Yardstick") -> float:
        """Squared sliced 2-Wasserstein distance, which splits exactly into a shift and a difference of form."""
        return float(((self.quantiles - other.quantiles) ** 2).mean())

    @cached_property
    def is_grey(self) -> bool:
        """Whether the picture is black-and-white: nothing in it has a colour to speak of."""
        return _most_below(np.hypot(self.cloud[:, 1], self.cloud[:, 2]), 0.98, _GREY)

    @cached_property
    def is_toned(self) -> bool:
        """Whether the picture is a toned print: its colours lie about one tint at each lightness, which has a colour.

        Asked of one target for every frame of a series, and so kept.
        """
        if self.is_grey:
            return False
        place = np.clip(self.cloud[:, 0] * _TONES, 0, _TONES - 1).astype(np.int64)
        count = np.maximum(np.bincount(place, minlength=_TONES), 1)
        tint = np.stack([np.bincount(place, self.cloud[:, k], _TONES) / count for k in (1, 2)], axis=1)
        off = self.cloud[:, 1:] - tint[place]
        return _most_below(np.hypot(off[:, 0], off[:, 1]), 0.95, _ABOUT_A_TINT)


def distance(cloud: OKLab, yardstick: Yardstick) -> float:
    """Sliced 1-Wasserstein distance of an OKLab cloud (N, 3) from the yardstick's, times 100."""
    return distance_of(Yardstick.of(cloud), yardstick)


def distance_of(one: Yardstick, yardstick: Yardstick) -> float:
    """The same of a cloud that is made ready already."""
    return float(np.abs(one.quantiles - yardstick.quantiles).mean() * 100)


def _most_below(values: Floats, share: float, limit: float) -> bool:
    """Whether at least a share of values (N,) lies below a limit."""
    return int(np.count_nonzero(values < limit)) >= share * len(values)


def _deviation(values: Floats) -> float:
    return float(values.std()) + 2e-3


def measure_drift(cloud: OKLab, yardstick: Yardstick, than: str = "the target") -> Drift:
    """Drift of an OKLab cloud (N, 3), with the part of it that each reason explains.

    Reasons are taken away one after the other (lightness, contrast, colour cast, chroma); what each removal takes
    off the squared distance is its share, and what is left at the end is the palette's.

    than : what the yardstick is called in words
    """
    target, current = yardstick.cloud, Yardstick.of(OKLab(np.array(thin(cloud, _REASON_COLOURS), dtype=np.float32)))
    energy = [current.energy(yardstick)]
    mean, wanted = float(current.cloud[:, 0].mean()), float(target[:, 0].mean())
    current = current.shifted((wanted - mean, 0, 0))
    energy.append(current.energy(yardstick))
    ratio = _deviation(current.cloud[:, 0]) / _deviation(target[:, 0])
    evened = current.cloud.copy()
    evened[:, 0] = wanted + (evened[:, 0] - wanted) / ratio
    current = Yardstick.of(OKLab(evened))
    energy.append(current.energy(yardstick))
    whole = Yardstick.of(cloud)
    grey = whole.is_grey and not yardstick.is_grey and not yardstick.is_toned
    colour = _without_colours(current, yardstick) if grey else _colour_steps(current, yardstick)
    energy += colour.energy
    left = np.minimum.accumulate(energy)
    shares = np.append(left[:-1] - left[1:], left[-1]) / max(left[0], 1e-12)
    lighter = neutral_cielab(mean) - neutral_cielab(wanted)
    total = distance_of(whole, yardstick)
    found = (
        ("lightness", lighter, f"{abs(lighter):.0f} {'lighter' if lighter > 0 else 'darker'}"),
        ("contrast", 100 * (ratio - 1), "harder" if ratio > 1 else "flatter"),
        *(_told_as_toning(colour.reasons, whole) if yardstick.is_toned else colour.reasons),
        *(() if grey else (("palette", float(left[-1] ** 0.5) * 100, _OTHER),)),
    )
    reasons = [
        Reason(kind=kind, share=float(share), amount=amount, words=words)
        for (kind, amount, words), share in zip(found, shares, strict=not grey)
        if abs(amount) >= _NOTICEABLE[kind]
    ]
    reasons.sort(key=lambda r: -r.share)
    shown = None if grey else min(total, distance_of(colour.rest, yardstick))
    return Drift(value=total, shown=shown, reasons=tuple(reasons), words=_sentence(reasons, than, total, shown))


@dataclass(frozen=True)
class _ColourSteps:
    """Colour cast and chroma taken away one after the other: what each was, what energy it left, and what is left."""

    reasons: list[tuple[str, float, str]]
    energy: list[float]
    rest: Yardstick


def _told_as_toning(reasons: list[tuple[str, float, str]], whole: Yardstick) -> list[tuple[str, float, str]]:
    """Reasons of colour as they are told against a toned print: of another print it is the toning that differs."""
    if whole.is_grey:
        (kind, amount, _), (other, _, _) = reasons
        return [(kind, amount, "less toned"), (other, 0.0, "")]
    if not whole.is_toned:
        return reasons
    told = {"richer": "more strongly toned", "duller": "more weakly toned"}
    return [(kind, amount, told.get(words, f"toned {words}")) for kind, amount, words in reasons]


def _without_colours(current: Yardstick, yardstick: Yardstick) -> "_ColourSteps":
    """All that is left where a black-and-white picture is held against colours: it is neither cooler nor duller."""
    left = current.energy(yardstick)
    return _ColourSteps([("chroma", -100.0, _BLACK_AND_WHITE)], [0.0, left], current)


def _colour_steps(current: Yardstick, yardstick: Yardstick) -> _ColourSteps:
    """Take away cast and chroma, first the one that explains more: a duller picture has less cast as well."""
    target = yardstick.cloud[:, 1:]

    def without_cast(given: Yardstick) -> tuple[Yardstick, tuple[str, float, str]]:
        a, b = (float(v) for v in given.cloud[:, 1:].mean(axis=0) - target.mean(axis=0))
        return given.shifted((0, -a, -b)), ("colour", float(np.hypot(a, b)) * 100, cast_words(a, b))

    def without_chroma(given: Yardstick) -> tuple[Yardstick, tuple[str, float, str]]:
        ratio = _root_mean_square(given.cloud[:, 1:]) / _root_mean_square(target)
        moved = OKLab(given.cloud * np.array([1, 1 / ratio, 1 / ratio], dtype=np.float32))
        return Yardstick.of(moved), ("chroma", 100 * (ratio - 1), "richer" if ratio > 1 else "duller")

    orders = []
    for first, second in ((without_cast, without_chroma), (without_chroma, without_cast)):
        once, reason = first(current)
        twice, other = second(once)
        orders.append(_ColourSteps([reason, other], [once.energy(yardstick), twice.energy(yardstick)], twice))
    return min(orders, key=lambda o: o.energy[0])


def _root_mean_square(ab: Floats) -> float:
    return float(np.sqrt((ab**2).sum(axis=1).mean())) + 2e-3


def cast_words(a: float, b: float) -> str:
    """A colour cast in OKLab a, b as one word: warmer, cooler, greener or pinker, by its larger part."""
    # The warm-cool axis of daylight runs mostly along b, leaning a little toward red.
    warm, pink = 0.94 * b + 0.34 * a, 0.94 * a - 0.34 * b
    if abs(warm) >= abs(pink):
        return "warmer" if warm > 0 else "cooler"
    return "pinker" if pink > 0 else "greener"


def _sentence(reasons: list[Reason], than: str, total: float, shown: float | None) -> str:
    telling = [r.words for r in reasons if r.share >= 0.08][:2]
    plain = [words for words in telling if words not in (_OTHER, _BLACK_AND_WHITE)]
    if not telling:
        return f"close to {than}"
    part = "" if shown is None else f"; {shown:.1f} of {total:.1f} is what the frame shows"
    if not plain:
        return f"black-and-white, unlike {than}" if _BLACK_AND_WHITE in telling else f"{_OTHER} than {than}{part}"
    tails = {_BLACK_AND_WHITE: f", {_BLACK_AND_WHITE}", _OTHER: part or f", with {_OTHER}"}
    tail = next((tails[words] for words in telling if words in tails), "")
    return f"{' and '.join(plain)} than {than}{tail}"


def form_of(cloud: OKLab) -> Floats:
    """(16, 16) quantiles of a cloud (N, 3) along fixed directions, by which many pictures are told apart."""
    return projected_quantiles(cloud, directions(_FORM_DIRECTIONS), _FORM_QUANTILES)


def spread_of(forms: Sequence[Floats]) -> float:
    """Spread of a series: mean sliced 1-Wasserstein distance of its frames' forms from their barycentre, times 100.

    In one dimension the barycentre's quantile function is the mean of those of its parts (Agueh and Carlier 2011).
    """
    if len(forms) < 2:
        return 0.0
    together = np.stack(forms)
    return float(np.abs(together - together.mean(axis=0)).mean() * 100)


def outliers(values: list[float]) -> list[bool]:
    """Which drifts stand out upward: more than 3 robust deviations (scaled MAD) above the median."""
    if len(values) < 4:
        return [False] * len(values)
    array = np.asarray(values)
    median = float(np.median(array))
    deviation = max(1.4826 * float(np.median(np.abs(array - median))), _MIN_DEVIATION)
    return [bool(v) for v in array > median + _OUTLIER_DEVIATIONS * deviation]
