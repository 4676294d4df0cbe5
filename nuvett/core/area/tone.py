"""Tones between two lightnesses."""

from typing import ClassVar, Literal

import numpy as np

from nuvett.core.area.part import AreaPart
from nuvett.core.area.scene import Scene
from nuvett.core.fields import number, numbers_of
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.cielab import neutral_oklab
from nuvett.core.types import Mask01


class TonePart(AreaPart):
    """Tones of the evened frame from one CIE L* to another, fading out beyond each end."""

    title: ClassVar[str] = "a tone"
    looks_at: ClassVar[Literal["nothing", "colours", "subject"]] = "colours"
    edges: ClassVar[bool] = True
    sentence: ClassVar[str] = "from {low} to {high}, fading out over {soft_low} below and {soft_high} above"
    kind: Literal["tone"] = "tone"
    low: float = number(70, 0, 100, "Tones from", "L*")
    high: float = number(100, 0, 100, "Tones to", "L*")
    soft_low: float = number(15, 0, 100, "Fading out below over", "L*")
    soft_high: float = number(15, 0, 100, "Fading out above over", "L*")

    @property
    def words(self) -> str:
        numbers = numbers_of(TonePart)
        low, high = min(self.low, self.high), max(self.low, self.high)
        return f"tones {numbers['low'].bare(low)} to {numbers['high'].bare(high)}"

    def weigh(self, scene: Scene) -> Mask01:
        lightness = scene.lab()[..., 0]
        low, high = min(self.low, self.high), max(self.low, self.high)
        ends = [neutral_oklab(v) for v in (low - self.soft_low, low, high, high + self.soft_high)]
        ends[0], ends[3] = min(ends[0], ends[1] - 1e-3), max(ends[3], ends[2] + 1e-3)
        rising = 1.0 if low <= 0 else smooth_step((lightness - np.float32(ends[0])) / np.float32(ends[1] - ends[0]))
        falling = 0.0 if high >= 100 else smooth_step((lightness - np.float32(ends[2])) / np.float32(ends[3] - ends[2]))
        return np.asarray(np.broadcast_to(rising * (1 - falling), lightness.shape), dtype=np.float32)
