"""Hue ranges: colours of chosen hues turned, made richer or lighter, or held below a chroma."""

from typing import ClassVar, Self

import numpy as np
from pydantic import Field

from nuvett.core.fields import number
from nuvett.core.fit.hues import MAX_BANDS, HueBand
from nuvett.core.plan.by_hand import HuesOperation
from nuvett.core.spaces.oklab import oklch_to_oklab
from nuvett.core.steps.step import Ask, Instrument, Step, colour_word, taken, taken_below
from nuvett.core.types import OKLab, OKLCh


class HueStep(Step):
    """Ranges of hues and what is done to each; those that overlap share what lies in both."""

    name: ClassVar[str] = "hues"
    title: ClassVar[str] = "Hue ranges"
    instrument: ClassVar[Instrument | None] = "chart"
    amount: float = number(100, 0, 100, "Hue ranges")
    bands: tuple[HueBand, ...] = Field(default=(), max_length=MAX_BANDS)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or all(band.is_idle for band in self.bands)

    @property
    def sentence(self) -> str:
        return ("; ".join(band_words(band) for band in self.bands if not band.is_idle) or "nothing yet") + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return taken_below(self)

    def resolve(self, ask: Ask) -> tuple[HuesOperation, ...]:
        return (HuesOperation(bands=self.bands, amount=self.amount / 100),)

    def changes(self, after: Self) -> list[str]:
        old, new = self.bands, after.bands
        if len(new) > len(old):
            return [f"Range of {hue_word(new[-1].hue)}"]
        if len(new) < len(old):
            gone = next(b for i, b in enumerate(old) if i >= len(new) or new[i] != b)
            return [f"No range of {hue_word(gone.hue)} any more"]
        return [f"Range: {band_words(b)}" for a, b in zip(old, new, strict=True) if a != b]


def hue_colour(hue: float) -> OKLab:
    """A hue in degrees as a colour (3,) of middling lightness and chroma, which stands for it."""
    return oklch_to_oklab(OKLCh(np.array([0.65, 0.12, hue], dtype=np.float32)))


def hue_word(hue: float) -> str:
    """A hue in words."""
    return colour_word(hue_colour(hue)).rpartition(" ")[0]


def band_words(band: HueBand) -> str:
    """What a range does, in words: "teal turned 8°, richer by 20 %"."""
    said = [f"turned {_signed(band.turn)}°"] if band.turn else []
    said += [f"{'richer' if band.chroma > 0 else 'poorer'} by {abs(band.chroma):g} %"] if band.chroma else []
    said += [f"{'lighter' if band.lightness > 0 else 'darker'} by {abs(band.lightness):g} L*"] if band.lightness else []
    said += [f"chroma at most {band.most:g}"] if band.most is not None else []
    return f"{hue_word(band.hue)} " + (", ".join(said) if band.on and said else "as it is" if band.on else "off")


def _signed(value: float) -> str:
    return f"{value:+g}".replace("-", "−")
