"""Soft colour under a look, measured on pixels at full size: soft places of each frame, drawn before and after."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from nuvett.core.book.health import gains
from nuvett.core.book.remedies import Remedy, remedy
from nuvett.core.book.soft import Box, SoftColourFinding, Tear, soft_colour, soft_windows, tear_in
from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.errors import NuvettError
from nuvett.core.evenly import evenly
from nuvett.core.look.look import Look
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Linear
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.workbench import Workbench

MAX_LOOKED_AT = 24
_EDGE = 640  # of the picture in which soft places are found
_MAX_WEIGHED = 240
_FEW = 48  # colours that tell what a plan may do to noise


@dataclass(frozen=True)
class TornFrame:
    """A frame whose soft colour is torn, with the plans that it is drawn under: evened alone, and with the look."""

    frame: FrameFacts
    evened: FramePlan
    plan: FramePlan
    tear: Tear

    @property
    def place(self) -> tuple[float, float]:
        """The middle of the worst place, in shares of what is seen of the frame."""
        left, top, width, height = self.tear.box
        size = self.plan.placed((self.frame.width, self.frame.height)).size
        return (left + width / 2) / size[0], (top + height / 2) / size[1]


@dataclass(frozen=True)
class Softness:
    """What was found on frames of a series. looked_at : frames; unread : those whose file could not be read."""

    looked_at: int
    torn: tuple[TornFrame, ...]
    unread: int = 0

    @property
    def words(self) -> str:
        """What was found, in words."""
        if not self.looked_at:
            return "No file could be read at full size."
        missed = f" {self.unread} could not be read." if self.unread else ""
        if not self.torn:
            return f"Soft colour stays whole, at full size in {_frames(self.looked_at)}.{missed}"
        worst = max(self.torn, key=lambda one: one.tear.gain)
        return f"{len(self.torn)} of {_frames(self.looked_at)}: {worst.tear.words} at full size.{missed}"


def _frames(count: int) -> str:
    return f"{count} frame{'' if count == 1 else 's'}"


def softness_on(bench: Workbench, facts: Facts, aimed: Aimed) -> Softness:
    """What becomes of soft colour in the frames of a series in which a look does most to noise."""
    torn, unread, places = [], 0, _most_at_risk(bench, facts, aimed)
    for place in places:
        try:
            found = _torn(bench, facts, place, aimed)
        except (NuvettError, OSError):
            unread += 1
            continue
        if found is not None:
            torn.append(found)
    return Softness(len(places) - unread, tuple(torn), unread)


def soft_remedy(bench: Workbench, facts: Facts, aimed: Aimed) -> Remedy | None:
    """The mildest change of a look after which soft colour stays whole; none where nothing helps."""
    torn = {one.frame.id for one in softness_on(bench, facts, aimed).torn}
    places = [place for place, frame in enumerate(facts) if frame.id in torn]

    def is_clean(look: Look) -> bool:
        return not any(_torn(bench, facts, place, aimed.with_look(look)) for place in places)

    return remedy(aimed.look, "soft", is_clean)


def _most_at_risk(bench: Workbench, facts: Facts, aimed: Aimed) -> list[int]:
    """Frames to look at, in their order: all of a few, else those whose plans pull near colours farthest apart.

    Of a long series evenly spaced ones are weighed.
    """
    if len(facts) <= MAX_LOOKED_AT:
        return list(range(len(facts)))
    risks, among = [], evenly(range(len(facts)), _MAX_WEIGHED)
    for place in among:
        few = Linear(bench.sources.sample(facts[place]).thinned(_FEW).colours)
        risks.append(float(np.median(gains(bench.planner.plan(facts, place, aimed), few))))
    return sorted(among[int(index)] for index in np.argsort(risks)[-MAX_LOOKED_AT:])


def _torn(bench: Workbench, facts: Facts, place: int, aimed: Aimed) -> TornFrame | None:
    frame, plan = facts[place], bench.planner.plan(facts, place, aimed)
    evened = bench.planner.evened(frame, aimed.look)
    tear = tear_in(list(_measured(bench, frame, evened, plan)))
    return TornFrame(frame, evened, plan, tear) if tear else None


def _measured(
    bench: Workbench, frame: FrameFacts, evened: FramePlan, plan: FramePlan
) -> Iterator[tuple[Box, SoftColourFinding]]:
    small = _linear(bench.pictures.drawn(frame, evened, _EDGE))
    for box in soft_windows(small, plan.placed((frame.width, frame.height)).size):
        before, after = (_linear(bench.pictures.part(frame, used, box)) for used in (evened, plan))
        yield box, soft_colour(before, after)


def _linear(pixels: Pixels) -> Linear:
    return to_linear(in_floats(pixels))
