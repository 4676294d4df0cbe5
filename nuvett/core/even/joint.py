"""Even light of a whole set-up at once: every frame's cloud is laid over all the others' until they agree.

Frames of one place show different things, so none is a fair base for the rest, and a frame must not be its own base.
Each is therefore aligned to the sum of the others as they lie by then, round after round (congealing: Learned-Miller,
"Data driven image models through continuous joint alignment", 2006), with the overlay's prior around no change.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from nuvett.core.even.overlay import BINS, OFFSETS, STEP, WINDOW, EvenLight, doubt, light_of_shift, log_norm, norm_doubt
from nuvett.core.types import Floats

MOST_TOGETHER = 24  # clouds aligned jointly; a larger set-up is represented by that many of its frames
_ROUNDS = 4
_PRIOR_EV, _PRIOR_RATIO = 0.6, 0.2  # one standard deviation of what frames of one set-up differ by, in log2
_SHARPNESS = 20.0
_HERO_WEIGHT = 3.0


def _phase(shift: NDArray[np.float64]) -> NDArray[np.complex64]:
    """Factors (128, 64, 33) that move a cloud's spectrum by a shift in log2 units, to fractions of a bin."""
    along = [fft.fftfreq(BINS[0]), fft.fftfreq(BINS[1]), fft.rfftfreq(BINS[2])]
    parts = [
        np.exp(-2j * np.pi * f * s / step).astype(np.complex64) for f, s, step in zip(along, shift, STEP, strict=True)
    ]
    return np.asarray(parts[0][:, None, None] * parts[1][None, :, None] * parts[2][None, None, :])


@dataclass(frozen=True)
class Together:
    """Even light of each frame, and the cloud that all of them lie on (unit energy)."""

    lights: list[EvenLight]
    base: Floats


def even_together(clouds: list[Floats], base_name: str, hero: int | None = None) -> Together:
    """Even light of two or more frames of one set-up, from their `light_cloud`s.

    hero : index of a frame that stays as it is and counts more, none when all count alike
    """
    spectra = [fft.rfftn(cloud, workers=1) for cloud in clouds]
    weight = np.array([_HERO_WEIGHT if i == hero else 1.0 for i in range(len(clouds))], dtype=np.float32)
    shifts = np.zeros((len(clouds), 3))
    moved = [s * w for s, w in zip(spectra, weight, strict=True)]
    total = np.sum(moved, axis=0)
    prior = doubt(np.zeros(3), _PRIOR_EV, _PRIOR_RATIO)
    norms = np.array([log_norm(cloud) for cloud in clouds])
    picks = np.ix_(*(np.arange(-w, w + 1) % n for w, n in zip(WINDOW, BINS, strict=True)))
    best = np.ones(len(clouds))
    for _ in range(_ROUNDS):
        for i, spectrum in enumerate(spectra):
            if i == hero:
                continue
            others = total - moved[i]
            overlap = fft.irfftn(others * np.conj(spectrum), s=BINS, workers=1)[picks]
            rest = np.where(np.arange(len(clouds)) == i, 0, weight)
            away = np.average(norms + shifts, axis=0, weights=rest) - norms[i]
            score = _SHARPNESS * overlap / float(weight.sum() - 1) - prior - norm_doubt(away)
            chance = np.exp(score - score.max())
            chance /= chance.sum()
            shifts[i] = [float((chance * axis).sum()) for axis in OFFSETS]
            energy = float(np.sqrt((fft.irfftn(others, s=BINS, workers=1) ** 2).sum()))
            best[i] = float(overlap.max()) / max(energy, 1e-9)
            moved[i] = spectrum * _phase(shifts[i]) * weight[i]
            total = others + moved[i]
    lights = [
        EvenLight(base="itself, the hero") if i == hero else light_of_shift(shift, overlap, base_name)
        for i, (shift, overlap) in enumerate(zip(shifts, best, strict=True))
    ]
    base = np.maximum(fft.irfftn(total, s=BINS, workers=1), 0)
    return Together(lights, np.asarray(base / np.sqrt((base**2).sum()), dtype=np.float32))
