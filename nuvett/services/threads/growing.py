"""Outlines grown in a frame from where a person points, on a small picture of it as it came."""

import numpy as np

from nuvett.core.errors import InvalidChangeError
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.growing import Pointed
from nuvett.core.thread.places import colours_in, outline_of
from nuvett.core.types import OKLab
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.threads.threads import Grown

_MEASURED = 1280  # pixels of the long edge that colours are measured in


def grow(bench: Workbench, frame: FrameFacts, pointed: tuple[Pointed, ...], choice: int = 0) -> Grown:
    """A thing's place in a frame; `choice` is how many outlines larger than the likeliest one, or smaller.

    Raises InvalidChangeError where nothing can be told apart.
    """
    found = bench.sources.outlines(frame, pointed)
    if not found.masks:
        raise InvalidChangeError("Point at the thing itself first.")
    index = min(max(found.likeliest + choice, 0), len(found.masks) - 1)
    outline = outline_of(found.masks[index])
    if not outline.rings:
        raise InvalidChangeError("Nothing could be told apart there. Point at another place of it.")
    picture = bench.sources.linear_view(frame, _MEASURED)
    mask = outline.mask((picture.shape[1], picture.shape[0]))
    return Grown(pointed, outline, index - found.likeliest, colours_in(picture, mask))


def called(grown: Grown) -> str:
    """What a new thread is called unasked: its colour."""
    return colour_name(OKLab(np.median(linear_to_oklab(grown.colours.colours), axis=0)))
