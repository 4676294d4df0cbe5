"""What of a look to turn down so that something no longer goes wrong."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from nuvett.core.fields import numbers_of
from nuvett.core.fit.hues import MAX_BANDS, HueBand
from nuvett.core.look.look import Look, WholeLook
from nuvett.core.planning.warnings import NoteKind
from nuvett.core.steps.hold import HoldStep
from nuvett.core.steps.hues import HueStep, hue_word
from nuvett.core.steps.registry import REGISTRY
from nuvett.core.steps.step import Step

FindingKind = Literal[NoteKind, "soft"]
"""What may go wrong with a look on frames: what notes say, and soft colour that is torn at full size."""

_LEVELS = 10
_ORDER: dict[FindingKind, tuple[str, ...]] = {
    "skin": ("hold", "colour", "zones.amount", "moves.amount", "spread.amount", "table.amount", "strength"),
    "tinted": ("zones.whites", "colour", "zones.amount", "wash.amount", "filter.amount", "table.amount", "strength"),
    "merged": ("moves.amount", "spread.amount", "colour", "zones.amount", "table.amount", "strength"),
    "torn": ("moves.amount", "spread.amount", "tone.amount", "curve.amount", "table.amount", "strength"),
    "soft": ("moves.amount", "spread.amount", "curve.amount", "tone.amount", "saturation.amount", "strength"),
    "steep": ("tone.amount", "exposure.amount", "curve.amount", "ends.amount", "table.amount", "strength"),
    "clipped": ("tone.amount", "curve.amount", "ends.amount", "exposure.amount", "table.amount", "strength"),
    "richer": ("hues", "vivid", "moves.amount", "saturation.amount", "table.amount", "strength"),
    "black": ("tone.amount", "curve.amount", "ends.amount", "exposure.amount", "table.amount", "strength"),
}
"""What may be behind each kind of finding, the likeliest first; strength of the whole look comes last."""


@dataclass(frozen=True)
class Remedy:
    """A change of a look after which something no longer goes wrong, in words."""

    look: Look
    words: str


def remedy(
    look: Look, kind: FindingKind, is_clean: Callable[[Look], bool], bands: Sequence[HueBand] = ()
) -> Remedy | None:
    """The mildest change of the likeliest step that mends a finding; none where nothing does.

    is_clean : whether the finding is gone under a look; bands : hue ranges that would hold what is too rich
    """
    for path in _ORDER[kind]:
        if path == "hold":
            held = look.with_step(look.step(HoldStep).model_copy(update={"on": True, "where": "everywhere"}))
            if held != look and is_clean(held):
                return Remedy(held, "with skin held in every frame, all frames are clean")
            continue
        if path == "hues":
            ranged = _held_by_ranges(look, bands)
            if ranged is not None and is_clean(ranged.look):
                return ranged
            continue
        found = _turned_down(look, path, is_clean)
        if found is not None:
            return found
    return None


def _held_by_ranges(look: Look, bands: Sequence[HueBand]) -> Remedy | None:
    """A look with hue ranges more, those of about one hue made one with the lowest ceiling; none for too many."""
    step, apart = look.step(HueStep), dict[str, HueBand]()
    for band in bands:
        other = apart.get(hue_word(band.hue))
        if other is None or (band.most or 0) < (other.most or 0):
            apart[hue_word(band.hue)] = band
    if not apart or len(step.bands) + len(apart) > MAX_BANDS:
        return None
    made = step.model_copy(update={"on": True, "bands": (*step.bands, *apart.values())})
    said = " and ".join(f"{word} held below chroma {band.most:g}" for word, band in apart.items())
    return Remedy(look.with_step(made), f"with {said} by hue ranges, all frames are clean")


def _turned_down(look: Look, path: str, is_clean: Callable[[Look], bool]) -> Remedy | None:
    """The highest of ten levels at which a number mends it, found by halving; none where even nought does not."""
    tries = list(_levels(look, path))
    if not tries or not is_clean(tries[-1].look):
        return None
    low, high = 0, len(tries) - 1
    while low < high:
        middle = (low + high) // 2
        if is_clean(tries[middle].look):
            high = middle
        else:
            low = middle + 1
    return tries[high]


def _levels(look: Look, path: str) -> Iterator[Remedy]:
    """A look with one of its numbers ever lower, down to nought; nothing while its step is idle."""
    head, _, field = path.partition(".")
    kind = next((kind for kind in REGISTRY if kind.name == head), None)
    step = look.step(kind) if kind else None
    if step is not None and step.is_idle:
        return
    owner: Step | Look = look if step is None else step
    name = field or head
    words = numbers_of(WholeLook if step is None else type(step))[name]
    present = float(getattr(owner, name))
    for level in range(_LEVELS - 1, -1, -1):
        value = round(present * level / _LEVELS)
        changed = {name: value}
        made = look.model_copy(update=changed) if step is None else look.with_step(step.model_copy(update=changed))
        if value != present:
            yield Remedy(made, f"with “{words.label}” at {words.written(value)}, all frames are clean")
