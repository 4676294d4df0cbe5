"""Black-and-white, made on the frame's own palette: hues lighter or darker, with a reach."""

from typing import Any, ClassVar, Self

import numpy as np
from pydantic import Field, model_validator

from nuvett.core.fields import number
from nuvett.core.fit.grey import MAX_GREYS, GreyHue
from nuvett.core.plan.by_hand import GreyOperation
from nuvett.core.plan.earlier import grey_hues
from nuvett.core.steps.hues import hue_word
from nuvett.core.steps.step import Ask, Instrument, Step

_WORDS = ("pink", "red", "orange", "yellow", "green", "teal", "blue", "violet")


class MonoStep(Step):
    """Black-and-white; hues become lighter or darker in proportion to chroma.

    toned : percent of the target's own tints, by lightness, that the greys are given
    """

    name: ClassVar[str] = "mono"
    title: ClassVar[str] = "Black-and-white"
    instrument: ClassVar[Instrument | None] = "greys"
    on: bool = False
    amount: float = number(100, 0, 100, "Black-and-white")
    toned: float = number(0, 0, 100, "Toning of black-and-white")
    hues: tuple[GreyHue, ...] = Field(default=(), max_length=MAX_GREYS)

    @model_validator(mode="before")
    @classmethod
    def _from_eight_words(cls, data: Any) -> Any:
        """Before schema 4 of looks eight hue words were weighed, and it was interpolated between them."""
        if isinstance(data, dict) and any(word in data for word in _WORDS):
            rest = {name: value for name, value in data.items() if name not in _WORDS}
            return rest | {"hues": grey_hues(data)}
        return data

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0

    @property
    def sentence(self) -> str:
        return "goes {amount} of the way, toned {toned} like the target" + self._heard

    @property
    def _heard(self) -> str:
        names = [f"{hue_word(grey.hue)} {'lighter' if grey.lighter > 0 else 'darker'}" for grey in self.hues if grey.on]
        return f"; {', '.join(names)}" if names else ""

    def resolve(self, ask: Ask) -> tuple[GreyOperation, ...]:
        toning: tuple[tuple[float, float], ...] = ()
        if self.toned and ask.aimed:
            tints = np.asarray(ask.aim.statistics.zone_tint) * self.toned / 100
            toning = tuple((float(a), float(b)) for a, b in tints)
        return (GreyOperation(hues=self.hues, toning=toning, amount=self.amount / 100, own=True),)

    def changes(self, after: Self) -> list[str]:
        old, new = ({grey.hue: grey for grey in step.hues} for step in (self, after))
        said = [f"{hue_word(hue).capitalize()} as it was in black-and-white" for hue in old if hue not in new]
        for hue, grey in new.items():
            if old.get(hue) != grey:
                way = "lighter" if grey.lighter > 0 else "darker"
                said.append(f"{hue_word(hue).capitalize()} {abs(grey.lighter):.0f} % {way} in black-and-white")
        return said
