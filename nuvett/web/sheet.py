"""View models of a sheet: its steps as sentences with live values, those that act apart from those that are idle."""

import re
from dataclasses import dataclass
from typing import Any

import numpy as np

from nuvett.core.fields import ChoiceWords, NumberWords, choices_of, numbers_of
from nuvett.core.fit.grey import GreyHue
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.look.words import HELD_VALUES, MOVE_VALUES, point_words
from nuvett.core.spaces.oklab import oklch_to_oklab
from nuvett.core.steps.curve import CHANNELS
from nuvett.core.steps.mono import hue_word
from nuvett.core.steps.moves import Pin
from nuvett.core.steps.step import Step, colour_word
from nuvett.core.types import OKLab, OKLCh
from nuvett.web.context import TEMPLATES
from nuvett.web.instruments import hexes

_FIELD = re.compile(r"\{(\w+)\}")
_SPECIAL = frozenset(path.stem for path in (TEMPLATES / "parts" / "steps").glob("*.html"))
"""Steps with controls of their own beside their sentences."""


@dataclass(frozen=True)
class Piece:
    """A piece of a sentence: plain text, a live number, or a choice."""

    text: str = ""
    path: str = ""
    value: Any = None
    number: NumberWords | None = None
    choice: ChoiceWords | None = None


@dataclass(frozen=True)
class StepView:
    """One step on a sheet."""

    name: str
    title: str
    place: int
    on: bool
    idle: bool
    sentence: list[Piece]
    more: list[list[Piece]]
    instrument: str
    special: bool


@dataclass(frozen=True)
class Coloured:
    """A colour in words, with its OKLab numbers for what is asked about it."""

    name: str
    hex: str
    lab: tuple[float, float, float]


def coloured(lab: tuple[float, float, float]) -> Coloured:
    """A colour in words."""
    return Coloured(colour_word(lab), hexes(OKLab(np.array([lab], dtype=np.float32)))[0], lab)


def pieces(step: Step, sentence: str) -> list[Piece]:
    """A sentence of a step, cut at the names in braces."""
    numbers, choices = numbers_of(type(step)), choices_of(type(step))
    found = []
    for index, text in enumerate(_FIELD.split(sentence)):
        if index % 2 == 0:
            found.append(Piece(text=text))
        else:
            path = f"{step.name}.{text}"
            found.append(
                Piece(path=path, value=getattr(step, text), number=numbers.get(text), choice=choices.get(text))
            )
    return [piece for piece in found if piece.text or piece.path]


def _view(step: Step, place: int) -> StepView:
    return StepView(
        name=step.name,
        title=step.title,
        place=place,
        on=step.on,
        idle=step.is_idle,
        sentence=pieces(step, step.sentence),
        more=[pieces(step, sentence) for sentence in step.more],
        instrument=step.instrument or "",
        special=step.name in _SPECIAL,
    )


def _hued(hue: float) -> Coloured:
    """A hue as a colour of middling lightness and chroma."""
    lightness, a, b = (float(v) for v in oklch_to_oklab(OKLCh(np.array([0.65, 0.12, hue], dtype=np.float32))))
    return Coloured(hue_word(hue), coloured((lightness, a, b)).hex, (lightness, a, b))


@dataclass(frozen=True)
class StepName:
    """A step that is not on the sheet, to be brought in."""

    name: str
    title: str
    place: int


def sheet_of(document: WithSteps) -> dict[str, Any]:
    """Values of a sheet: its steps in order, those that do nothing, and what the special controls of steps need."""
    places = {kind.name: place for place, kind in enumerate(document.kinds, start=1)}
    views = [_view(step, places[step.name]) for step in document.steps]
    held = {view.name for view in views}
    absent = [StepName(k.name, k.title, places[k.name]) for k in document.kinds if k.name not in held]
    idle = [StepName(v.name, v.title, v.place) for v in views if v.idle]
    return {
        "document": document.model_dump(mode="json"),
        "steps": views,
        "idle": sorted([*idle, *absent], key=lambda step: step.place),
        "brought": held if absent else set(),
        "numbers": numbers_of(type(document)),
        "move_values": MOVE_VALUES,
        "held_values": HELD_VALUES,
        "grey_values": numbers_of(GreyHue),
        "pin_amount": numbers_of(Pin)["amount"],
        "point_values": {name: point_words(name) for name in CHANNELS},
        "channels": CHANNELS,
        **_words(document),
    }


def _words(document: WithSteps) -> dict[str, Any]:
    """Names of the colours that steps hold."""
    steps: dict[str, Any] = {step.name: step for step in document.steps}
    moves, hold, mono = steps.get("moves"), steps.get("hold"), steps.get("mono")
    return {
        "own_words": [coloured(move.source) for move in moves.own] if moves else [],
        "pin_words": [(coloured(p.source), coloured(p.to) if p.to else None) for p in moves.pins] if moves else [],
        "grey_words": [_hued(grey.hue) for grey in mono.hues] if mono else [],
        "held_words": [coloured(family.family.colour) for family in hold.families] if hold else [],
    }
