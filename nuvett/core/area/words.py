"""Areas in words: what they are, and what changed between two of them."""

from collections.abc import Sequence

import numpy as np

from nuvett.core.area.parts import (
    Area,
    BrushPart,
    ColourPart,
    Part,
    RoundPart,
    SkinPart,
    StraightPart,
    SubjectPart,
    TonePart,
)
from nuvett.core.fields import numbers_of
from nuvett.core.spaces.names import colour_name
from nuvett.core.types import OKLab

KIND_TITLES = {
    "round": "round",
    "straight": "straight",
    "brush": "brush",
    "colour": "a colour",
    "tone": "a tone",
    "subject": "the subject",
    "skin": "the skin",
}
"""What can be added, as it is offered."""

_PLACES = {"x", "y", "end_x", "end_y"}
_JOINED = {"added": "and", "taken": "without", "within": "within"}


def part_words(part: Part) -> str:
    """A part by what it is, not yet turned inside out."""
    match part:
        case RoundPart():
            return "a round"
        case StraightPart():
            return "beyond a line"
        case BrushPart():
            count = len(part.strokes)
            return "a brush" if not count else f"{count} brush stroke{'' if count == 1 else 's'}"
        case ColourPart():
            return colour_name(OKLab(np.array(part.colour, dtype=np.float32)))
        case TonePart():
            words = numbers_of(TonePart)
            return (
                f"tones {words['low'].bare(min(part.low, part.high))} to {words['high'].bare(max(part.low, part.high))}"
            )
        case SubjectPart():
            return "the subject"
        case SkinPart():
            return "the skin"


def area_words(area: Area) -> str:
    """An area in a few words: "all but the subject"; "a round without the skin"."""
    if not area.parts:
        return "nowhere yet"
    said = ""
    for index, part in enumerate(area.parts):
        own = f"all but {part_words(part)}" if part.inverted else part_words(part)
        if index:
            said += f" {_JOINED[part.join]} {own}"
        elif part.join == "taken":
            said = f"all but {part_words(part)}" if not part.inverted else part_words(part)
        else:
            said = own
    return said


def area_changes(before: Area, after: Area) -> list[str]:
    """What changed between two states of an area, in words."""
    if len(before.parts) != len(after.parts):
        return [_more_or_less(before.parts, after.parts)]
    said = []
    for old, new in zip(before.parts, after.parts, strict=True):
        if old != new:
            said += _part_changes(old, new)
    for name, words in numbers_of(Area).items():
        old_value, new_value = getattr(before, name), getattr(after, name)
        if old_value != new_value:
            said.append(f"{words.label} {words.bare(old_value)} to {words.written(new_value)}")
    if before.edges != after.edges:
        said.append("edges followed" if after.edges else "edges not followed")
    return said


def _more_or_less(before: Sequence[Part], after: Sequence[Part]) -> str:
    longer, shorter, word = (after, before, "joined") if len(after) > len(before) else (before, after, "taken out")
    odd = next((p for i, p in enumerate(longer) if i >= len(shorter) or shorter[i] != p), longer[-1])
    return f"{part_words(odd)} {word}"


def _part_changes(old: Part, new: Part) -> list[str]:
    if old.kind != new.kind:
        return [f"{part_words(new)} in place of {part_words(old)}"]
    said = []
    if old.inverted != new.inverted:
        said.append("turned inside out")
    if old.join != new.join:
        said.append(f"{part_words(new)} {'joined' if new.join == 'added' else _JOINED[new.join]}")
    numbers = numbers_of(type(new))
    for name, words in numbers.items():
        if name not in _PLACES and getattr(old, name) != getattr(new, name):
            said.append(f"{words.label} {words.bare(getattr(old, name))} to {words.written(getattr(new, name))}")
    if isinstance(old, BrushPart) and isinstance(new, BrushPart) and old.strokes != new.strokes:
        said.append(_stroke_words(old, new))
    if any(getattr(old, name) != getattr(new, name) for name in _PLACES & set(numbers)):
        said.append("moved")
    return said


def _stroke_words(old: BrushPart, new: BrushPart) -> str:
    if len(new.strokes) > len(old.strokes):
        return "a stroke erased" if new.strokes[-1].erases else "a stroke brushed"
    return "a stroke taken back" if len(new.strokes) < len(old.strokes) else "strokes changed"
