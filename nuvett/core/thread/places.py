"""Where a thing is seen in a frame, and the colours that it shows there."""

import cv2
import numpy as np

from nuvett.core.area.outline import Ring, inside_of
from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.apply import seen
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing, places_seen, weights_at
from nuvett.core.thread.growth import Mask
from nuvett.core.types import Document, Linear, OKLab

COLOURS = 64
"""Colours that are kept of a place."""
MIN = 12
"""Pixels of a place from which its colour says something."""
_AWAY = 0.012  # of the long edge: how far from its outline a place is measured
_BRIGHTEST = 0.9  # quantile of lightness above which pixels are highlights
_STRAIGHT = 0.6  # pixels that a drawn outline may lie off the grown one
_SEEN_SHARE = 0.25  # of a place's colours that a cut must leave for it to be seen


class Outline(Document):
    """Outlines of a thing in a frame as its file has it: what lies inside an odd number of rings."""

    rings: tuple[Ring, ...] = ()

    def mask(self, size: tuple[int, int]) -> Mask:
        """Where it is in a picture (h, w) of a size (width, height)."""
        return inside_of(self.rings, size)

    @property
    def middle(self) -> tuple[float, float]:
        """The middle of the box about it, in shares of the picture; (0.5, 0.5) where there is nothing."""
        points = np.array([point for ring in self.rings for point in ring] or [(0.5, 0.5)])
        x, y = (points.min(axis=0) + points.max(axis=0)) / 2
        return float(x), float(y)


def outline_of(mask: Mask) -> Outline:
    """The outline of a region of a picture (h, w), without what is too small to be a line."""
    size = np.array([mask.shape[1], mask.shape[0]])
    lines, _ = cv2.findContours(mask.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    rings = []
    for line in sorted(lines, key=len, reverse=True):
        few = cv2.approxPolyDP(line, _STRAIGHT, True).reshape(-1, 2)
        if len(few) >= 3:
            rings.append(tuple((round(float(x), 4), round(float(y), 4)) for x, y in (few + 0.5) / size))
    return Outline(rings=tuple(rings))


def colours_in(picture: Linear, mask: Mask) -> Sample:
    """Colours of a thing in a linear picture (h, w, 3), away from its outline and without highlights, at most COLOURS.

    A thing too small to be measured away from its outline is measured as a whole; one of nothing has no colours.
    """
    away = max(1, round(_AWAY * max(mask.shape)))
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * away + 1,) * 2)
    inner = cv2.erode(mask.astype(np.uint8), kernel, borderValue=0).astype(bool)
    rows, columns = np.nonzero(inner if inner.sum() >= MIN else mask)
    colours = picture[rows, columns]
    if len(colours):
        light = colours.sum(axis=1)
        dull = light <= np.quantile(light, _BRIGHTEST)
        rows, columns, light = rows[dull], columns[dull], light[dull]
        order = np.argsort(light, kind="stable")
        taken = order[np.unique(np.linspace(0, len(order) - 1, min(COLOURS, len(order))).round().astype(int))]
        rows, columns = rows[taken], columns[taken]
    places = np.stack([(columns + 0.5) / mask.shape[1], (rows + 0.5) / mask.shape[0]], axis=1)
    return Sample(Linear(np.asarray(picture[rows, columns], dtype=np.float32)), places.astype(np.float32))


def colour_under(plan: FramePlan, sample: Sample, seeing: Seeing) -> OKLab | None:
    """Middle OKLab colour (3,) of a place as it is seen under a plan; none where the plan's cut leaves too little."""
    if not len(sample.colours):
        return None
    shown, inside, proportion = places_seen(plan, sample.places, seeing.proportion)
    if inside.mean() < _SEEN_SHARE:
        return None
    left = Sample(Linear(sample.colours[inside]), sample.places[inside])
    made = seen(plan, left.colours, shown[inside], proportion, weights_at(seeing.weights, left))
    return OKLab(np.median(made, axis=0).astype(np.float32))
