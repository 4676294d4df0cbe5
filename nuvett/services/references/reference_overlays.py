"""Veils over a reference: what is not sampled, or not at a place on an instrument."""

from dataclasses import dataclass

import cv2
import numpy as np

from nuvett.core.reading.regions import Sampling, sampling_weights
from nuvett.core.types import Mask01
from nuvett.services.platform.studio import Studio

_VEIL = (119, 205)  # grey and opacity of what dims pixels that are not meant

_NEAR_LIGHTNESS, _NEAR_PLACE = 0.03, 0.025  # OKLab distances within which pixels are shown for a place on an instrument


def _veil(weights: Mask01) -> bytes:
    """PNG (mid grey, see-through where weights are 1) to lay over a picture."""
    veil = np.full((*weights.shape, 4), _VEIL[0], dtype=np.uint8)
    veil[..., 3] = np.rint((1 - weights) * _VEIL[1])
    encoded = cv2.imencode(".png", veil, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1]
    return encoded.tobytes()


def dimmed_picture(studio: Studio, proxy: str, sampling: Sampling) -> bytes:
    """PNG veil over all that is not sampled of a reference."""
    return _veil(sampling_weights(studio.bench.sources.array(proxy), sampling))


@dataclass(frozen=True)
class Lit:
    """A place on an instrument: OKLab lightness on the tone column, or a and b on the colour chart."""

    lightness: float | None = None
    a: float = 0
    b: float = 0


def lit_picture(studio: Studio, proxy: str, lit: Lit) -> bytes:
    """PNG veil over all pixels of a reference but those near a place on an instrument."""
    lab = studio.bench.sources.lab(proxy)
    if lit.lightness is not None:
        gap = np.abs(lab[..., 0] - lit.lightness) / _NEAR_LIGHTNESS
    else:
        gap = np.hypot(lab[..., 1] - lit.a, lab[..., 2] - lit.b) / _NEAR_PLACE
    return _veil(np.clip(2 - gap, 0, 1).astype(np.float32))
