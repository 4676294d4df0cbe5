"""Points: colours averaged over small discs, and where shadow, midtone and highlight are seen at their plainest."""

from collections.abc import Mapping

import cv2
import numpy as np

from nuvett.core.reading.palette import PaletteColour
from nuvett.core.reading.regions import Point
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Floats, Linear, Mask01, OKLab

ZONES: dict[str, tuple[float, float]] = {
    "shadow": (0.0, 0.25),
    "midtone": (0.25, 0.75),
    "highlight": (0.75, 1.0),
}
"""Named zones as shares of the pixels from dark to light."""
_COARSE = 4  # proposals are looked for on a grid this many times coarser
_UNEVEN = 2.0  # how much unevenness within the disc counts against a place, beside its distance from the zone's colour
_MIN_SAMPLED = 0.9  # of a disc, which also keeps it off the edges


class PlacedPoint(PaletteColour):
    """A point with its colour; `placed` by hand, or proposed."""

    point: Point
    placed: bool


def disc_colour(proxy: Linear, point: Point) -> OKLab:
    """OKLab colour (3,) of the disc about a point of a proxy (H, W, 3), averaged in linear light."""
    height, width = proxy.shape[:2]
    radius = max(0.5, point.radius * max(height, width))
    rows, columns = np.arange(height) + 0.5, np.arange(width) + 0.5
    y, x = point.y * height, point.x * width
    top, bottom = np.searchsorted(rows, [y - radius, y + radius])
    left, right = np.searchsorted(columns, [x - radius, x + radius])
    top, left = min(top, height - 1), min(left, width - 1)
    part = proxy[top : max(bottom, top + 1), left : max(right, left + 1)]
    inside = np.hypot(rows[top : top + part.shape[0], None] - y, columns[None, left : left + part.shape[1]] - x) <= max(
        radius, 0.71
    )
    pixels = part[inside] if inside.any() else part.reshape(-1, 3)
    return OKLab(np.asarray(linear_to_oklab(pixels.mean(axis=0, keepdims=True))[0]))


def placed_point(proxy: Linear, point: Point, placed: bool) -> PlacedPoint:
    """A point with the colour it has in a proxy (H, W, 3)."""
    lightness, a, b = (float(v) for v in disc_colour(proxy, point))
    return PlacedPoint(lightness=lightness, a=a, b=b, share=0, point=point, placed=placed)


def propose_points(proxy: Linear, weights: Mask01, zones: dict[str, OKLab]) -> list[Point]:
    """A point for each named zone colour (3,): where the sampled picture comes nearest to it over an even disc."""
    usual = Point(kind="shadow", x=0, y=0).radius
    size = (max(1, proxy.shape[1] // _COARSE), max(1, proxy.shape[0] // _COARSE))
    lab = linear_to_oklab(Linear(np.asarray(cv2.resize(proxy, size, interpolation=cv2.INTER_AREA), dtype=np.float32)))
    span = 2 * max(1, round(usual * max(size))) + 1
    mean = cv2.blur(lab, (span, span))
    uneven = np.sqrt(np.maximum(cv2.blur(lab**2, (span, span)) - mean**2, 0).sum(axis=2))
    sampled = cv2.blur(
        cv2.resize(weights, size, interpolation=cv2.INTER_AREA), (span, span), borderType=cv2.BORDER_CONSTANT
    )
    found = []
    for kind, colour in zones.items():
        cost = np.sqrt(((mean - colour) ** 2).sum(axis=2)) + _UNEVEN * uneven
        if (sampled > _MIN_SAMPLED).any():
            cost = np.where(sampled > _MIN_SAMPLED, cost, np.inf)
        row, column = np.unravel_index(int(cost.argmin()), cost.shape)
        place = ((int(column) + 0.5) / size[0], (int(row) + 0.5) / size[1])
        found.append(Point.model_validate({"kind": kind, "x": place[0], "y": place[1]}))
    return found


def lean_zones(lab: OKLab, leans: Mapping[str, Floats]) -> OKLab:
    """OKLab colours (N, 3) with a and b of zones shifted by (2,) each, fading into one another by rank of lightness."""
    if not leans:
        return lab
    rank = np.empty(len(lab), dtype=np.float32)
    rank[np.argsort(lab[:, 0], kind="stable")] = (np.arange(len(lab)) + 0.5) / len(lab)
    shadow, highlight = 1 - smooth_step(rank / 0.5), smooth_step((rank - 0.5) / 0.5)
    shares = {"shadow": shadow, "midtone": 1 - shadow - highlight, "highlight": highlight}
    out = lab.copy()
    for zone, by in leans.items():
        out[:, 1:] += shares[zone][:, None] * by
    return out
