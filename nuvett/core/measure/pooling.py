"""Partial pooling of statistics: series, set-up, frame."""

import numpy as np

from nuvett.core.measure.statistics import CLOUD_SIZE, Statistics, thin
from nuvett.core.types import Floats


def pull_weights(pull: float) -> tuple[float, float, float]:
    """Weights of series, set-up and frame at a pull of 0 to 1: quadratic Bernstein polynomials, summing to 1.

    0 is the series alone (one transform for all), 1 the frame alone; the set-up counts most in the middle.
    """
    return (1 - pull) ** 2, 2 * pull * (1 - pull), pull**2


def mix(parts: list[tuple[Statistics, float]]) -> Statistics:
    """Statistics between several, by weights that sum to 1.

    Quantile functions average as they are (the barycentre in one dimension); zone tints and spreads by weight
    times evidence, so that a part without pixels in a zone does not speak there; clouds mix by share.
    """
    active = [(s, w) for s, w in parts if w > 1e-6]
    if len(active) == 1:
        return active[0][0]
    evidence = [w * (np.asarray(s.zone_share) + 0.005) for s, w in active]
    total = np.sum(evidence, axis=0)[:, None]

    def by_evidence(name: str) -> Floats:
        terms = [getattr(s, name) * e[:, None] for (s, _), e in zip(active, evidence, strict=True)]
        return np.asarray(np.sum(terms, axis=0) / total, dtype=np.float32)

    def plainly(name: str) -> Floats:
        return np.asarray(np.sum([getattr(s, name) * w for s, w in active], axis=0), dtype=np.float32)

    clouds = [thin(s.cloud, max(1, round(CLOUD_SIZE * w))) for s, w in active]
    return Statistics(
        lightness=plainly("lightness"),
        chroma=plainly("chroma"),
        zone_tint=by_evidence("zone_tint"),
        zone_share=plainly("zone_share"),
        zone_spread=by_evidence("zone_spread"),
        cloud=np.concatenate(clouds),
    )
