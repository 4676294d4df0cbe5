"""A whole series in one strip: a thin slice of every frame in order, original above finished."""

import uuid

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.evenly import evenly
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.imaging.encode import Format, encode
from nuvett.services.engine.facts import Facts
from nuvett.services.engine.pictures import TILE_POINTS
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks.carrying import Following

STRIP_WIDTH, ROW_HEIGHT = 1000, 56
_MAX_SLICES = 125
_VIEW_EDGE = 160


def strip(bench: Workbench, frames: Facts, followed: dict[uuid.UUID, Following]) -> bytes:
    """JPEG of a series as a strip; very long series show evenly spaced frames."""
    shown = evenly(range(len(frames)), _MAX_SLICES)
    plans = [
        bench.planner.plan(frames, i, followed[frames[i].id].aimed) if frames[i].id in followed else None for i in shown
    ]
    names = tuple((frames[i].view, plan.key if plan else "") for i, plan in zip(shown, plans, strict=True))
    return bench.pictures.kept(("strip", names), lambda: _draw(bench, Facts(frames[i] for i in shown), plans))


def _draw(bench: Workbench, frames: Facts, plans: list[FramePlan | None]) -> bytes:
    canvas = np.full((2 * ROW_HEIGHT, STRIP_WIDTH, 3), 180, dtype=np.uint8)
    edges = np.linspace(0, STRIP_WIDTH, len(frames) + 1).round().astype(int)
    for frame, plan, left, right in zip(frames, plans, edges, edges[1:], strict=False):
        original = bench.pictures.drawn(frame, UNTOUCHED, _VIEW_EDGE, TILE_POINTS)
        finished = bench.pictures.drawn(frame, plan, _VIEW_EDGE, TILE_POINTS) if plan else original
        for top, picture in ((0, original), (ROW_HEIGHT, finished)):
            canvas[top : top + ROW_HEIGHT, left:right] = _slice(picture, int(right - left))
    return encode(canvas, Format.JPEG, 90)


def _slice(picture: Pixels, width: int) -> Pixels:
    """The middle of a picture as a slice of ROW_HEIGHT rows and `width` columns."""
    scale = ROW_HEIGHT / picture.shape[0]
    small = cv2.resize(picture, (max(width, round(picture.shape[1] * scale)), ROW_HEIGHT), interpolation=cv2.INTER_AREA)
    left = (small.shape[1] - width) // 2
    return np.asarray(small[:, left : left + width])
