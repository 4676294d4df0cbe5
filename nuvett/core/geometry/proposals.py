"""Proposals from the picture: the tilt of its long lines, and how far its uprights lean together."""

from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.geometry.geometry import LEAN
from nuvett.core.types import Floats

_EDGE = 800  # long edge of the picture that lines are looked for in
_LONG = 0.06  # of the long edge: lines that count
_MAX_TILT, _MOSTLEAN = 8.0, 60.0
_STEP, _SPREAD = 0.1, 0.5  # degrees: of the angles that are tried, and within which lines agree
_SURE = 0.5  # of the length of the lines that are asked: what has to agree
_ENOUGH = 1.0  # half long edges of uprights, from which they are asked
_MIN = 3
_WIDE = 0.5  # half long edges: how far apart lines have to lie that agree
_MIN_TILT = 0.2  # degrees below which nothing is proposed


@dataclass(frozen=True)
class Proposal:
    """What would set a frame straight: degrees clockwise, percent of upright; none where the picture does not say."""

    straighten: float | None = None
    vertical: float | None = None

    @property
    def is_none(self) -> bool:
        """Whether nothing is proposed."""
        return self.straighten is None and self.vertical is None


def taking(proposal: Proposal) -> dict[str, float]:
    """Fields of a geometry that a proposal would set."""
    found = {"straighten": proposal.straighten, "vertical": proposal.vertical}
    return {name: value for name, value in found.items() if value is not None}


def propose(luminance: Floats) -> Proposal:
    """What long lines of a picture (h, w), encoded 0 to 1, say about how it was held.

    Lines are found by LSD (von Gioi, Jakubowicz, Morel and Randall 2012). The tilt is the angle that most of the
    length of uprights agrees on; level lines run together in the distance, so they speak only where uprights are
    missing. Uprights that lean together, more the farther from the middle, give the lean. What lines do not agree on is
    not proposed.
    """
    lines = _lines(luminance)
    if len(lines) < _MIN:
        return Proposal()
    middle = (lines[:, :2] + lines[:, 2:]) / 2
    run = lines[:, 2:] - lines[:, :2]
    length = np.hypot(run[:, 0], run[:, 1])
    angle = np.degrees(np.arctan2(run[:, 1], run[:, 0]))
    off = (angle + 45) % 90 - 45
    upright = np.abs((angle % 180) - 90) < 45
    lean = _leaning(middle[upright, 0], off[upright], length[upright])
    uprights, levels = np.abs(off) <= _MAX_TILT, np.abs(off) <= _MAX_TILT
    uprights &= upright
    levels &= ~upright
    if length[uprights].sum() >= _ENOUGH:
        tilt = _agreed((off - lean * middle[:, 0])[uprights], length[uprights], middle[uprights, 0])
    else:
        tilt = _agreed(off[levels], length[levels], middle[levels, 1])
    straighten = None if tilt is None or abs(tilt) < _MIN_TILT else round(-tilt, 1)
    percent = round(float(2 * np.tan(np.radians(lean)) / LEAN * 100), 0)
    vertical = float(np.clip(-percent, -_MOSTLEAN, _MOSTLEAN)) if abs(percent) >= 4 else None
    return Proposal(straighten, vertical)


def _lines(luminance: Floats) -> Floats:
    """Ends (N, 4) of long lines about the middle, in half long edges, y downward."""
    height, width = luminance.shape
    scale = min(1.0, _EDGE / max(width, height))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    small = cv2.resize(luminance, size, interpolation=cv2.INTER_AREA)
    found = cv2.createLineSegmentDetector(cv2.LSD_REFINE_STD).detect(np.asarray(np.clip(small, 0, 1) * 255, np.uint8))[
        0
    ]
    if found is None:
        return np.zeros((0, 4), dtype=np.float32)
    lines = found.reshape(-1, 4) - np.array([size[0], size[1], size[0], size[1]], dtype=np.float32) / 2
    edge = max(size)
    long_enough = np.hypot(lines[:, 2] - lines[:, 0], lines[:, 3] - lines[:, 1]) >= _LONG * edge
    return np.asarray(lines[long_enough] / (edge / 2), dtype=np.float32)


def _agreed(off: Floats, length: Floats, across: Floats) -> float | None:
    """The angle in degrees that lines agree on by their lengths; none where they do not, or all lie in one place."""
    if len(off) < _MIN:
        return None
    tried = np.arange(-_MAX_TILT, _MAX_TILT + _STEP, _STEP)
    share = (length * np.exp(-(((off[None] - tried[:, None]) / _SPREAD) ** 2))).sum(axis=1)
    best = int(share.argmax())
    near = np.abs(off - tried[best]) < _SPREAD
    if near.sum() < _MIN or np.ptp(across[near]) < _WIDE:
        return None
    return float(tried[best]) if share[best] >= _SURE * length.sum() else None


def _leaning(across: Floats, off: Floats, length: Floats) -> float:
    """Degrees that uprights lean more for each half long edge across, by the median of slopes between pairs.

    Nothing where few uprights lie on both sides of the middle, or where they do not agree.
    """
    near = np.abs(off) <= 2 * _MAX_TILT
    across, off, length = across[near], off[near], length[near]
    if (across < -0.2).sum() < 2 or (across > 0.2).sum() < 2:
        return 0.0
    first, second = np.triu_indices(len(across), 1)
    apart = across[second] - across[first]
    far = np.abs(apart) > 0.3
    if far.sum() < _MIN:
        return 0.0
    slopes = (off[second] - off[first])[far] / apart[far]
    weight = np.minimum(length[first], length[second])[far]
    order = np.argsort(slopes)
    cumulated = np.cumsum(weight[order]) / weight.sum()
    middle, low, high = (float(slopes[order][np.searchsorted(cumulated, q)]) for q in (0.5, 0.3, 0.7))
    return middle if high - low < max(2.0, abs(middle)) else 0.0
