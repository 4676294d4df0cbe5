"""Names for colours in words, so that no swatch stands alone."""

import numpy as np

from nuvett.core.types import OKLab

# Hue ranges in OKLCh degrees, upper bound first; boundaries placed by eye on a chroma 0.12 wheel, checked against
# the hues of the CSS basic colour keywords by tests/core/test_spaces.py.
_HUES: tuple[tuple[float, str], ...] = (
    (16, "pink"),
    (40, "red"),
    (66, "orange"),
    (88, "amber"),
    (114, "yellow"),
    (130, "lime"),
    (158, "green"),
    (180, "jade"),
    (216, "teal"),
    (244, "sky"),
    (282, "blue"),
    (308, "violet"),
    (340, "purple"),
    (360, "pink"),
)
_NEUTRAL_CHROMA = 0.012
_MUTED_CHROMA = 0.045


def colour_name(lab: OKLab) -> str:
    """A plain name for one OKLab colour (3,), for example "dark teal 214°" or "light grey"."""
    lightness = float(lab[0])
    chroma = float(np.hypot(lab[1], lab[2]))
    if chroma < _NEUTRAL_CHROMA:
        return _neutral_name(lightness)
    hue = float(np.degrees(np.arctan2(lab[2], lab[1])) % 360)
    word = next(name for bound, name in _HUES if hue <= bound)
    if word in ("orange", "amber") and lightness < 0.6:
        word = "brown"
    elif word in ("yellow", "lime") and lightness < 0.62:
        word = "olive"
    depth = "deep " if lightness < 0.32 else "dark " if lightness < 0.48 else "pale " if lightness > 0.85 else ""
    muted = "grey-" if chroma < _MUTED_CHROMA and not depth else ""
    return f"{depth}{muted}{word} {round(hue) % 360}°"


def _neutral_name(lightness: float) -> str:
    bounds = ((0.12, "black"), (0.38, "dark grey"), (0.7, "grey"), (0.94, "light grey"))
    return next((name for bound, name in bounds if lightness < bound), "white")
