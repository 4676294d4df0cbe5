"""What areas look at in a frame: the frame itself, small, as it came and evened."""

from collections.abc import Callable
from functools import cache

import cv2
import numpy as np

from nuvett.core.area.scene import NOTHING_FOUND, Found, Scene
from nuvett.core.area.weights import AREA_EDGE, WeightMap, weigh
from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.guided import encoded_luminance
from nuvett.core.plan.apply import evened_by
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.types import Encoded01, Floats, OKLab


def scene_of(
    small: Callable[[], Pixels],
    size: tuple[int, int],
    domain: Space,
    plan: FramePlan,
    found: Found = NOTHING_FOUND,
) -> Scene:
    """A frame as areas look at it.

    small : 8-bit view (h, w, 3) of the frame in its own domain, uncut; size : of that view, width and height
    found : what nets find in it
    """
    scale = min(1.0, AREA_EDGE / max(size))
    width, height = (max(1, round(side * scale)) for side in size)

    @cache
    def encoded() -> Encoded01:
        shrunk = cv2.resize(small(), (width, height), interpolation=cv2.INTER_AREA)
        return in_floats(np.asarray(shrunk))

    @cache
    def guide() -> Floats:
        return encoded_luminance(encoded())

    @cache
    def lab() -> OKLab:
        flat = to_linear(Encoded01(encoded().reshape(-1, 3)), domain)
        return OKLab(linear_to_oklab(evened_by(plan, flat)).reshape(height, width, 3))

    return Scene((width, height), guide, lab, found)


def weigh_layers(plan: FramePlan, scene: Scene) -> tuple[WeightMap, ...]:
    """Weights of each layer of a plan in the frame that it is for."""
    return tuple(weigh(layer.area, scene) for layer in plan.layers)
