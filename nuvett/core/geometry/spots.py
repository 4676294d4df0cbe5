"""Spots of a frame that are painted out by what is around them: where they lie, and whether one shows."""

import numpy as np
from pydantic import Field

from nuvett.core.fields import number
from nuvett.core.types import Document, Floats

MAX_SPOTS = 80
_SHOWS = 2.2  # times the unrest around, from which a spot is seen
_UNREST = 0.006  # encoded luminance that the calmest surface is taken for


class Spot(Document):
    """A round spot: its middle in shares of the upright, uncut original, its radius in percent of the long edge."""

    on: bool = True
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)
    radius: float = number(0.6, 0.1, 3, "Radius of the spot", "%", 0.1)


Spots = tuple[Spot, ...]


def shows(luminance: Floats, spot: Spot) -> bool:
    """Whether a spot is seen in a frame (h, w), encoded luminance: darker or lighter than the ring around it.

    Dust on a sensor is soft and shows on calm surfaces alone; where what is around is as uneven, nothing is told.
    """
    height, width = luminance.shape
    radius = max(1.0, spot.radius / 100 * max(height, width))
    x, y = spot.x * width, spot.y * height
    reach = int(np.ceil(2.2 * radius))
    left, top = max(0, int(x) - reach), max(0, int(y) - reach)
    part = luminance[top : int(y) + reach + 1, left : int(x) + reach + 1]
    rows, columns = np.mgrid[top : top + part.shape[0], left : left + part.shape[1]] + 0.5
    away = np.hypot(columns - x, rows - y) / radius
    inside, ring = part[away < 0.7], part[(away > 1.2) & (away < 2.1)]
    if len(inside) < 2 or len(ring) < 8:
        return False
    unrest = max(_UNREST, float(np.quantile(ring, 0.84) - np.quantile(ring, 0.16)) / 2)
    return abs(float(np.median(inside) - np.median(ring))) > _SHOWS * unrest
