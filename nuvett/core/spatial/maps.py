"""Small maps of a frame, made once, that what is done beside the colours looks at: so that every part of it agrees."""

from collections.abc import Sequence
from functools import cached_property

import cv2
import numpy as np

from nuvett.core.fit.regions import move_regions
from nuvett.core.guided import encoded_luminance, guided
from nuvett.core.plan.finish import RegionsOperation
from nuvett.core.smooth import smooth_step
from nuvett.core.types import Encoded01, Floats

BASE_EDGE = 384  # long edge of the picture that maps are made from
_TONE_RADIUS, _TONE_EDGES = 0.03, 0.0013  # of the long edge; variance that is an edge: a halo is in proportion
_BASE_RADIUS, _BASE_EDGES = 0.045, 0.012  # what counts as local
_FINE_RADIUS, _FINE_EDGES = 0.008, 0.006
_HAZE_PATCH = 0.02
_GLOW, _GLOW_BEGINS = (0.012, 0.04), 0.6  # spreads of the glow, of the long edge; encoded light from which it comes
_HALO, _HALO_BEGINS = 0.007, 0.75
_SOFT = 0.004  # spread of a soft picture


class FrameMaps:
    """Small maps of a frame from its finished colours at about BASE_EDGE (h, w, 3), each made when first asked for.

    tones, base, fine, transmission : (2, h, w) slope and offset on luminance, as the guided filter has them (He, Sun
        and Tang 2013), looked up larger as by its fast variant (He and Sun 2015)
    airlight : of haze, a grey, so that taking it away does not tint
    glow : (3, h, w) and halation : (1, h, w) light that is laid over; soft : (3, h, w) what is laid over softly

    regions : that act everywhere, before all that looks at the other maps
    """

    def __init__(self, small: Encoded01, regions: Sequence[RegionsOperation] = ()) -> None:
        self._edge = max(small.shape[:2])
        light = encoded_luminance(small)
        self.tones = self._smoothed(light, _TONE_RADIUS, _TONE_EDGES)
        for operation in regions:
            planes = _planes(small)
            move_regions(planes, self.tones[0] * light + self.tones[1], operation.shares)
            small = Encoded01(np.ascontiguousarray(np.moveaxis(planes, 0, 2)))
            light = encoded_luminance(small)
        self._small, self._light = small, light
        self.soft = _planes(small)

    def _smoothed(self, light: Floats, radius: float, edges: float) -> Floats:
        return _planes(guided(light, light, max(1, round(radius * self._edge)), edges))

    @cached_property
    def base(self) -> Floats:
        return self._smoothed(self._light, _BASE_RADIUS, _BASE_EDGES)

    @cached_property
    def fine(self) -> Floats:
        return self._smoothed(self._light, _FINE_RADIUS, _FINE_EDGES)

    @cached_property
    def airlight(self) -> float:
        dark = self._darkest(self._small)
        return max(float(self._small[dark >= np.quantile(dark, 0.995)].mean()), 0.3)

    @cached_property
    def transmission(self) -> Floats:
        """By the dark channel (He, Sun and Tang 2011), refined by the guided filter."""
        clear = np.clip(1 - self._darkest(self._small) / self.airlight, 0, 1).astype(np.float32)
        radius = max(1, max(1, round(_BASE_RADIUS * self._edge)) // 2)
        return _planes(guided(self._light, clear, radius, 1e-3))

    def _darkest(self, small: Encoded01) -> Floats:
        patch = 2 * max(1, round(_HAZE_PATCH * self._edge)) + 1
        least = np.minimum(np.minimum(small[..., 0], small[..., 1]), small[..., 2])
        return np.asarray(cv2.erode(least, np.ones((patch, patch), np.uint8)), dtype=np.float32)

    @cached_property
    def glow(self) -> Floats:
        """Light of what is bright, spread narrowly and widely."""
        bright = self._small * _beyond(self._light, _GLOW_BEGINS)[..., None]
        near, far = (_spread(bright, sigma * self._edge) for sigma in _GLOW)
        return _planes((near + far) / 2)

    @cached_property
    def halation(self) -> Floats:
        """What is nearly white, spread about itself, where it does not lie itself."""
        bright = _beyond(self._light, _HALO_BEGINS)
        return np.maximum(_spread(bright, _HALO * self._edge) - np.float32(0.5) * bright, 0)[None]


def _planes(values: np.ndarray) -> Floats:
    return np.ascontiguousarray(np.moveaxis(values, 2, 0), dtype=np.float32)


def _beyond(light: Floats, begins: float) -> Floats:
    """How far light lies beyond a value, 0 to 1 at white."""
    return smooth_step((light - np.float32(begins)) / np.float32(1 - begins))


def _spread(values: Floats, sigma: float) -> Floats:
    return np.asarray(cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REFLECT), dtype=np.float32)


def softened(small: Encoded01, edge: int) -> Floats:
    """Planes (3, h, w) of a frame of a long edge, at about BASE_EDGE (h, w, 3), softened.

    What its cells have averaged already is taken into account.
    """
    own = max(small.shape[:2])
    averaged = max(0.0, 1 - (own / edge) ** 2) / 12  # variance of a cell in cells, of pixels that lie in it evenly
    return _planes(_spread(small, max(0.3, max(0.0, (_SOFT * own) ** 2 - averaged) ** 0.5)))
