"""Primaries: reds, greens and blues as wholes turned, and made richer or poorer, by one map that keeps greys."""

from typing import ClassVar

import numpy as np

from nuvett.core.fields import number
from nuvett.core.fit.primaries import MAX_RICHER, MAX_TURN, MIN_RICHER, PRIMARIES
from nuvett.core.plan.by_hand import PrimariesOperation
from nuvett.core.steps.step import Ask, Instrument, Step, taken, taken_below


def _turn(label: str) -> float:
    found: float = number(0, -MAX_TURN, MAX_TURN, label, "°", 0.5)
    return found


def _richer(label: str) -> float:
    found: float = number(0, MIN_RICHER, MAX_RICHER, label)
    return found


class PrimariesStep(Step):
    """What light is mixed of: each primary turned about white in degrees, and richer or poorer in percent."""

    name: ClassVar[str] = "primaries"
    title: ClassVar[str] = "Primaries"
    instrument: ClassVar[Instrument | None] = "chart"
    amount: float = number(100, 0, 100, "Primaries")
    red_turn: float = _turn("Reds turned by")
    red_richer: float = _richer("Reds richer by")
    green_turn: float = _turn("Greens turned by")
    green_richer: float = _richer("Greens richer by")
    blue_turn: float = _turn("Blues turned by")
    blue_richer: float = _richer("Blues richer by")

    @property
    def _moved(self) -> list[str]:
        return [name for name in PRIMARIES if getattr(self, f"{name}_turn") or getattr(self, f"{name}_richer")]

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not self._moved

    @property
    def sentence(self) -> str:
        return ("; ".join(_said(name) for name in self._moved) or "nothing yet") + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        still = tuple(_said(name).capitalize() for name in PRIMARIES if name not in self._moved)
        return (*still, *taken_below(self))

    def resolve(self, ask: Ask) -> tuple[PrimariesOperation, ...]:
        turns, richer = ([getattr(self, f"{name}_{of}") for name in PRIMARIES] for of in ("turn", "richer"))
        share = np.array(richer) / 100
        return (PrimariesOperation(turns=tuple(turns), richer=tuple(share), amount=self.amount / 100),)


def _said(name: str) -> str:
    return f"{name}s turned {{{name}_turn}}, richer by {{{name}_richer}}"
