"""Tone curves through points, and faded blacks."""

from typing import ClassVar, Self

from pydantic import field_validator

from nuvett.core.fields import clipping, number
from nuvett.core.fit.curves import STRAIGHT, Points, check_rising, is_straight
from nuvett.core.fit.parts import Part
from nuvett.core.plan.by_hand import CurveOperation
from nuvett.core.steps.step import Ask, Instrument, Step, part, taken, taken_below

CHANNELS = ("master", "red", "green", "blue")


class CurveStep(Step):
    """Tone curves through points: master on L*, red, green and blue on encoded values; blacks faded by L*."""

    name: ClassVar[str] = "curve"
    title: ClassVar[str] = "Tone curve"
    instrument: ClassVar[Instrument | None] = "curve"
    amount: float = number(100, 0, 100, "Tone curve")
    part: Part = part()
    faded: float = clipping(number(0, 0, 24, "Faded blacks", "L*", 0.5))
    master: Points = STRAIGHT
    red: Points = STRAIGHT
    green: Points = STRAIGHT
    blue: Points = STRAIGHT
    master_on: bool = True
    red_on: bool = True
    green_on: bool = True
    blue_on: bool = True

    @field_validator(*CHANNELS)
    @classmethod
    def _rising(cls, points: Points) -> Points:
        return check_rising(points)

    @property
    def acting(self) -> dict[str, Points]:
        """The curve of each channel as it acts: straight where that channel is off."""
        return {c: getattr(self, c) if getattr(self, f"{c}_on") else STRAIGHT for c in CHANNELS}

    @property
    def is_straight(self) -> bool:
        """Whether all its curves change nothing, and no blacks are faded."""
        return self.faded == 0 and all(is_straight(points) for points in self.acting.values())

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or self.is_straight

    @property
    def sentence(self) -> str:
        bent = [channel for channel, points in self.acting.items() if not is_straight(points)]
        through = f"{' and '.join(bent)} curve changed, " if bent else ""
        return f"{through}blacks lifted by {{faded}}" + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        return taken_below(self)

    def resolve(self, ask: Ask) -> tuple[CurveOperation, ...]:
        return (CurveOperation(faded=self.faded, **self.acting, amount=self.amount / 100, part=self.part),)

    def changes(self, after: Self) -> list[str]:
        bent = [channel for channel in CHANNELS if getattr(self, channel) != getattr(after, channel)]
        said = [f"{channel.capitalize()} curve changed" for channel in bent]
        ways = {c: getattr(after, f"{c}_on") for c in CHANNELS}
        switched = [(channel, on) for channel, on in ways.items() if getattr(self, f"{channel}_on") != on]
        return said + [f"{channel.capitalize()} curve {'on' if on else 'off'}" for channel, on in switched]
