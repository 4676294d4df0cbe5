"""What was changed in a sampling, and what tells readings apart, in words."""

from collections.abc import Sequence

import numpy as np

from nuvett.core.drift.drift import Yardstick, measure_drift
from nuvett.core.reading.palette import PaletteColour
from nuvett.core.reading.reading import Reading
from nuvett.core.reading.regions import Patch, Point, Sampling
from nuvett.core.types import OKLab

_ALONE = 0.11  # OKLab distance from every colour of another palette beyond which a colour has no counterpart there
_TELLING = 0.03  # share below which a colour is not worth a word
_MAX_ALONE = 2


def describe_sampling(before: Sampling, after: Sampling) -> str:
    """What changed between two samplings, for a history: "Patch added and palette of 8"."""
    said = [
        *_listed("patch", before.patches, after.patches),
        *_listed("colour family", before.families, after.families),
        *_points(before.points, after.points),
    ]
    if before.tone != after.tone:
        said.append("whole tone range" if after.tone is None else f"tones {after.tone[0]:.0f} to {after.tone[1]:.0f}")
    if before.paper != after.paper:
        said.append("paper as it is" if after.paper is None else "paper read as white")
    said += _palette(before, after)
    if not said:
        return "No change"
    text = said[0] if len(said) == 1 else f"{said[0]} and {said[1]}"
    return text[0].upper() + text[1:]


def _listed(word: str, before: Sequence[object], after: Sequence[object]) -> list[str]:
    if before == after:
        return []
    if not after:
        return [f"no {word} any more"]
    if len(after) > len(before):
        last = after[-1]
        return [f"{word} left out" if isinstance(last, Patch) and last.leave_out else f"{word} added"]
    return [f"{word} taken away" if len(after) < len(before) else f"{word} changed"]


def _points(before: tuple[Point, ...], after: tuple[Point, ...]) -> list[str]:
    gone = [p for p in before if p not in after]
    new = [p for p in after if p not in before]
    if not gone and not new:
        return []
    kind = (new or gone)[0].kind
    name = "point" if kind == "free" else f"{kind} point"
    if new and gone:
        return [f"{name} moved"]
    return [f"{name} placed" if new else f"{name} taken away"]


def _palette(before: Sampling, after: Sampling) -> list[str]:
    if before.edits.order != after.edits.order:
        return [f"palette by {after.edits.order}"]
    if len(after.edits.dropped) > len(before.edits.dropped):
        return ["colour left out of the palette"]
    if before.edits != after.edits:
        more = len(after.edits.held) - len(before.edits.held)
        if after.colours < before.colours and more > -2 and len(after.edits.held) > 0:
            return ["two colours merged"]
        return ["colour held" if more > 0 else "colour let go" if more < 0 else "palette colour changed"]
    return [f"palette of {after.colours}"] if before.colours != after.colours else []


def differences(one: Reading, other: Reading, name: str) -> list[str]:
    """What tells a reading from another one, called `name`, in sentences; the plainest first."""
    drift = measure_drift(
        OKLab(np.asarray(one.statistics.cloud)), Yardstick.of(OKLab(np.asarray(other.statistics.cloud))), name
    )
    said = [drift.words]
    alone = [c for c in _without_counterpart(one, other) if c.share >= _TELLING][:_MAX_ALONE]
    said += [f"{c.name}, {c.share:.0%} of it, has no counterpart in {name}".replace("%", " %") for c in alone]
    missing = [c for c in _without_counterpart(other, one) if c.share >= _TELLING][:_MAX_ALONE]
    said += [f"lacks {c.name}, {c.share:.0%} of {name}".replace("%", " %") for c in missing]
    return said


def _without_counterpart(one: Reading, other: Reading) -> list[PaletteColour]:
    theirs = np.array([c.lab for c in other.palette])
    found = [c for c in one.palette if float(np.sqrt(((theirs - c.lab) ** 2).sum(axis=1)).min()) > _ALONE]
    return sorted(found, key=lambda c: -c.share)
