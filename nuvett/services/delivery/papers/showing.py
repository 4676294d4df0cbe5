"""Pictures to show others: before and after in pairs, one by one and on one sheet, and the whole series as a strip."""

from math import ceil

import cv2
import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import NuvettError
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.imaging.encode import Format, encode
from nuvett.services.delivery.papers.parcel import MadePicture, Parcel
from nuvett.store import models

_EDGE, _SMALL_EDGE = 1600, 640
_GAP, _PAPER = 16, 255
_STRIP_WIDTH, _ROWS = 9000, (48, 240)  # pixels of a strip at most; of the height of one of its two rows
_SHEET_WIDTH = 3200
_QUALITY = 90


def pair_of(parcel: Parcel, paper: models.DeliveryFileRow) -> bytes:
    """JPEG of one frame as it came, cut alike, beside the finished one. Raises NuvettError once its frame is gone."""
    firsts = [made for made in parcel.pictures if made.row.output == 0]
    pair = _pair(parcel, firsts[parcel.place(paper)], _EDGE)
    if pair is None:
        raise NuvettError("Its frame is not there any more.")
    return encode(_beside(*pair), Format.JPEG, _QUALITY)


def pairs_sheet(parcel: Parcel) -> bytes:
    """JPEG of all pairs on one sheet, as many beside each other as make it about as wide as high."""
    pairs = [_beside(*pair) for made in parcel.firsts if (pair := _pair(parcel, made, _SMALL_EDGE))]
    if not pairs:
        raise NuvettError("None of its frames is there any more.")
    columns = max(1, min(len(pairs), round((len(pairs) / 2) ** 0.5)))
    width = (_SHEET_WIDTH - _GAP * (columns + 1)) // columns
    scaled = [_to_width(pair, width) for pair in pairs]
    rows = [scaled[start : start + columns] for start in range(0, len(scaled), columns)]
    heights = [max(picture.shape[0] for picture in row) for row in rows]
    sheet = np.full((sum(heights) + _GAP * (len(rows) + 1), _SHEET_WIDTH, 3), _PAPER, dtype=np.uint8)
    top = _GAP
    for row, height in zip(rows, heights, strict=True):
        for place, picture in enumerate(row):
            left = _GAP + place * (width + _GAP)
            sheet[top : top + picture.shape[0], left : left + width] = picture
        top += height + _GAP
    return encode(sheet, Format.JPEG, _QUALITY)


def series_strip(parcel: Parcel) -> bytes:
    """JPEG of the whole series in order, as it came above and finished below; as high as fits a width."""
    pairs = [pair for made in parcel.firsts if (pair := _pair(parcel, made, _SMALL_EDGE))]
    if not pairs:
        raise NuvettError("None of its frames is there any more.")
    proportions = sum(after.shape[1] / after.shape[0] for _, after in pairs)
    height = int(np.clip(_STRIP_WIDTH / proportions, *_ROWS))
    step = ceil(len(pairs) / max(1, int(len(pairs) * _STRIP_WIDTH / (proportions * height))))
    shown = pairs[::step]  # a very long series shows evenly spaced frames
    rows = [np.hstack([_to_height(pair[side], height) for pair in shown]) for side in (0, 1)]
    return encode(np.vstack(rows), Format.JPEG, _QUALITY)


def _pair(parcel: Parcel, made: MadePicture, edge: int) -> tuple[Pixels, Pixels] | None:
    """A frame as it came, seen where it is in the finished picture, and that picture; none where the frame is gone."""
    frame = parcel.frame(made.row)
    if frame is None or not made.row.plan:
        return None
    plan, pictures = parcel.plan(made.row), parcel.studio.bench.pictures
    came = FramePlan(geometry=plan.geometry, lens=plan.lens)
    before, after = (pictures.drawn(frame, one, edge) for one in (came, plan))
    return before, after


def _beside(before: Pixels, after: Pixels) -> Pixels:
    """Two pictures of one height with a gap between them: upright ones beside each other, wide ones too."""
    height = min(before.shape[0], after.shape[0])
    first, second = (_to_height(picture, height) for picture in (before, after))
    gap = np.full((height, _GAP, 3), _PAPER, dtype=np.uint8)
    return np.hstack([first, gap, second])


def _to_height(picture: Pixels, height: int) -> Pixels:
    return _resized(picture, max(1, round(picture.shape[1] * height / picture.shape[0])), height)


def _to_width(picture: Pixels, width: int) -> Pixels:
    return _resized(picture, width, max(1, round(picture.shape[0] * width / picture.shape[1])))


def _resized(picture: Pixels, width: int, height: int) -> Pixels:
    if (width, height) == (picture.shape[1], picture.shape[0]):
        return picture
    return np.asarray(cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA))
