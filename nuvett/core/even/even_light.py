"""The light of one frame as found: gains that bring it to its base, what they rest on, and how far to trust them."""

from typing import Literal

import numpy as np
from pydantic import Field

from nuvett.core.even.axes import gains_of_axes, log_axes
from nuvett.core.even.light import split_gains
from nuvett.core.even.witnesses import WITNESSES
from nuvett.core.types import Document


class EvenLight(Document):
    """Gains that bring a frame's light to its base, and how far to trust them.

    gains : linear RGB gains at full strength, already weakened by what is not known
    exposure : EV; warmth, tint : percent, as `split_gains` defines them
    camera : how much of a camera curve the gains pass through, 0 to 1 (`nuvett.core.even.light.apply_gains`)
    confidence : share of what the frame could be off by that is known, 0 (left alone) to 1
    doubt : standard deviation of the exposure, EV
    base : what it was evened to, in words
    rests : what the correction mainly rests on: a kind of witness, the key of the set-up, nothing; or it is the base
    white_rests : the same of its white, empty in documents of before
    shared : frames of the set-up that show the same things, as far as was found
    key : what the key of the set-up had to do with it, 0 to 1
    """

    schema_version: Literal[1, 2, 3] = 3
    gains: tuple[float, float, float] = (1.0, 1.0, 1.0)
    exposure: float = 0
    warmth: float = 0
    tint: float = 0
    camera: float = Field(default=0.0, ge=0, le=1)
    confidence: float = Field(default=1.0, ge=0, le=1)
    doubt: float = Field(default=0.0, ge=0)
    base: str = ""
    rests: str = "base"
    white_rests: str = ""
    shared: int = Field(default=0, ge=0)
    key: float = Field(default=0.0, ge=0, le=1)

    def at(self, exposure: float, white: float | None = None) -> tuple[float, float, float]:
        """Gains of so much of the exposure and of the white, each from 0 (none) to 1; white as much if not said."""
        if white is None or white == exposure:
            red, green, blue = (float(gain**exposure) for gain in self.gains)
            return red, green, blue
        return gains_of_axes(log_axes(self.gains) * np.array([exposure, white, white]))

    @property
    def is_unsure(self) -> bool:
        """Whether too little is known of the frame, so that at most its exposure follows the key of its set-up."""
        return self.confidence < UNSURE

    @property
    def wants_a_look(self) -> bool:
        """Whether a person should look at it: it was moved far for its key, and nothing else speaks for that."""
        return self.is_unsure and abs(self.exposure) >= _FAR

    @property
    def words(self) -> str:
        """What was done and why, in short sentences: exposure and white, each with what it rests on."""
        exposure, white = self._exposure_words, self._white_words
        because = self._because(self.rests)
        if self.rests != "key" and self.key > _KEY_TOLD:
            because += f" and {_BY_KEY.removeprefix('by ')}"
        if not exposure and not white:
            if self.rests in ("key", "nothing"):
                return "Left as it came"
            return f"Even already; {because}".rstrip("; ")
        by_white = self._because(self.white_rests or self.rests)
        if exposure and white and by_white != because:
            return f"{exposure} {because}; {white} {by_white}"
        done = ", ".join(part for part in (exposure, white) if part)
        return f"{done} {because if exposure else by_white}".rstrip()

    def _because(self, rests: str) -> str:
        if rests == "points" and self.shared == 0:
            return "by things it seems to share"
        return _BECAUSE.get(rests, "").format(self.shared, "" if self.shared == 1 else "s")

    @property
    def _exposure_words(self) -> str:
        return f"{self.exposure:+.2f} EV".replace("-", "−") if abs(self.exposure) >= 0.03 else ""

    @property
    def _white_words(self) -> str:
        parts = []
        if abs(self.warmth) >= 1:
            parts.append(f"{'warmer' if self.warmth > 0 else 'cooler'} {abs(self.warmth):.0f} %")
        if abs(self.tint) >= 1:
            parts.append(f"{'pinker' if self.tint > 0 else 'greener'} {abs(self.tint):.0f} %")
        return ", ".join(parts)


UNSURE = 0.6  # confidence below which little or nothing of what was found is applied
_FAR = 0.6  # EV
_KEY_TOLD = 0.2  # share of the key in a correction from which it is told
_BY_KEY = "by the key of its set-up"
_BECAUSE = {kind.name: kind.words for kind in WITNESSES} | {"key": _BY_KEY}


def described(gains: tuple[float, float, float]) -> dict[str, float]:
    """Exposure, warmth and tint of gains, by name."""
    exposure, warmth, tint = split_gains(np.array(gains, dtype=np.float32))
    return {"exposure": exposure, "warmth": warmth, "tint": tint}
