"""From a trim into a look: which parts of it can go there, what becomes of them, and why others stay with the frame."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np

from nuvett.core.errors import DocumentError
from nuvett.core.fields import numbers_of
from nuvett.core.look.local import MAX_AREAS
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import plain_sentence
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.step import Step
from nuvett.core.steps.white import WhiteStep
from nuvett.core.types import Quantiles

_ADDED: dict[type[Step], tuple[str, ...]] = {
    ExposureStep: ("exposure", "contrast"),
    WhiteStep: ("warmth", "tint"),
    SaturationStep: ("saturation", "vibrance"),
}
"""Steps of which two made one after the other are one with the sums of these numbers."""

_FAR = 0.25  # EV that a frame lies under or over its set-up, from which its exposure is taken to make up for that
_MIDDLE = 32  # of 65 quantiles


@dataclass(frozen=True)
class Liftable:
    """A part of a trim: its name, title and words; whether it can go into a look, does so unasked, and why."""

    name: str
    title: str
    words: str
    can: bool
    ticked: bool
    reason: str = ""


def under(own: Quantiles, others: Sequence[Quantiles]) -> float:
    """How many EV a frame's middle lies under those of others, from quantiles (65,) of OKLab lightness; 0 for none."""
    if not others:
        return 0.0
    middle = float(np.median([other[_MIDDLE] for other in others]))
    return float(3 * np.log2(max(middle, 0.02) / max(float(own[_MIDDLE]), 0.02)))


def liftable(look: Look, trim: Trim, below: float = 0.0) -> list[Liftable]:
    """Parts of a trim, with what would become of each in a look.

    below : EV that the frame lies under its set-up; an exposure that makes up for it belongs to the frame
    """
    found = [_of_step(look, step, below) for step in trim.steps if not step.is_idle]
    for place, own in enumerate(trim.areas):
        if own.is_idle:
            continue
        can = own.area.travels
        reason = "found anew in every frame" if can else "strokes of a brush belong to their frame"
        found.append(Liftable(f"area.{place}", own.title, reason, can, can, "" if can else reason))
    if not trim.geometry.is_none:
        found.append(Liftable("geometry", "Straighten and crop", "", False, False, "a crop belongs to its frame"))
    if trim.spots:
        reason = "a spot belongs to its frame; “Do the same to…” finds it in others"
        found.append(Liftable("spots", "Spots painted out", "", False, False, reason))
    if trim.strength != 100:
        words = f"takes {trim.strength:.0f} % of the look"
        found.append(
            Liftable("strength", "Strength", words, False, False, "says how much this frame takes of the look")
        )
    return found


def _of_step(look: Look, step: Step, below: float) -> Liftable:
    own, words = look.step(type(step)), plain_sentence(step)
    if isinstance(step, ExposureStep) and abs(below) >= _FAR and step.exposure * below > 0:
        side = "under" if below > 0 else "over"
        return Liftable(
            step.name, step.title, words, True, False, f"this frame lies {abs(below):.1f} EV {side} its set-up"
        )
    if own.is_idle:
        return Liftable(step.name, step.title, words, True, True)
    if _adds(own, step):
        return Liftable(step.name, step.title, words, True, True, "added to what the look has")
    return Liftable(
        step.name, step.title, words, True, False, f"the look has its own, which it would replace: {_of(own)}"
    )


def _of(step: Step) -> str:
    words = plain_sentence(step)
    return words if len(words) <= 60 else f"{words[:57].rstrip()}…"


def _adds(own: Step, step: Step) -> bool:
    """Whether two steps of a kind, one after the other, are one with the sums of their numbers."""
    names = _ADDED.get(type(step))
    if names is None:
        return False
    rest = set(type(step).model_fields) - {*names, "on"}
    return all(getattr(own, name) == getattr(step, name) for name in rest)


def lifted(look: Look, trim: Trim, parts: Collection[str], key: str = "") -> tuple[Look, Trim]:
    """A look with parts of a trim in it, and the trim without them.

    key : that areas get which have none, with their places, by which frames can leave them out
    Raises DocumentError for a part that cannot go there, for none, and for too many areas.
    """
    known = {one.name: one for one in liftable(look, trim)}
    if not parts or any(name not in known or not known[name].can for name in parts):
        raise DocumentError("Choose parts of this trim that can go into a look.")
    for kind in Trim.kinds:
        if kind.name not in parts:
            continue
        step = trim.step(kind)
        own = look.step(kind)
        look = look.with_step(_sum(own, step) if not own.is_idle and _adds(own, step) else step)
        trim = trim.model_copy(update={kind.name: None})
    moved = [place for place, _ in enumerate(trim.areas) if f"area.{place}" in parts]
    if len(look.areas) + len(moved) > MAX_AREAS:
        raise DocumentError(f"A look has at most {MAX_AREAS} areas.")
    areas = [trim.areas[place] for place in moved]
    named = [
        own.model_copy(update={"key": own.key or f"{key}{place}"}) for own, place in zip(areas, moved, strict=True)
    ]
    left = tuple(own for place, own in enumerate(trim.areas) if place not in moved)
    look = look.model_copy(update={"areas": (*look.areas, *named)})
    return look, trim.model_copy(update={"areas": left})


def _sum(own: Step, step: Step) -> Step:
    words = numbers_of(type(step))
    values = {
        name: words[name].within(round(getattr(own, name) + getattr(step, name), 4)) for name in _ADDED[type(step)]
    }
    return step.model_copy(update=values)
