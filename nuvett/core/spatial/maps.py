"""Small maps of a frame, made once, that what is done beside the colours looks at: so that every part of it agrees."""

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.fit.regions import moved_by_regions
from nuvett.core.guided import encoded_luminance, guided
from nuvett.core.plan.finish import RegionsOperation
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Encoded01, Floats

BASE_EDGE = 384  # long edge of the picture that maps are made from
_TONE_RADIUS, _TONE_EDGES = 0.03, 0.002  # of the long edge; variance that is an edge: less, and halos show
_BASE_RADIUS, _BASE_EDGES = 0.045, 0.012  # what counts as local
_FINE_RADIUS, _FINE_EDGES = 0.008, 0.006
_HAZE_PATCH = 0.02
_GLOW, _GLOW_BEGINS = (0.012, 0.04), 0.6  # spreads of the glow, of the long edge; encoded light from which it comes
_HALO, _HALO_BEGINS, _HALO_COLOUR = 0.007, 0.75, (1.0, 0.32, 0.1)  # halation is light that came back through the film


@dataclass(frozen=True)
class FrameMaps:
    """Small maps of a finished frame.

    tones, base, fine, transmission : (h, w, 2) slope and offset on luminance, as the guided filter has them (He, Sun
        and Tang 2013), looked up larger as by its fast variant (He and Sun 2015)
    airlight : (3,) of haze; glow, halation : (h, w, 3) light that is laid over
    """

    tones: Floats
    base: Floats
    fine: Floats
    transmission: Floats
    airlight: Floats
    glow: Floats
    halation: Floats


def make_maps(small: Encoded01, regions: Sequence[RegionsOperation] = ()) -> FrameMaps:
    """Maps of a frame from its finished colours at about BASE_EDGE (h, w, 3).

    Haze by the dark channel (He, Sun and Tang 2011), refined by the guided filter; its light is taken as grey, so that
    taking it away does not tint.

    regions : that act everywhere, before all that looks at the other maps
    """
    edge = max(small.shape[:2])

    def smoothed(light: Floats, radius: float, edges: float) -> Floats:
        return guided(light, light, max(1, round(radius * edge)), edges)

    light = encoded_luminance(small)
    tones = smoothed(light, _TONE_RADIUS, _TONE_EDGES)
    for operation in regions:
        small = moved_by_regions(small, light, tones[..., 0] * light + tones[..., 1], operation.shares)
        light = encoded_luminance(small)
    transmission, airlight = _haze(small, light, edge)
    return FrameMaps(
        tones=tones,
        base=smoothed(light, _BASE_RADIUS, _BASE_EDGES),
        fine=smoothed(light, _FINE_RADIUS, _FINE_EDGES),
        transmission=transmission,
        airlight=airlight,
        glow=_glow(small, light, edge),
        halation=_halation(light, edge),
    )


def _haze(small: Encoded01, light: Floats, edge: int) -> tuple[Floats, Floats]:
    patch = 2 * max(1, round(_HAZE_PATCH * edge)) + 1
    dark = cv2.erode(small.min(axis=2), np.ones((patch, patch), np.uint8))
    far = dark >= np.quantile(dark, 0.995)
    airlight = np.full(3, max(float(small[far].mean()), 0.3), dtype=np.float32)
    veil = cv2.erode((small / airlight).min(axis=2), np.ones((patch, patch), np.uint8))
    radius = max(1, max(1, round(_BASE_RADIUS * edge)) // 2)
    return guided(light, np.clip(1 - veil, 0, 1).astype(np.float32), radius, 1e-3), airlight


def _glow(small: Encoded01, light: Floats, edge: int) -> Floats:
    """Light of what is bright, spread narrowly and widely."""
    bright = small * smooth_step((light - np.float32(_GLOW_BEGINS)) / np.float32(1 - _GLOW_BEGINS))[..., None]
    spread = [cv2.GaussianBlur(bright, (0, 0), sigma * edge, borderType=cv2.BORDER_REFLECT) for sigma in _GLOW]
    return np.asarray(sum(spread) / len(spread), dtype=np.float32)


def _halation(light: Floats, edge: int) -> Floats:
    """What is nearly white, spread about itself and reddish."""
    bright = smooth_step((light - np.float32(_HALO_BEGINS)) / np.float32(1 - _HALO_BEGINS))
    spread = cv2.GaussianBlur(bright, (0, 0), _HALO * edge, borderType=cv2.BORDER_REFLECT)
    around = np.maximum(spread - 0.5 * bright, 0)
    return np.asarray(around[..., None] * np.array(_HALO_COLOUR, dtype=np.float32), dtype=np.float32)
