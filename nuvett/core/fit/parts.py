"""Colour and tone as the two parts of what is done to a colour."""

from typing import Literal

from nuvett.core.types import OKLab

Part = Literal["both", "colour", "tone"]
"""What of a colour may change."""


def only(part: Part, before: OKLab, after: OKLab) -> OKLab:
    """What was done to OKLab colours (N, 3), its colour or its tone alone if asked."""
    if part == "both":
        return after
    out = before.copy()
    if part == "tone":
        out[:, 0] = after[:, 0]
    else:
        out[:, 1:] = after[:, 1:]
    return OKLab(out)
