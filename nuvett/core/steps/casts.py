"""Casts by zone: what is in blacks, neutrals and whites, corrected along green to red and along blue to yellow."""

from typing import ClassVar

from nuvett.core.fields import number
from nuvett.core.fit.casts import MAX_CAST, ZONES_OF_CAST
from nuvett.core.plan.by_hand import CastsOperation
from nuvett.core.steps.step import Ask, Instrument, Step, taken, taken_below


def _along(label: str) -> float:
    found: float = number(0, -100 * MAX_CAST, 100 * MAX_CAST, label, "", 0.1)
    return found


class CastStep(Step):
    """Shifts of blacks, neutrals and whites, OKLab a (red above 0) and b (yellow above 0) times 100."""

    name: ClassVar[str] = "casts"
    title: ClassVar[str] = "Casts"
    instrument: ClassVar[Instrument | None] = "chart"
    amount: float = number(100, 0, 100, "Correction of casts")
    blacks_red: float = _along("Blacks toward red")
    blacks_yellow: float = _along("Blacks toward yellow")
    neutrals_red: float = _along("Neutrals toward red")
    neutrals_yellow: float = _along("Neutrals toward yellow")
    whites_red: float = _along("Whites toward red")
    whites_yellow: float = _along("Whites toward yellow")

    @property
    def shifts(self) -> tuple[tuple[float, float], ...]:
        """OKLab a and b added to blacks, neutrals and whites."""
        return tuple((getattr(self, f"{z}_red") / 100, getattr(self, f"{z}_yellow") / 100) for z in ZONES_OF_CAST)

    @property
    def _shifted(self) -> list[str]:
        return [name for name, shift in zip(ZONES_OF_CAST, self.shifts, strict=True) if any(shift)]

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not self._shifted

    @property
    def sentence(self) -> str:
        return ("; ".join(_said(zone) for zone in self._shifted) or "nothing yet") + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        still = tuple(_said(zone).capitalize() for zone in ZONES_OF_CAST if zone not in self._shifted)
        return (*still, "Below 0 is toward green and toward blue", *taken_below(self))

    def resolve(self, ask: Ask) -> tuple[CastsOperation, ...]:
        return (CastsOperation(shifts=self.shifts, amount=self.amount / 100),)


def _said(zone: str) -> str:
    return f"{zone} {{{zone}_red}} toward red, {{{zone}_yellow}} toward yellow"
