"""What a frame lacks of a target, and has beside it: colours that no change of light or cast could bring or take away.

A colour of the one counts as there in the other where that has pixels with at least half of its chroma in about its
hue, however light. Greys are left out, and what covers half of a picture: those are a matter of light and cast.
"""

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from nuvett.core.measure.statistics import thin
from nuvett.core.reading.palette import FINE, Colour, find_palette
from nuvett.core.spaces.names import colour_name
from nuvett.core.types import Document, OKLab

_CLUSTERS, _COLOURS = 12, 2048
_GREY = 0.05  # OKLab chroma below which a colour has no name of its own
_AS_LIGHT, _REACH, _MIN_REACH = 0.22, 0.5, 0.035  # of lightness; of its chroma, and at least, in a and b
_WORTH_SAYING, _LEFT = 0.03, 0.15  # share of a picture that is told of; of that share, below which it is not there
_RELATED = 40.0  # degrees of hue within which a duller colour could become a missing one
_A_CAST = 0.45  # share of a picture over which a colour is its light
_MAX = 2

UnmatchedKind = Literal["lacked", "foreign"]


class Unmatched(Document):
    """A colour that one side has and the other has not.

    kind : lacked by the frame, or foreign to the target; share : 0 to 1, of the side that has it
    advice : what helps, in words
    """

    kind: UnmatchedKind
    colour: Colour
    name: str
    share: float = Field(ge=0, le=1)
    advice: str

    @property
    def words(self) -> str:
        """What is said of it."""
        share = f"{100 * self.share:.0f} %"
        if self.kind == "lacked":
            return f"lacks the target’s {self.name} ({share} of it)"
        return f"has {self.name} that the target does not ({share})"


def near(cloud: OKLab, colour: Colour, as_light: bool = True) -> NDArray[np.bool_]:
    """Which colours (N, 3) are a colour of the other side, as rich as that, nearly, and as light if asked."""
    reach = max(_MIN_REACH, _REACH * float(np.hypot(*colour[1:])))
    away = np.hypot(cloud[:, 1] - colour[1], cloud[:, 2] - colour[2])
    light = np.abs(cloud[:, 0] - colour[0]) <= (_AS_LIGHT if as_light else np.inf)
    return np.asarray((away <= reach) & light)


def unmatched(frame: OKLab, target: OKLab) -> tuple[Unmatched, ...]:
    """Colours that a finished frame (N, 3) lacks of a target (M, 3), and then those that are foreign to the target.

    The largest of each, two at most.
    """
    frame, target = (OKLab(thin(cloud, _COLOURS)) for cloud in (frame, target))
    lacked = [
        Unmatched(kind="lacked", colour=colour, name=_name(colour), share=share, advice=_becoming(frame, colour))
        for colour, share in _only_in(target, frame)
    ]
    foreign = [
        Unmatched(kind="foreign", colour=colour, name=_name(colour), share=share, advice=_TAKEN)
        for colour, share in _only_in(frame, target)
    ]
    return (*lacked[:_MAX], *foreign[:_MAX])


def told_of(found: tuple[Unmatched, ...], kind: UnmatchedKind, colours: OKLab) -> tuple[bool, ...]:
    """Which colours (K, 3) of a palette are among those said to be unmatched, so that they can be marked there."""
    if not len(colours):
        return ()
    hit = np.zeros(len(colours), dtype=bool)
    for one in found:
        if one.kind == kind:
            hit |= near(colours, one.colour)
    return tuple(hit.tolist())


_TAKEN = "a move by hand, or an area of that colour, takes it nearer"


def _name(colour: Colour) -> str:
    return colour_name(OKLab(np.array(colour, dtype=np.float32)))


def _only_in(own: OKLab, other: OKLab) -> list[tuple[Colour, float]]:
    """Colours of one cloud that the other has not, with their shares, the largest first."""
    found: list[tuple[Colour, float]] = []
    for cluster in find_palette(own, _CLUSTERS, FINE, accents=True):
        colour = (cluster.lightness, cluster.a, cluster.b)
        if np.hypot(*colour[1:]) < _GREY:
            continue
        here, there = float(near(own, colour).mean()), float(near(other, colour, as_light=False).mean())
        if _WORTH_SAYING <= here <= _A_CAST and there < _LEFT * here:
            found.append((colour, here))
    told: list[tuple[Colour, float]] = []
    for colour, share in sorted(found, key=lambda pair: -pair[1]):
        if not any(near(OKLab(np.array([colour])), other)[0] for other, _ in told):
            told.append((colour, share))
    return told


def _becoming(frame: OKLab, colour: Colour) -> str:
    """What of a frame could become a colour that it lacks."""
    hue = np.degrees(np.arctan2(frame[:, 2], frame[:, 1]) - np.arctan2(colour[2], colour[1]))
    turned = np.abs((hue + 180) % 360 - 180)
    chroma = np.hypot(frame[:, 1], frame[:, 2])
    related = (turned < _RELATED) & (chroma > _GREY / 2) & (np.abs(frame[:, 0] - colour[0]) < 2 * _AS_LIGHT)
    if related.mean() < _WORTH_SAYING:
        return "nothing in the frame could become it"
    middle = np.median(frame[related], axis=0)
    return f"a move by hand from its {_name((float(middle[0]), float(middle[1]), float(middle[2])))} would bring it"
