"""The light of one frame as found: gains that bring it to its base, what they rest on, and how far to trust them."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from nuvett.core.even.light import split_gains
from nuvett.core.types import Document, Floats

Rests = Literal["points", "record", "clouds", "nothing", "base"]
"""What a correction mainly rests on: shared things, the camera's record, colours as a whole, nothing; or the base."""


class EvenLight(Document):
    """Gains that bring a frame's light to its base, and how far to trust them.

    gains : linear RGB gains at full strength, already weakened by what is not known
    exposure : EV; warmth, tint : percent, as `split_gains` defines them
    camera : how much of a camera curve the gains pass through, 0 to 1 (`nuvett.core.even.light.apply_gains`)
    confidence : share of what the frame could be off by that is known, 0 (left alone) to 1
    doubt : standard deviation of the exposure, EV
    base : what it was evened to, in words
    rests : what the correction mainly rests on
    shared : frames of the set-up that show the same things, as far as was found
    """

    schema_version: Literal[1, 2] = 2
    gains: tuple[float, float, float] = (1.0, 1.0, 1.0)
    exposure: float = 0
    warmth: float = 0
    tint: float = 0
    camera: float = Field(default=0.0, ge=0, le=1)
    confidence: float = Field(default=1.0, ge=0, le=1)
    doubt: float = Field(default=0.0, ge=0)
    base: str = ""
    rests: Rests = "base"
    shared: int = Field(default=0, ge=0)

    def at(self, strength: float) -> Floats:
        """Gains (3,) at a strength from 0 (none) to 1."""
        return np.asarray(np.array(self.gains) ** strength, dtype=np.float32)

    @property
    def is_unsure(self) -> bool:
        """Whether the frame was left as it came, or nearly, because too little is known."""
        return self.confidence < UNSURE

    @property
    def words(self) -> str:
        """What was done and why, in one or two short sentences."""
        if self.is_unsure:
            return "Left as it came: shares nothing with its set-up"
        done = self._changes() or "Even already"
        if self.rests == "points" and self.shared == 0:
            return f"{done}; by things it seems to share"
        return f"{done}; {_BECAUSE[self.rests].format(self.shared, '' if self.shared == 1 else 's')}".rstrip("; ")

    def _changes(self) -> str:
        parts = []
        if abs(self.exposure) >= 0.03:
            parts.append(f"{self.exposure:+.2f} EV".replace("-", "−"))
        if abs(self.warmth) >= 1:
            parts.append(f"{'warmer' if self.warmth > 0 else 'cooler'} {abs(self.warmth):.0f} %")
        if abs(self.tint) >= 1:
            parts.append(f"{'pinker' if self.tint > 0 else 'greener'} {abs(self.tint):.0f} %")
        return ", ".join(parts)


UNSURE = 0.6  # confidence below which little or nothing of what was found is applied
_BECAUSE = {
    "points": "by things shared with {} frame{}",
    "record": "by the camera's record",
    "clouds": "by its colours as a whole",
    "nothing": "",
    "base": "",
}


def log_axes(linear: Floats | tuple[float, float, float]) -> NDArray[np.float64]:
    """Mean log2, log2 R-G and log2 B-G of gains or linear colours (..., 3) above zero: (..., 3)."""
    logs = np.log2(np.asarray(linear, dtype=np.float64))
    return np.stack([logs.mean(axis=-1), logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]], axis=-1)


def gains_of_axes(axes: NDArray[np.float64]) -> tuple[float, float, float]:
    """Gains of mean log2, log2 R-G and log2 B-G (3,); inverse of `log_axes`."""
    mean, red_green, blue_green = (float(v) for v in axes)
    green = mean - (red_green + blue_green) / 3
    return float(2 ** (green + red_green)), float(2**green), float(2 ** (green + blue_green))


def described(gains: tuple[float, float, float]) -> dict[str, float]:
    """Exposure, warmth and tint of gains, by name."""
    exposure, warmth, tint = split_gains(np.array(gains, dtype=np.float32))
    return {"exposure": exposure, "warmth": warmth, "tint": tint}
