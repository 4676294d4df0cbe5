"""Dragging a handle of an instrument: what the document becomes."""

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look import handles
from nuvett.services.engine.facts import Aimed, Facts
from nuvett.services.engine.workbench import Workbench


def drag_tone(bench: Workbench, frames: Facts, index: int, aimed: Aimed, share: int, lightness: float) -> Aimed:
    """Let a share of a frame's tones land at a CIE L*: a point of the look's master curve moves there.

    Raises InvalidChangeError for a share that is not marked, and when the curve is full.
    """
    plan, straight = bench.planner.with_straight_curve(frames, index, aimed)
    marks = bench.measures.summary(frames[index], plan, straight).marks
    if not 0 <= share < len(marks):
        raise InvalidChangeError
    return aimed.with_look(handles.land(aimed.look, marks[share], lightness))
