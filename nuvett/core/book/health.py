"""Whether a look is sound on a frame: beside what notes say, whites tinted, merged colours, neighbours torn apart."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from nuvett.core.area.faces import FaceSeen
from nuvett.core.fit.holds import HoldLimits
from nuvett.core.measure.sampling import Sample
from nuvett.core.measure.statistics import thin
from nuvett.core.plan.apply import apply_plan, evened_by
from nuvett.core.plan.by_hand import GreyOperation
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.warnings import Note, notes_on
from nuvett.core.reading.palette import find_palette
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.names import colour_name
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import from_linear, to_linear
from nuvett.core.table.table import grid
from nuvett.core.types import Encoded01, Linear, OKLab

_COLOURS, _GAIN_COLOURS, _KINDS = 1024, 384, 10
# OKLab: chroma of what was white or grey, lightness of white, chroma from which people call a white tinted.
_NEUTRAL, _WHITE, _TINTED = 0.022, 0.82, 0.05
_NOTED, _NOTED_TORN = 0.02, 0.03  # share of a frame that a finding must concern
_APART, _ONE = 0.11, 0.03  # OKLab distances of colours that are plainly two, and of those that look like one
_NEAR = 0.05  # OKLab distance within which pixels count as one of them
_MIN_SHARE = 0.02  # of a colour that may become one with another
_TORN = 4.5  # times as far apart as they were, beyond which neighbouring colours show steps
_STEP = 2 / 255  # encoded, between neighbours
_GAIN_POINTS = 17


def health_on(
    plan: FramePlan, sample: Sample, seeing: Seeing, faces: Sequence[FaceSeen] = (), limits: HoldLimits | None = None
) -> list[Note]:
    """All that goes wrong with a frame under a plan; arguments as `notes_on` has them."""
    found = notes_on(plan, sample, seeing, faces, limits)
    colours = sample.thinned(_COLOURS).colours
    before, after = linear_to_oklab(evened_by(plan, colours)), _finished(plan, colours)
    whites = tinted_whites(before, after)
    if whites.mean() >= _NOTED:
        colour = OKLab(np.median(after[whites], axis=0))
        words = f"{100 * whites.mean():.0f} % of it was white and turns {colour_name(colour)}"
        found.append(Note(kind="tinted", words=words))
    for pair in merged_pairs(plan, sample)[:1]:
        words = f"{colour_name(pair.colours[0])} and {colour_name(pair.colours[1])} become one"
        found.append(Note(kind="merged", words=words))
    if not any(note.kind == "steep" for note in found):
        some = Linear(colours[:: _COLOURS // _GAIN_COLOURS])
        torn = float((gains(plan, some) > _TORN).mean())
        if torn >= _NOTED_TORN:
            found.append(Note(kind="torn", words=f"neighbouring colours torn apart in {100 * torn:.0f} % of it"))
    return found


def _finished(plan: FramePlan, colours: Linear) -> OKLab:
    return linear_to_oklab(Linear(map_to_gamut(apply_plan(plan, colours))))


def tinted_whites(before: OKLab, after: OKLab) -> NDArray[np.bool_]:
    """Which OKLab colours (N, 3) were white without colour, evened, and are seen tinted afterwards."""
    was = (before[..., 0] > _WHITE) & (np.hypot(before[..., 1], before[..., 2]) < _NEUTRAL)
    return np.asarray(was & (np.hypot(after[..., 1], after[..., 2]) > _TINTED))


@dataclass(frozen=True)
class MergedPair:
    """Two colours of a frame that become one: OKLab (2, 3) as they were, evened."""

    colours: OKLab


def merged_pairs(plan: FramePlan, sample: Sample) -> list[MergedPair]:
    """Pairs of a frame's main colours that become one, the most different first; none in black-and-white."""
    grey = plan.find(GreyOperation)
    if grey is not None and grey.amount > 0.5:
        return []
    lab = linear_to_oklab(evened_by(plan, sample.thinned(_COLOURS).colours))
    palette = [c for c in find_palette(OKLab(thin(lab, _COLOURS)), _KINDS) if c.share >= _MIN_SHARE]
    before = OKLab(np.array([[c.lightness, c.a, c.b] for c in palette], dtype=np.float32).reshape(-1, 3))
    after = _of_evened(plan, before)
    found = []
    for i, j in combinations(range(len(before)), 2):
        apart, now = (float(np.linalg.norm(c[i] - c[j])) for c in (before, after))
        # Tones that fall together are tone's business; here it is hue and chroma that told the two apart.
        hue_apart = float(np.hypot(*(before[i, 1:] - before[j, 1:])))
        if hue_apart > _APART and now < _ONE:
            found.append((apart, MergedPair(OKLab(before[[i, j]]))))
    return [pair for _, pair in sorted(found, key=lambda one: -one[0])]


def _of_evened(plan: FramePlan, lab: OKLab) -> OKLab:
    return _finished(plan.without("light"), Linear(map_to_gamut(lab)))


def merged_places(pairs: Sequence[MergedPair], evened: OKLab) -> NDArray[np.bool_]:
    """Which evened OKLab colours (N, 3) belong to colours that become one."""
    if not pairs:
        return np.zeros(len(evened), dtype=bool)
    apart = [np.linalg.norm(evened - colour, axis=-1) for pair in pairs for colour in pair.colours]
    return np.asarray(np.minimum.reduce(apart) < _NEAR)


def gains(plan: FramePlan, colours: Linear) -> NDArray[np.float64]:
    """(N,) times as far from their neighbours as before: the largest of the three axes of encoded sRGB."""
    encoded = np.clip(from_linear(colours), _STEP, 1 - _STEP)
    most = np.zeros(len(encoded))
    for axis in range(3):
        shift = np.zeros(3, dtype=np.float32)
        shift[axis] = _STEP / 2
        ends = [to_linear(Encoded01(encoded + sign * shift)) for sign in (-1, 1)]
        before = np.linalg.norm(np.subtract(*(linear_to_oklab(end) for end in ends)), axis=1)
        after = np.linalg.norm(np.subtract(*(_finished(plan, end) for end in ends)), axis=1)
        most = np.maximum(most, after / np.maximum(before, 1e-5))
    return most


def torn_places(plan: FramePlan, encoded: Encoded01) -> NDArray[np.bool_]:
    """Which encoded sRGB colours (N, 3) are torn from their neighbours, read off a grid of the cube."""
    cube = grid(_GAIN_POINTS).reshape(-1, 3)
    torn = (gains(plan, to_linear(Encoded01(cube))) > _TORN).reshape(_GAIN_POINTS, _GAIN_POINTS, _GAIN_POINTS)
    index = np.rint(np.clip(encoded, 0, 1) * (_GAIN_POINTS - 1)).astype(np.intp)
    return np.asarray(torn[index[:, 0], index[:, 1], index[:, 2]])
