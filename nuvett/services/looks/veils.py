"""A veil of light over a set-up: found in its frames as they are now, and taken off in their trims."""

import uuid
from collections.abc import Mapping, Sequence

from sqlalchemy.orm import Session

from nuvett.core.drawing.renderer import in_floats
from nuvett.core.errors import NotFoundError
from nuvett.core.evenly import evenly
from nuvett.core.fit.veil import MIN_FRAMES, Veil, veil_over
from nuvett.core.planning.planning import UNTOUCHED
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.veil import VeilStep
from nuvett.core.types import Encoded01
from nuvett.services.engine.facts import Facts
from nuvett.services.engine.pictures import TILE_POINTS
from nuvett.services.engine.workbench import Workbench
from nuvett.services.looks.carrying import Following
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.series.catalogue import shown_frames
from nuvett.services.series.frame_facts import trim_of
from nuvett.store import models

_EDGE = 384
_LOOKED_AT = 7  # frames of a set-up at most, evenly spaced


def veil_of(
    bench: Workbench, facts: Facts, places: Sequence[int], followed: Mapping[uuid.UUID, Following]
) -> Veil | None:
    """A veil over the frames of a set-up as they are seen on the wall now; none where none is sure.

    places : of its frames among the facts. No session is open meanwhile.
    """
    if len(places) < MIN_FRAMES:
        return None
    frames = []
    for place in evenly(places, _LOOKED_AT):
        follows = followed.get(facts[place].id)
        plan = bench.planner.finished(facts, place, follows.aimed if follows else None)
        pixels = bench.pictures.drawn(facts[place], plan or UNTOUCHED, _EDGE, TILE_POINTS)
        frames.append(linear_to_oklab(to_linear(Encoded01(in_floats(pixels).reshape(-1, 3)))))
    return veil_over(frames)


def take_off(session: Session, series: models.SeriesRow, setup_id: uuid.UUID, veil: tuple[float, float, float]) -> int:
    """Take a veil, OKLab, off the frames of a set-up in their trims; how many changed.

    Each has a step in its history. Raises NotFoundError for a set-up without frames.
    """
    frames = [frame for frame in shown_frames(session, series.id) if frame.setup_id == setup_id]
    if not frames:
        raise NotFoundError
    changed = 0
    for frame in frames:
        trim = trim_of(frame)
        after = trim.with_step(trim.step(VeilStep).thicker(veil))
        changed += keep_trim(session, frame, after, "A veil over the set-up: ")
    return changed
