"""Outlines grown in a frame from where a person points or a thing was found, on a small picture of it as it came."""

from dataclasses import replace

import cv2
import numpy as np

from nuvett.core.area.faces import FaceSeen
from nuvett.core.errors import InvalidChangeError
from nuvett.core.measure.sampling import Sample
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.brushing import Brushed, with_strokes
from nuvett.core.thread.growth import EDGE, Mask, Outlines, Pointed
from nuvett.core.thread.places import Outline, colours_in, outline_of
from nuvett.core.types import OKLab
from nuvett.imaging.proxy import fit_within
from nuvett.services.engine.facts import FrameFacts
from nuvett.services.engine.workbench import Workbench
from nuvett.services.threads.changes import Grown

_MEASURED = 1280  # pixels of the long edge that colours are measured in
_DRAWN = 2 * EDGE  # and that strokes are drawn in


def grow(
    bench: Workbench,
    frame: FrameFacts,
    pointed: tuple[Pointed, ...],
    choice: int | None = None,
    strokes: tuple[Brushed, ...] = (),
) -> Grown:
    """A thing's place in a frame; `choice` is how many outlines larger than the likeliest one, or smaller.

    strokes : by which the outline is put right. One click on a face that was found grows the face. Raises
    InvalidChangeError where nothing can be told apart, and where strokes leave nothing.
    """
    alone = len(pointed) == 1 and choice is None and not strokes
    face = _face_at(frame, pointed[0]) if alone else None
    if face is not None:
        return grow_face(bench, frame, face, (pointed[0].x, pointed[0].y))
    found = bench.sources.outlines(frame, pointed)
    if not found.masks:
        raise InvalidChangeError("Point at the thing itself first.")
    grown = _grown(bench, frame, pointed, found, found.likeliest + (choice or 0))
    return put_right(bench, frame, grown, strokes) if strokes else grown


def grow_about(bench: Workbench, frame: FrameFacts, place: tuple[float, float], region: Mask, share: float) -> Grown:
    """A thing's place in a frame where it is expected about a region (rows, columns) and of such a share of it.

    Raises InvalidChangeError where nothing can be told apart.
    """
    pointed = (Pointed(*place),)
    found = bench.sources.outlines(frame, pointed)
    return _grown(bench, frame, pointed, found, found.about(region, share))


def put_right(bench: Workbench, frame: FrameFacts, grown: Grown, strokes: tuple[Brushed, ...]) -> Grown:
    """A place whose outline strokes have put right. Raises InvalidChangeError where they leave nothing of it."""
    mask = with_strokes(grown.outline.mask(fit_within(frame.width, frame.height, _DRAWN)), strokes)
    outline = outline_of(mask)
    if not outline.rings:
        raise InvalidChangeError("That leaves nothing of it. Press Delete to say that it is not in this frame.")
    return replace(grown, outline=outline, strokes=strokes, colours=_colours(bench, frame, outline))


def _colours(bench: Workbench, frame: FrameFacts, outline: Outline) -> Sample:
    picture = bench.sources.linear_view(frame, _MEASURED)
    return colours_in(picture, outline.mask((picture.shape[1], picture.shape[0])))


def _face_at(frame: FrameFacts, pointed: Pointed) -> FaceSeen | None:
    return next((face for face in frame.faces if pointed.inside and face.holds(pointed.x, pointed.y)), None)


def grow_face(bench: Workbench, frame: FrameFacts, face: FaceSeen, place: tuple[float, float]) -> Grown:
    """A face's place in a frame: of the outlines about a place in it, what fits an ellipse in its box best."""
    size = fit_within(frame.width, frame.height, EDGE)
    left, top, width, height = face.box
    centre = ((left + width / 2) * size[0], (top + height / 2) * size[1])
    region = np.zeros((size[1], size[0]), dtype=np.uint8)
    cv2.ellipse(region, (centre, (width * size[0], height * size[1]), 0), 1, -1)
    return grow_about(bench, frame, place, region > 0, max(float(region.mean()), 1e-4))


def _grown(bench: Workbench, frame: FrameFacts, pointed: tuple[Pointed, ...], found: Outlines, wanted: int) -> Grown:
    index = min(max(wanted, 0), len(found.masks) - 1)
    outline = outline_of(found.masks[index])
    if not outline.rings:
        raise InvalidChangeError("Nothing could be told apart there. Point at another place of it.")
    return Grown(pointed, outline, index - found.likeliest, _colours(bench, frame, outline))


def called(grown: Grown) -> str:
    """What a new thread is called unasked: its colour."""
    return colour_name(OKLab(np.median(linear_to_oklab(grown.colours.colours), axis=0)))
