"""Areas in words: what they are, and what changed between two of them."""

from collections.abc import Sequence

from nuvett.core.area.area import Area
from nuvett.core.area.part import AreaPart
from nuvett.core.fields import numbers_of

_JOINED = {"added": "and", "taken": "without", "within": "within"}


def area_words(area: Area) -> str:
    """An area in a few words: "all but the subject"; "a round without the skin"."""
    if not area.parts:
        return "nowhere yet"
    said = ""
    for index, part in enumerate(area.parts):
        own = f"all but {part.words}" if part.inverted else part.words
        if index:
            said += f" {_JOINED[part.join]} {own}"
        elif part.join == "taken":
            said = f"all but {part.words}" if not part.inverted else part.words
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


def _more_or_less(before: Sequence[AreaPart], after: Sequence[AreaPart]) -> str:
    longer, shorter, word = (after, before, "joined") if len(after) > len(before) else (before, after, "taken out")
    odd = next((p for i, p in enumerate(longer) if i >= len(shorter) or shorter[i] != p), longer[-1])
    return f"{odd.words} {word}"


def _part_changes(old: AreaPart, new: AreaPart) -> list[str]:
    if type(old) is not type(new):
        return [f"{new.words} in place of {old.words}"]
    said = []
    if old.inverted != new.inverted:
        said.append("inverted")
    if old.join != new.join:
        said.append(f"{new.words} {'joined' if new.join == 'added' else _JOINED[new.join]}")
    return said + old.changes(new)
