"""Handles of instruments, as requests name them, turned into changes of a look or a trim."""

from typing import TypeVar

from nuvett.core.errors import InvalidChangeError
from nuvett.core.look import handles
from nuvett.core.look.with_steps import WithSteps
from nuvett.services.dragging import drag_tone
from nuvett.services.workbench import Workbench
from nuvett.web.bodies import Drag
from nuvett.web.chart import chart_place
from nuvett.web.easel import Easel

_Kept = TypeVar("_Kept", bound=WithSteps)
_ON_CHART = ("zone.", "move.", "hold.")


def dragged(bench: Workbench, easel: Easel, document: _Kept, asked: Drag) -> _Kept:
    """A document after a handle was dragged. Raises InvalidChangeError for a handle that is not there."""
    if asked.handle.startswith(_ON_CHART):
        return handles.drag(document, asked.handle, chart_place(asked.x, asked.y))
    if asked.handle == "grey":
        if asked.lab is None:
            raise InvalidChangeError
        return handles.drag_grey(document, asked.lab, asked.y)
    if asked.handle.startswith("share."):
        if easel.aimed is None or easel.group != "look":
            raise InvalidChangeError
        aimed = drag_tone(bench, easel.facts, easel.index, easel.aimed, int(asked.x), asked.y)
        return aimed.look  # type: ignore[return-value]
    return handles.drag(document, asked.handle, (asked.x, asked.y))
