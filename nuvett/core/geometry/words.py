"""Geometry in words: what it does, and what changed between two states of it."""

from nuvett.core.fields import numbers_of
from nuvett.core.geometry.geometry import PROPORTIONS, Geometry

_NUMBERS = numbers_of(Geometry)
_TURNED = ("not turned", "turned right", "turned upside down", "turned left")


def geometry_words(geometry: Geometry) -> list[str]:
    """What geometry does, in a few words each: "straightened by 0.6°", "cropped to 3 : 2"."""
    said = []
    if geometry.quarter:
        said.append(_TURNED[geometry.quarter])
    if geometry.mirrored:
        said.append("mirrored")
    if geometry.straighten:
        said.append(f"straightened by {_NUMBERS['straighten'].written(geometry.straighten)}")
    if geometry.vertical or geometry.horizontal:
        said.append("set upright")
    if geometry.cut is not None or geometry.proportion not in ("shot", "free"):
        to = "" if geometry.proportion in ("shot", "free") else f" to {PROPORTIONS[geometry.proportion]}"
        said.append(f"cropped{to}")
    return said


def geometry_changes(before: Geometry | None, after: Geometry | None) -> list[str]:
    """What changed between two states of geometry, in words."""
    if before is None or after is None or before == after:
        return []
    said = []
    if before.quarter != after.quarter:
        said.append(_TURNED[after.quarter].capitalize())
    if before.mirrored != after.mirrored:
        said.append("Mirrored" if after.mirrored else "No longer mirrored")
    for name, words in _NUMBERS.items():
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            said.append(f"{words.label} {words.bare(old)} to {words.written(new)}")
    if before.proportion != after.proportion:
        said.append(f"Proportion {PROPORTIONS[after.proportion]}")
    elif before.cut != after.cut:
        said.append("No longer cropped" if after.cut is None else "Cropped")
    return said
