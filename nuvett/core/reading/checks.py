"""What in a reference is not part of the picture, or rules it: bars, captions, near black, tinged paper."""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from nuvett.core.reading.regions import MAX_PATCHES, Patch, Sampling, patch_mask, sampling_weights
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import from_linear, to_linear
from nuvett.core.types import Encoded01, Linear, OKLab

CheckKind = Literal["bars", "caption", "black", "cast"]

_FLAT, _MOSTLY = 0.025, 0.96  # encoded difference from the border's own colour, and share of a line that is of it
_MIN_BAR, _MAX_BAR = 0.012, 0.4  # of a side; more than that is a picture with a plain ground
_INSET = 0.004  # of a side more is left out, for borders are soft
_CAPTION_ZONES = ((0.0, 0.2), (0.62, 1.0))  # of the height: where captions stand
_CAPTION_HEIGHT, _CAPTION_WIDTH = (0.012, 0.12), 0.15
_STROKE = 0.012  # of the long edge: what is wider is no stroke of a letter
_CAPTION_FILL, _CAPTION_LIGHT, _CAPTION_STANDS = (0.12, 0.75), 0.86, 0.3
_NEARLY_BLACK, _RULES = 8.0, 0.4  # CIE L*, and share of the picture that rules its tone
_PAPER, _TINGED = 0.8, 0.008  # OKLab lightness of paper, and chroma from which it is seen to be of a colour


@dataclass(frozen=True)
class Check:
    """Something about a reference, in words; `sampling` leaves it out, none where nothing could."""

    kind: CheckKind
    words: str
    offer: str = ""
    sampling: Sampling | None = None


def checked(proxy: Linear, sampling: Sampling) -> tuple[Check, ...]:
    """What is found in a reference (H, W, 3) that is not left out already."""
    encoded = Encoded01(from_linear(proxy).clip(0, 1))
    found: list[Check] = []
    around = bars_of(encoded)
    bars = [patch for patch in around if not _is_out(patch, sampling)]
    if bars and _fits(sampling, bars):
        found.append(Check("bars", _bar_words(bars), "leave them out", _without(sampling, bars)))
    found += _paper(encoded, around, sampling)
    captions = [patch for patch in captions_of(encoded) if not _is_out(patch, sampling)]
    if captions and _fits(sampling, captions):
        words = "a caption" if len(captions) == 1 else f"{len(captions)} lines of captions"
        found.append(Check("caption", f"There seems to be {words}", "leave it out", _without(sampling, captions)))
    return (*found, *_of_tones(proxy, _without(sampling, bars) if _fits(sampling, bars) else sampling))


def _fits(sampling: Sampling, more: list[Patch]) -> bool:
    return len(sampling.patches) + len(more) <= MAX_PATCHES


def _without(sampling: Sampling, patches: list[Patch]) -> Sampling:
    return sampling.model_copy(update={"patches": (*sampling.patches, *patches)})


def _is_out(patch: Patch, sampling: Sampling) -> bool:
    """Whether most of a patch is not sampled anyway."""
    shape = (200, 200)
    inside = patch_mask(shape, patch) > 0
    plain = sampling.model_copy(update={"families": (), "tone": None})
    weights = sampling_weights(Linear(np.zeros((*shape, 3), dtype=np.float32)), plain)
    return bool(weights[inside].mean() < 0.2) if inside.any() else True


def _bar_words(bars: list[Patch]) -> str:
    above = any(patch.box[2] > patch.box[3] for patch in bars)
    beside = any(patch.box[2] <= patch.box[3] for patch in bars)
    where = "all round" if above and beside else "above and below" if above else "at the sides"
    if len(bars) == 1:
        return "There is a bar along one side"
    return f"There {'is a border' if above and beside else 'are bars'} {where}"


def bars_of(encoded: Encoded01) -> list[Patch]:
    """Bars and borders of an encoded picture (H, W, 3): lines at its edges that are of one colour, as patches left out.

    A bar may hold a caption: lines beyond the caption belong to it too. None where most of the picture would go.
    """
    top, bottom = (_bar(encoded[:: -1 if last else 1]) for last in (False, True))
    inner = encoded[top : len(encoded) - bottom] if top + bottom < len(encoded) else encoded
    left, right = (_bar(inner.transpose(1, 0, 2)[:: -1 if last else 1]) for last in (False, True))
    height, width = encoded.shape[:2]
    down, across = (height - top - bottom) / height, (width - left - right) / width
    if down < 1 - 2 * _MAX_BAR or across < 1 - 2 * _MAX_BAR:
        return []
    inset = [
        min(1.0, size / side + _INSET) if size else 0.0
        for size, side in ((top, height), (bottom, height), (left, width), (right, width))
    ]
    boxes = (
        (0.0, 0.0, 1.0, inset[0]),
        (0.0, 1 - inset[1], 1.0, inset[1]),
        (0.0, inset[0], inset[2], 1 - inset[0] - inset[1]),
        (1 - inset[3], inset[0], inset[3], 1 - inset[0] - inset[1]),
    )
    return [Patch.rectangle(*box, leave_out=True) for box, size in zip(boxes, inset, strict=True) if size]


def _bar(lines: np.ndarray) -> int:
    """How many of the first lines (N, M, 3) are a bar of one colour."""
    colour = np.median(lines[0], axis=0)
    if np.abs(lines[0] - colour).max(axis=1).mean() > _FLAT:
        return 0
    flat = (np.abs(lines - colour).max(axis=2) < _FLAT).mean(axis=1) >= _MOSTLY
    most = int(_MAX_BAR * len(lines))
    plain = np.flatnonzero(flat[:most])
    if not len(plain):
        return 0
    ends, longest_caption = 0, max(1, int(_CAPTION_HEIGHT[1] * len(lines)))
    for line in plain:
        if line - ends > longest_caption:
            break
        ends = int(line) + 1
    return ends if _MIN_BAR * len(lines) <= ends < most else 0  # what goes on is a ground, and no bar


def captions_of(encoded: Encoded01) -> list[Patch]:
    """Lines of light letters in an encoded picture (H, W, 3), above or below, as patches left out."""
    height, width = encoded.shape[:2]
    light = encoded.min(axis=2)
    side = max(3, 2 * round(_STROKE * max(height, width) / 2) + 1)
    kernel = np.ones((side, side), np.uint8)
    thin = light - cv2.morphologyEx(light, cv2.MORPH_OPEN, kernel) > _CAPTION_STANDS
    strokes = ((light > _CAPTION_LIGHT) & thin).astype(np.uint8)
    joined = cv2.dilate(strokes, np.ones((3, 2 * side + 1), np.uint8))
    found = []
    count, _, stats, _ = cv2.connectedComponentsWithStats(joined)
    for left, top, across, down, _ in stats[1:count]:
        middle = (top + down / 2) / height
        fill = strokes[top : top + down, left : left + across].mean()
        tall = _CAPTION_HEIGHT[0] * height <= down <= _CAPTION_HEIGHT[1] * height
        stands = any(low <= middle <= high for low, high in _CAPTION_ZONES)
        wide = across >= max(_CAPTION_WIDTH * width, 3 * down)
        if tall and stands and wide and _CAPTION_FILL[0] < fill < _CAPTION_FILL[1]:
            box = _padded((left / width, top / height, across / width, down / height), 0.3 * down / height)
            found.append(Patch.rectangle(*box, leave_out=True))
    return found[:4]


def _padded(box: tuple[float, float, float, float], by: float) -> tuple[float, float, float, float]:
    left, top = max(0.0, box[0] - by), max(0.0, box[1] - by)
    return left, top, min(1.0, box[0] + box[2] + by) - left, min(1.0, box[1] + box[3] + by) - top


def _of_tones(proxy: Linear, sampling: Sampling) -> list[Check]:
    weights = sampling_weights(proxy, sampling)
    lab = linear_to_oklab(Linear(proxy[weights > 0.5]))
    if not len(lab):
        return []
    lightness = lightness_of_oklab(lab[:, 0])
    found: list[Check] = []
    black = float((lightness < _NEARLY_BLACK).mean())
    if black >= _RULES and sampling.tone is None and not sampling.families:
        words = f"{100 * black:.0f} % of it is nearly black, and rules the tone"
        narrower = sampling.model_copy(update={"tone": (_NEARLY_BLACK, 100.0)})
        found.append(Check("black", words, f"sample tones from {_NEARLY_BLACK:.0f} on", narrower))
    return found


def _paper(encoded: Encoded01, bars: list[Patch], sampling: Sampling) -> list[Check]:
    """The colour of the paper about a photographed print, where it has one, or that it is read as white."""
    if sampling.paper is not None:
        words = "It is read as if the paper about it were white"
        return [Check("cast", words, "read it as it is", sampling.model_copy(update={"paper": None}))]
    if not bars:
        return []
    around = np.maximum.reduce([patch_mask(encoded.shape[:2], bar) for bar in bars]) > 0
    light = to_linear(Encoded01(np.median(encoded[around], axis=0, keepdims=True).astype(np.float32)))
    paper = linear_to_oklab(light)
    if paper[0, 0] < _PAPER or np.hypot(*paper[0, 1:]) < _TINGED:
        return []
    white = sampling.model_copy(update={"paper": tuple(round(float(v), 4) for v in light[0])})
    words = f"The paper about it is {colour_name(OKLab(paper[0]))}: what should be white leans that way"
    return [Check("cast", words, "read it as white", white)]
