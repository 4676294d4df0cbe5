"""What goes wrong with a frame under a plan, in words, so that an overdone look is seen before it is kept."""

import numpy as np
from numpy.typing import NDArray

from nuvett.core.fit.holds import skin_membership
from nuvett.core.fit.plan import FramePlan, apply_plan, evened_by
from nuvett.core.fit.statistics import thin
from nuvett.core.look.steps import HoldStep
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import from_linear
from nuvett.core.types import Floats, Linear

_COLOURS = 1024
_CLIPPED, _NOTED_CLIPPING = 254.5 / 255, 0.01  # encoded value that 8 bits round to the last code
_GREYS = 48
_STEEP = 2.6  # slope of tone beyond which 8-bit originals show steps
_SKIN_SHARE, _MEMBER = 0.01, 0.5
_COLOURLESS = 0.012  # chroma below which a hue says nothing


def at_ends(encoded: Floats) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Which encoded colours (..., 3) have a channel clipped to white, and which are black in all channels."""
    most = encoded.max(axis=-1)
    return np.asarray(most >= _CLIPPED), np.asarray(most <= 1 - _CLIPPED)


def newly_at_ends(before: Floats, after: Floats) -> tuple[float, float]:
    """Shares of encoded colours (..., 3) that became white in a channel, and that became black."""
    white, black = (float((now & ~was).mean()) for now, was in zip(at_ends(after), at_ends(before), strict=True))
    return white, black


def warnings_of(plan: FramePlan, sample: Linear, limits: HoldStep | None = None) -> list[str]:
    """Notes on a frame's sample (N, 3) under a plan: newly clipped, posterising, skin moved beyond limits."""
    colours = thin(sample, _COLOURS)
    after = map_to_gamut(apply_plan(plan, colours))
    said = []
    before, made = from_linear(colours), from_linear(after)
    clipped, crushed = newly_at_ends(before, made)
    if clipped >= _NOTED_CLIPPING:
        said.append(f"{100 * clipped:.0f} % newly clipped")
    if crushed >= _NOTED_CLIPPING:
        said.append(f"{100 * crushed:.0f} % lost in black")
    steepest = _steepest(plan, colours)
    if steepest > _STEEP:
        said.append(f"tones may break up, {steepest:.1f} times as steep")
    said += _skin_notes(plan, colours, linear_to_oklab(after), limits or HoldStep())
    return said


def _steepest(plan: FramePlan, colours: Linear) -> float:
    """Steepest rise of lightness along the greys that the evened frame uses."""
    evened = linear_to_oklab(evened_by(plan, colours))[:, 0]
    low, high = np.quantile(evened, [0.01, 0.99])
    ramp = np.linspace(low, high, _GREYS, dtype=np.float32)
    grey = np.stack([ramp, np.zeros_like(ramp), np.zeros_like(ramp)], axis=1)
    before = plan.model_copy(update={"gains": (1.0, 1.0, 1.0)})
    after = apply_plan(before, oklab_to_linear(grey))[:, 0]
    return float(np.max(np.diff(after)) / max(float(ramp[1] - ramp[0]), 1e-6))


def _skin_notes(plan: FramePlan, colours: Linear, after: np.ndarray, limits: HoldStep) -> list[str]:
    evened = linear_to_oklab(evened_by(plan, colours))
    skin = skin_membership(evened, plan.skin) > _MEMBER
    if float(skin.mean()) < _SKIN_SHARE:
        return []
    # Without a face in the frame it may be skin or something of its colour.
    named = "skin" if plan.skin else "skin tones"
    old, new = evened[skin], after[skin]
    turn = np.arctan2(new[:, 2], new[:, 1]) - np.arctan2(old[:, 2], old[:, 1])
    turned = float(np.degrees(np.median((turn + np.pi) % (2 * np.pi) - np.pi)))
    lighter = 116 * float(np.median(new[:, 0] - old[:, 0]))
    coloured = float(np.median(np.hypot(new[:, 1], new[:, 2]))) > _COLOURLESS
    if coloured and abs(turned) > limits.hue:
        return [f"{named} turned {abs(turned):.0f}°"]
    if abs(lighter) > limits.lightness:
        return [f"{named} {abs(lighter):.0f} {'lighter' if lighter > 0 else 'darker'}"]
    return []
