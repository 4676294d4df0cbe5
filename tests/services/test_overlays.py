"""Overlays: a part of a frame at full size has what the whole has there, and what clips is told by its own pixels."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.faces import FaceSeen
from nuvett.core.area.round import RoundPart
from nuvett.core.errors import InvalidChangeError
from nuvett.core.fit.hues import HueBand
from nuvett.core.plan.by_hand import EndsOperation, HuesOperation
from nuvett.core.plan.finish import SharpenOperation
from nuvett.core.plan.frame_plan import FramePlan, Group, Layer
from nuvett.services.engine.facts import Facts
from nuvett.services.engine.overlays import VEILS, At, veil_of
from nuvett.services.engine.workbench import Workbench

_WHOLE = 1600  # a long edge at which small frames are shown pixel by pixel
_BOX = (60, 40, 130, 90)
_AT_EDGES = 8  # pixels in which an overlay may look beyond what is shown
PLAN = FramePlan(
    groups=(
        Group(
            name="look",
            operations=(
                EndsOperation(low=0.1, high=0.75, to_low=0, to_high=1.05),
                HuesOperation(bands=(HueBand(hue=60, turn=20),)),
                SharpenOperation(amount=0.6),
            ),
        ),
    ),
    layers=(Layer(area=Area(parts=(RoundPart(x=0.4, y=0.4, across=30, down=30),))),),
)
SOUGHT = At(colour=(0.6, 0.05, 0.08), marks=((0.4, 0.4), (0.6, 0.5)))


def laid(bench: Workbench, frames: Facts, what: str, box: tuple[int, int, int, int] | None = None) -> np.ndarray:
    frame = replace(frames[0], faces=(FaceSeen(box=(0.3, 0.3, 0.2, 0.3), colour=(0.4, 0.3, 0.2)),))
    png = veil_of(bench, frame, PLAN, _WHOLE, what, SOUGHT, box)
    return np.asarray(cv2.imdecode(np.frombuffer(png, np.uint8), cv2.IMREAD_UNCHANGED), dtype=int)


@pytest.mark.parametrize("what", VEILS)
def test_a_part_at_full_size_has_what_the_whole_has_there(bench: Workbench, frames: Facts, what: str) -> None:
    whole, part = laid(bench, frames, what), laid(bench, frames, what, _BOX)
    left, top, width, height = _BOX
    assert part.shape == (height, width, 4) and whole.shape == (200, 300, 4)
    inner = (slice(_AT_EDGES, -_AT_EDGES),) * 2
    apart = np.abs(part - whole[top : top + height, left : left + width])[inner]
    assert (apart.max(axis=2) > 2).mean() < 0.01
    if what == "clipping":
        assert not apart.any() and 0.001 < (part[..., 3] == 255).mean() < 0.9


def test_a_part_beside_the_frame_is_refused(bench: Workbench, frames: Facts) -> None:
    with pytest.raises(InvalidChangeError):
        laid(bench, frames, "clipping", (300, 0, 10, 10))
    assert laid(bench, frames, "clipping", (290, 190, 40, 40)).shape == (10, 10, 4)
