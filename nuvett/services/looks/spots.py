"""Spots done to other frames where they show: dust on a sensor lies at one place in all that it took."""

import uuid
from collections.abc import Mapping, Sequence

from nuvett.core.drawing.renderer import in_floats
from nuvett.core.geometry.spots import Spots, shows
from nuvett.core.guided import encoded_luminance
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.series.frame_facts import facts_of
from nuvett.store import models


def spotted(frames: Sequence[models.Frame]) -> list[FrameFacts]:
    """Facts of the frames that spots can be looked for in: those that are measured."""
    return [facts_of(frame) for frame in frames if frame.view]


def where_spots_show(bench: Workbench, spots: Spots, frames: Sequence[FrameFacts]) -> Mapping[uuid.UUID, Spots]:
    """Which of some spots show in each of several frames; no session is open meanwhile."""
    found = {}
    for frame in frames:
        luminance = encoded_luminance(in_floats(bench.sources.view(frame.view)))
        found[frame.id] = tuple(spot for spot in spots if spot.on and shows(luminance, spot))
    return found
