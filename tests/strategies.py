"""Shared Hypothesis strategies: colours, clouds, quantiles, looks."""

import numpy as np
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from nuvett.core.look.look import Look
from nuvett.core.measure.statistics import QUANTILE_COUNT

unit = st.floats(0, 1, width=32, allow_subnormal=False)
colours = hnp.arrays(np.float32, (24, 3), elements=unit)
wide_colours = hnp.arrays(np.float32, (24, 3), elements=st.floats(-0.25, 1.25, width=32, allow_subnormal=False))
quantiles = hnp.arrays(np.float32, QUANTILE_COUNT, elements=unit).map(np.sort)
gains = st.tuples(st.floats(-0.8, 0.8), st.floats(-0.25, 0.25), st.floats(-0.25, 0.25))
seeds = st.integers(0, 2**16)


def cloud(seed: int, count: int = 2000) -> np.ndarray:
    """Encoded colours (count, 3) of a made-up picture: a few surfaces under falling light."""
    random = np.random.default_rng(seed)
    surfaces = random.uniform(0.1, 0.9, (6, 3))
    light = random.beta(2, 2, (count, 1))
    picture = surfaces[random.integers(0, 6, count)] * light + random.normal(0, 0.01, (count, 3))
    return np.clip(picture, 0, 1).astype(np.float32)


percent = st.floats(0, 100)
looks = st.builds(
    lambda strength, colour, tone, zones, spread, moves: Look.model_validate(
        {
            "strength": strength,
            "colour": colour,
            "tone": {"amount": tone},
            "zones": {"amount": zones},
            "spread": {"amount": spread},
            "moves": {"amount": moves},
        }
    ),
    *[percent] * 6,
)
