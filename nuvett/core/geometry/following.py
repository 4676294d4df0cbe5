"""A cut done to another frame about what it shows: the subject stands in it where it stood in the first one."""

from collections.abc import Sequence

import numpy as np

from nuvett.core.geometry.geometry import Geometry, Size
from nuvett.core.types import Mask01

_STANDS_OUT = 0.5

Box = tuple[float, float, float, float]
Middle = tuple[float, float]
"""A place in shares of the upright, uncut original."""


def middle_of(faces: Sequence[Box], subject: Mask01) -> Middle | None:
    """Where the subject of a frame is: its largest face, or else what stands out (h, w); none where nothing does.

    faces : boxes of left, top, width and height in shares
    """
    if faces:
        left, top, across, down = max(faces, key=lambda box: box[2] * box[3])
        return left + across / 2, top + down / 2
    found = np.where(subject >= _STANDS_OUT, subject, 0)
    total = float(found.sum())
    if total == 0:
        return None
    height, width = found.shape
    x = float((found.sum(axis=0) @ (np.arange(width) + 0.5)) / total / width)
    y = float((found.sum(axis=1) @ (np.arange(height) + 0.5)) / total / height)
    return x, y


def cut_about(source: Geometry, sizes: tuple[Size, Size], middles: tuple[Middle, Middle]) -> Geometry:
    """The geometry of a frame for another one, its cut as large and moved so that both subjects stand alike in it.

    sizes, middles : of the first frame and of the other. A cut stays within the frame, so a subject near an edge may
    stand a little elsewhere; without a cut there is nothing to move.
    """
    if source.cut is None:
        return source
    left, top, width, height = source.effective_cut(sizes[0])
    before, after = (_on_canvas(source, size, middle) for size, middle in zip(sizes, middles, strict=True))
    moved = left + after[0] - before[0], top + after[1] - before[1]
    x, y = (min(max(0.0, at), 1 - side) for at, side in zip(moved, (width, height), strict=True))
    return source.model_copy(update={"cut": (round(x, 5), round(y, 5), round(width, 5), round(height, 5))})


def _on_canvas(geometry: Geometry, size: Size, middle: Middle) -> Middle:
    x, y = geometry.whole(size).seen(np.array([middle[0]]), np.array([middle[1]]))
    return float(x[0]), float(y[0])
