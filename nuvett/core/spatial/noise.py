"""Noise reduction, before the colours, by the guided filter (He, Sun and Tang 2013), edges kept.

That of colour is found on cells of a few pixels, which lie where they lie in the frame, as by the filter's fast
variant (He and Sun, "Fast Guided Filter", 2015): blotches are larger than these, and what guides it is light.
"""

import numpy as np

from nuvett.core.guided import encoded_luminance
from nuvett.core.plan.finish import NoiseOperation
from nuvett.core.spatial import finishing
from nuvett.core.spatial.enlarging import BLOCK_PIXELS, Enlarged, Part, in_cells
from nuvett.core.types import Encoded01, Floats

_RADIUS, _STRENGTH = 0.0009, 0.06
_COLOUR_RADIUS, _COLOUR_STRENGTH = 3, 0.12  # times the radius of other noise: blotches are larger; of luminance
_CELLS = 5  # as many as the radius of colour has at least


def _radius(edge: int) -> int:
    return max(1, round(_RADIUS * edge))


def _cell(edge: int) -> int:
    """Pixels a side of the cells on which noise of colour is found."""
    return max(1, _radius(edge) * _COLOUR_RADIUS // _CELLS)


def noise_reach(operation: NoiseOperation, edge: int) -> int:
    """Pixels around a part of a frame of a long edge that it needs."""
    if operation.of == "colour":
        return 2 * _radius(edge) * _COLOUR_RADIUS + 4 * _cell(edge)
    return 2 * _radius(edge)


def less_noise(operation: NoiseOperation, encoded: Encoded01, edge: int, left: int = 0, top: int = 0) -> Encoded01:
    """A part (h, w, 3), that begins at a pixel of a frame of a long edge, with less noise.

    Each channel smoothed by itself; or light alone; or what channels have off light, over a wider reach.
    """
    encoded = Encoded01(np.ascontiguousarray(encoded, dtype=np.float32))
    if operation.of == "colour":
        return _of_colour(encoded, operation.amount, edge, (left, top))
    out, epsilon = np.empty_like(encoded), (_STRENGTH * operation.amount) ** 2
    if operation.of == "light":
        light = encoded_luminance(encoded)
        finishing.less_noise_of_light(encoded, light, _lines(light, None, _radius(edge), epsilon), out)
        return Encoded01(out)
    for channel in range(3):
        plane = np.ascontiguousarray(encoded[..., channel])
        slope, offset = _lines(plane, None, _radius(edge), epsilon)
        np.multiply(slope, plane, out=out[..., channel])
        out[..., channel] += offset
    return Encoded01(out)


def _lines(guide: Floats, values: Floats | None, radius: int, epsilon: float) -> Floats:
    """Slope and offset (2 V, h, w) on a guide (h, w) for each of values (V, h, w), or for the guide itself."""
    values = np.empty((0, *guide.shape), dtype=np.float32) if values is None else values
    lines = np.empty((2 * max(1, len(values)), *guide.shape), dtype=np.float32)
    finishing.guided_lines(guide, values, radius, epsilon, lines)
    return lines


def _of_colour(encoded: Encoded01, amount: float, edge: int, at: tuple[int, int]) -> Encoded01:
    cell, (height, width) = _cell(edge), encoded.shape[:2]
    small, before = in_cells(encoded, cell, at)
    light, off = np.empty(small.shape[:2], dtype=np.float32), np.empty((2, *small.shape[:2]), dtype=np.float32)
    # Green follows from the two, since what all three have off luminance is none when it is weighed by it.
    finishing.off_light(small, light, off)
    radius, edges = max(1, round(_radius(edge) * _COLOUR_RADIUS / cell)), (_COLOUR_STRENGTH * amount) ** 2
    lines = _lines(light, off, radius, edges)
    out = np.empty_like(encoded)
    if cell == 1:
        finishing.less_noise_of_colour(encoded, lines, amount, out)
        return Encoded01(out)
    whole = (small.shape[1] * cell, small.shape[0] * cell)
    large, rows = Enlarged(lines, Part(*before, width, height, whole)), max(1, BLOCK_PIXELS // width)
    for first in range(0, height, rows):
        block = slice(first, min(first + rows, height))
        finishing.less_noise_of_colour(encoded[block], large.rows(first, block.stop - first), amount, out[block])
    return Encoded01(out)
