"""The camera that frames were shot with, and their clouds of light as it saw them, each made once."""

import numpy as np

from nuvett.core.even.camera import scene_light
from nuvett.core.even.overlay import Cloud, light_cloud
from nuvett.core.even.shared import Seen
from nuvett.core.types import Linear


class Camera:
    """A camera by how much of its curve pictures show, `share` of 0 to 1. Clouds are those of frames, by identity."""

    def __init__(self, share: float) -> None:
        self.share = share
        self._clouds: dict[int, tuple[Seen, Cloud]] = {}

    def cloud(self, frame: Seen) -> Cloud:
        """Cloud of a frame's light."""
        if id(frame) not in self._clouds:
            made = light_cloud(scene_light(Linear(np.clip(frame.sample, 0, 1)), self.share))
            self._clouds[id(frame)] = frame, made  # with the frame, so that its identity stays its own
        return self._clouds[id(frame)][1]
