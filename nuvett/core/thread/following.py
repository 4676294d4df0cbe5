"""A thing that is known in one frame, looked for in another: where it may be, and how sure that is.

Cells of the other frame that are liker to a cell of the thing than to any of what lies about it are gathered into
places. How sure a place is, a logistic regression says over what both frames show besides, whether what surrounds the
place is what surrounds the thing, whether the thing is found again from there, and how plain it stands out
(`tools/derive_following.py` derives its weights, and says what they are worth).
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.thread.cells import Described, SharedCells, shared
from nuvett.core.thread.growth import Mask, Values
from nuvett.core.types import Floats

Answer = Literal["yes", "no", "skip"]
"""What a person says to a place that is asked about."""
SURE = 0.9
"""Confidence from which a place is taken without asking."""
DOUBTFUL = 0.1
"""Confidence from which a person is asked."""
_HEARD = 160  # cells of a thing that are compared, spread over it
_CLOSEST = 400  # cells of the other frame that are compared with all that lies about the thing
_SLACK = 0.02  # by which a cell may be liker to what lies about the thing and still count
_PLACES, _PLAIN = 3, 0.35  # places that are looked at, and the share of a peak that a place reaches
_INSIDE = 0.5  # of a cell that a thing covers for the cell to be its own
_MIN = 3  # cells that any thing has
_AROUND = 0.7  # of a thing's width: how far what surrounds it goes
_FAR, _WAY = 20.0, 10.0  # cells: how far off a place is whose way nothing tells; how far from the thing others tell it
_TELLING = 15  # matches nearest the thing that tell which way it goes
_LIMIT = 4.0  # spreads from the middle beyond which a trait says no more

_MIDDLES = np.array([0.0339, -1.3819, 0.7992, 0.179, 0.4175, 3.1327, 0.0498])
_SPREADS = np.array([0.0395, 0.8568, 0.2267, 0.1966, 0.0864, 0.7231, 0.0906])
_WEIGHTS = np.array([0.0105, -0.0225, 0.2159, 0.4954, 0.4169, -0.7441, 0.7369, -4.84])
"""Of traits; the last weight stands alone (tools/derive_following.py)."""


@dataclass(frozen=True)
class Known:
    """A frame in which a thing is known: its cells, those of the thing, and the share of the picture that it covers."""

    described: Described
    region: Mask
    share: float


@dataclass(frozen=True)
class Candidate:
    """A place where a thing may be: cells of the frame (rows, columns), one of them in shares, how sure, 0 to 1."""

    cells: Mask
    place: tuple[float, float]
    traits: Values
    sure: float


def region_of(mask: Mask, described: Described) -> Mask:
    """Cells (rows, columns) of a thing whose outline is known in a picture (h, w)."""
    size = (described.columns, described.rows)
    covered = cv2.resize(mask.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    if (covered > _INSIDE).sum() >= _MIN:
        return np.asarray(covered > _INSIDE)
    enough = np.sort(covered.ravel())[-_MIN] if covered.size >= _MIN else 0.0
    return np.asarray(covered >= max(enough, 1e-3))


def look_for(here: Described, thing: Mask, there: Described, both: SharedCells) -> list[Candidate]:
    """Places where a thing may be in another frame, the surest first.

    thing : its cells (rows, columns) in the frame where it is known; both : what both frames show
    """
    sought = _Sought.of(here, thing, there)
    if sought is None:
        return []
    found = [_Place.of(cells, sought) for cells in _places(sought.blurred)]
    peaks = [float(sought.blurred[place.cells].max()) for place in found]
    made = []
    for place, peak in zip(found, peaks, strict=True):
        traits = np.array(
            [
                peak,
                np.log((len(place.hits) + 0.5) / (thing.sum() + 0.5)),
                peak / max(peaks),
                place.again,
                place.ring,
                np.log1p(_gap(place, sought, both)),
                both.share,
            ]
        )
        x, y = (place.middle + 0.5) / (there.columns, there.rows)
        made.append(Candidate(place.cells, (float(x), float(y)), traits, confidence(traits)))
    return sorted(made, key=lambda candidate: -candidate.sure)


def surest(known: Sequence[Known], there: Described) -> tuple[Candidate, float] | None:
    """The surest place of a thing in a frame by any of those that it is known in, and the share it covers there."""
    found = [
        (candidate, own.share)
        for own in known
        for candidate in look_for(own.described, own.region, there, shared(own.described, there))[:1]
    ]
    return max(found, key=lambda one: one[0].sure, default=None)


def standard(traits: Values, middles: Values = _MIDDLES, spreads: Values = _SPREADS) -> Values:
    """Traits (..., 7) in spreads from their middles."""
    return np.clip((traits - middles) / spreads, -_LIMIT, _LIMIT)


def confidence(traits: Values) -> float:
    """How sure a place with such traits (7,) is the thing, 0 to 1."""
    return float(1 / (1 + np.exp(-(standard(traits) @ _WEIGHTS[:-1] + _WEIGHTS[-1]))))


@dataclass(frozen=True)
class _Sought:
    """A thing sought in a frame: its own cells by index, and how much liker each cell there is to it (rows * columns).

    blurred : the same over about the thing's size (rows, columns)
    """

    here: Described
    there: Described
    thing: Mask
    own: NDArray[np.intp]
    margins: Floats
    blurred: Floats

    @classmethod
    def of(cls, here: Described, thing: Mask, there: Described) -> "_Sought | None":
        """None where nothing is like the thing at all."""
        own = np.nonzero(thing.ravel())[0]
        about = np.nonzero(~_widened(thing, 1).ravel())[0]
        if not len(own) or not len(about):
            return None
        heard = own[np.linspace(0, len(own) - 1, min(len(own), _HEARD)).astype(int)]
        likeness = (there.cells @ here.cells[heard].T).max(axis=1)
        closest = np.argsort(-likeness, kind="stable")[:_CLOSEST]
        margins = np.full(len(likeness), -1.0, dtype=np.float32)
        margins[closest] = likeness[closest] - (there.cells[closest] @ here.cells[about].T).max(axis=1)
        plain = np.maximum(margins + _SLACK, 0).reshape(there.rows, there.columns)
        blurred = cv2.GaussianBlur(plain, (0, 0), max(0.6, len(own) ** 0.5 / 4))
        return cls(here, there, thing, own, margins, blurred) if blurred.max() > 0 else None


@dataclass(frozen=True)
class _Place:
    """A place in a frame (rows, columns), its cells that are like the thing, and the middle of those, column and row.

    again : how much of the thing is liker to the place than to the rest of the frame, 0 to 1
    ring : how like what surrounds the thing is to what surrounds the place
    """

    cells: Mask
    hits: NDArray[np.intp]
    middle: Values
    again: float
    ring: float

    @classmethod
    def of(cls, cells: Mask, sought: _Sought) -> "_Place":
        here, there, inside = sought.here, sought.there, np.nonzero(cells.ravel())[0]
        hits = inside[sought.margins[inside] > -_SLACK]
        hits = hits if len(hits) else inside[[int(np.argmax(sought.margins[inside]))]]
        thing, rest = here.cells[sought.own], there.cells[~_widened(cells, 2).ravel()]
        found = (thing @ there.cells[hits].T).max(axis=1)
        again = float((found > (thing @ rest.T).max(axis=1)).mean()) if len(rest) else 1.0
        around = max(3, int(len(sought.own) ** 0.5 * _AROUND)) | 1
        near = _widened(sought.thing, around) & ~_widened(sought.thing, 1)
        beside = _widened(cells, around) & ~cells
        both = near.any() and beside.any()
        ring = (here.cells[near.ravel()] @ there.cells[beside.ravel()].T).max(axis=1).mean() if both else 0.0
        places = there.places[hits]
        best = places[np.argsort(-sought.margins[hits], kind="stable")[: max(1, int(len(hits) * 0.6))]]
        middle = best[int(np.argmin(((best - best.mean(axis=0)) ** 2).sum(axis=1)))]
        return cls(cells, hits, middle.astype(np.float64), again, float(ring))


def _widened(mask: Mask, by: int) -> Mask:
    shape = cv2.MORPH_RECT if by <= 2 else cv2.MORPH_ELLIPSE
    kernel = cv2.getStructuringElement(shape, (2 * by + 1,) * 2)
    return np.asarray(cv2.dilate(mask.astype(np.uint8), kernel) > 0)


def _places(blurred: Floats) -> Iterator[Mask]:
    """Regions about the highest peaks, the highest first."""
    left, highest = blurred.copy(), float(blurred.max())
    for _ in range(_PLACES):
        peak = float(left.max())
        if peak <= _PLAIN * highest or peak <= 0:
            return
        _, parts = cv2.connectedComponents((left >= _PLAIN * peak).astype(np.uint8))
        cells = parts == parts[np.unravel_index(int(left.argmax()), left.shape)]
        yield np.asarray(cells)
        left[_widened(np.asarray(cells), 1)] = 0


def _gap(place: _Place, sought: _Sought, both: SharedCells) -> float:
    """Cells between a place and where the thing should be by how what lies about it goes from frame to frame."""
    from_thing = sought.here.places[sought.own].mean(axis=0)
    columns, rows = (both.here + 0.5).astype(int).T
    beside = ~sought.thing[rows, columns]  # the thing itself may have a twin
    start, end = both.here[beside], both.there[beside]
    away = np.linalg.norm(start - from_thing, axis=1)
    if np.exp(-((away / _WAY) ** 2) / 2).sum() <= 0.5:
        return _FAR
    nearest = np.argsort(away, kind="stable")[:_TELLING]
    expected = from_thing + np.median((end - start)[nearest], axis=0)
    return float(np.linalg.norm(sought.there.places[place.hits].mean(axis=0) - expected))
