"""How a look arrives: toward its target, by what was made by hand, or by both one after the other; and by set-up.

What was made by hand on one frame says two things to the others: the same steps, which suit frames of one light and
scene, and the same result, which suits frames of different light and takes what is seen for colour if it is too much.
"""

from typing import Literal

from pydantic import Field

from nuvett.core.types import Document

Way = Literal["fit", "steps", "result", "both"]
WAYS: dict[str, str] = {
    "fit": "the target first, then by hand",
    "steps": "the same steps",
    "result": "the same result",
    "both": "the steps, then the result",
}
"""Ways in words."""
IN_SHORT: dict[Way, str] = {
    "fit": "Target, then hand",
    "steps": "Same steps",
    "result": "Same result",
    "both": "Steps, then result",
}
"""The same where there is little room."""

MAX_SETUPS = 400


class OfSetup(Document):
    """What a look does in one set-up otherwise than in the series.

    setup : its id, or its number on the command line; way : none for that of the look
    aim : key of the reading that the set-up aims at by itself, empty for what all of them were blended into
    """

    setup: str = Field(max_length=64)
    way: Way | None = None
    aim: str = Field(default="", max_length=64)


def changed_setups(before: tuple[OfSetup, ...], after: tuple[OfSetup, ...]) -> list[str]:
    """What changed between set-ups of two looks, in words."""
    old, new = ({one.setup: one for one in some} for some in (before, after))
    said = []
    for name in [*new, *(name for name in old if name not in new)]:
        was, now = (some.get(name, OfSetup(setup=name)) for some in (old, new))
        if was.way != now.way:
            said.append(f"A set-up by {WAYS[now.way]}" if now.way else "A set-up arrives as the series does")
        if was.aim != now.aim:
            said.append("A set-up aims at a still of its own" if now.aim else "A set-up aims at the series’ target")
    return said
