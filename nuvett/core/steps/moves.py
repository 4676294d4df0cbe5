"""Colour moves: by pairing palettes, some of them pinned, and made by hand."""

from collections.abc import Callable, Sequence
from typing import ClassVar, Self

import numpy as np
from pydantic import Field

from nuvett.core.fields import number
from nuvett.core.fit.moves import Move, OwnMove, fit_moves
from nuvett.core.fit.parts import Part
from nuvett.core.measure.statistics import thin
from nuvett.core.plan.by_hand import OwnMovesOperation
from nuvett.core.plan.fitted import MovesOperation
from nuvett.core.plan.operation import Operation
from nuvett.core.reading.palette import Colour
from nuvett.core.steps.step import MAX, Ask, Instrument, Step, colour_word, part, part_switched
from nuvett.core.types import Document, OKLab

MAX_MOVES, MAX_PINS = 12, 24
PLANNING_CLOUD = 1024
"""Colours that the moves are planned on."""

_PIN_REACH = 0.1  # OKLab distance within which a pin speaks for a colour of the frame


class Pin(Document):
    """A decision about the pairing of palettes: what happens to frame colours near `source`.

    to : where they go instead of where the pairing sends them, none for there
    amount : percent of the way; 0 leaves them where they are
    """

    on: bool = True
    source: Colour
    to: Colour | None = None
    amount: float = number(100, 0, 150, "Pinned at")


class MoveStep(Step):
    """Colour moves: by pairing palettes (amount, reach in OKLab units times 100, pins), and made by hand."""

    name: ClassVar[str] = "moves"
    title: ClassVar[str] = "Colour moves"
    fitted: ClassVar[bool] = True
    instrument: ClassVar[Instrument | None] = "pairing"
    amount: float = number(35, 0, 150, "Colour moves", full=100)
    part: Part = part()
    reach: float = number(9, 4, 30, "Colour moves take along", "ΔE", 0.5)
    pins: tuple[Pin, ...] = Field(default=(), max_length=MAX_PINS)
    own: tuple[OwnMove, ...] = Field(default=(), max_length=MAX_MOVES)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 and not self._by_hand and not any(pin.amount for pin in self.pins if pin.on)

    @property
    def needs_target(self) -> bool:
        return not self._by_hand

    @property
    def _by_hand(self) -> int:
        """How many moves by hand act."""
        return sum(own.on for own in self.own)

    @property
    def sentence(self) -> str:
        by_hand = f", and {self._by_hand} by hand" if self._by_hand else ""
        return f"pair the palettes and go {{amount}} of the way{by_hand}"

    @property
    def more(self) -> tuple[str, ...]:
        return ("Colours up to {reach} apart are taken along", "Acts on {part}")

    def resolve(self, ask: Ask) -> tuple[Operation, ...]:
        found: list[Operation] = []
        if moves := self._paired(ask):
            found.append(MovesOperation(moves=moves))
        if self._by_hand:
            found.append(OwnMovesOperation(moves=self.own, part=self.part))
        return tuple(found)

    def _paired(self, ask: Ask) -> tuple[Move, ...]:
        """Moves by pairing, at their amounts, some of them as pins have it."""
        amount = min(self.amount / 100 * ask.colour, MAX)
        if amount == 0 or not ask.aimed:
            return ()
        cloud = ask.through(OKLab(thin(ask.frame.cloud, PLANNING_CLOUD)))
        found = fit_moves(cloud, ask.aim.palette, self.reach / 100)
        origins = fit_origins(ask.through, [m.source for m in found]) if self.pins else []
        moves = []
        for index, move in enumerate(found):
            by = tuple(v * amount for v in move.by)
            pin = pin_of(self.pins, origins[index]) if origins else None
            if pin is not None:
                away = move.by if pin.to is None else tuple(np.subtract(pin.to, move.source))
                by = tuple(float(v) * pin.amount / 100 for v in away)
            if self.part != "both":
                by = (by[0], 0.0, 0.0) if self.part == "tone" else (0.0, by[1], by[2])
            moves.append(move.model_copy(update={"by": by}))
        return tuple(moves)

    def changes(self, after: Self) -> list[str]:
        old, new, said = self.own, after.own, []
        if len(new) > len(old):
            said.append(f"Move {colour_word(new[-1].source)}")
        elif len(new) < len(old):
            gone = next(m for i, m in enumerate(old) if i >= len(new) or new[i] != m)
            said.append(f"No longer move {colour_word(gone.source)}")
        else:
            said += [
                f"Move of {colour_word(b.source)}{part_switched(a, b)}" for a, b in zip(old, new, strict=True) if a != b
            ]
        if self.pins != after.pins:
            more = len(after.pins) - len(self.pins)
            said.append("Pairing pinned" if more > 0 else "Pairing automatic" if more < 0 else "Pin of pairing changed")
        return said


def fit_origins(fit: Callable[[OKLab], OKLab], toned: Sequence[Colour]) -> list[Colour]:
    """Colours of the evened frame that a fit took to these ones, nearly: its shift there undone."""
    lab = np.array(toned, dtype=np.float32)
    found = lab.copy()
    for _ in range(4):
        found += lab - fit(OKLab(found))
    return [(float(c[0]), float(c[1]), float(c[2])) for c in found]


def pin_of(pins: tuple[Pin, ...], colour: Colour) -> Pin | None:
    """The pin nearest to a colour of the frame, if one is near."""
    pins = tuple(pin for pin in pins if pin.on)
    gaps = [float(np.linalg.norm(np.subtract(pin.source, colour))) for pin in pins]
    nearest = min(range(len(pins)), key=gaps.__getitem__, default=None)
    return None if nearest is None or gaps[nearest] > _PIN_REACH else pins[nearest]
