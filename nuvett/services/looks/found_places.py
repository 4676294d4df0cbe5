"""What of a trim finds its place in other frames: spots where they show, and crops about the subject."""

import uuid
from collections.abc import Mapping, Sequence

import numpy as np

from nuvett.core.drawing.renderer import in_floats
from nuvett.core.geometry.following import Middle, middle_of
from nuvett.core.geometry.spots import Spots, shows
from nuvett.core.guided import encoded_luminance
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.series.frame_facts import facts_of
from nuvett.store import models


def measured_among(frames: Sequence[models.FrameRow]) -> list[FrameFacts]:
    """Facts of those of some frames that are measured, and can be looked at."""
    return [facts_of(frame) for frame in frames if frame.view]


def where_subjects_are(bench: Workbench, frames: Sequence[FrameFacts]) -> Mapping[uuid.UUID, Middle]:
    """Where the subjects of frames are, of those that have one; no session is open meanwhile."""
    found = {}
    for frame in frames:
        boxes = [face.box for face in frame.faces]
        middle = middle_of(boxes, np.zeros((1, 1), dtype=np.float32) if boxes else bench.areas.subject(frame))
        if middle is not None:
            found[frame.id] = middle
    return found


def where_spots_show(bench: Workbench, spots: Spots, frames: Sequence[FrameFacts]) -> Mapping[uuid.UUID, Spots]:
    """Which of some spots show in each of several frames; no session is open meanwhile."""
    found = {}
    for frame in frames:
        luminance = encoded_luminance(in_floats(bench.sources.view(frame.view)))
        found[frame.id] = tuple(spot for spot in spots if spot.on and shows(luminance, spot))
    return found
