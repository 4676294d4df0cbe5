"""View models of a sheet: its steps as sentences with live values, those that act apart from those that are idle."""

import re
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import BaseModel

from nuvett.core.area.brush import Stroke
from nuvett.core.area.kinds import AREA_KINDS, kind_name
from nuvett.core.area.part import AreaPart
from nuvett.core.area.words import area_words
from nuvett.core.fields import ChoiceWords, NumberWords, choices_of, numbers_of
from nuvett.core.fit.grey import GreyHue
from nuvett.core.fit.hues import HueBand
from nuvett.core.fit.moves import landings
from nuvett.core.fit.wash import MAX_LAYERS, MODES, WashLayer, WashStop
from nuvett.core.geometry.geometry import PROPORTIONS, Geometry
from nuvett.core.geometry.spots import Spot
from nuvett.core.geometry.words import geometry_words
from nuvett.core.look.common import COMMON_VALUES
from nuvett.core.look.local import MAX_AREAS, Local
from nuvett.core.look.look import Look
from nuvett.core.look.ready_areas import READY_AREAS
from nuvett.core.look.trim import Trim
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.look.words import HELD_VALUES, MOVE_VALUES, point_words
from nuvett.core.planning.nearer import has_both
from nuvett.core.steps.curve import CHANNELS
from nuvett.core.steps.hues import hue_colour, hue_word
from nuvett.core.steps.moves import MoveStep, Pin
from nuvett.core.steps.step import Step, colour_word
from nuvett.core.types import OKLab
from nuvett.web.context import TEMPLATES
from nuvett.web.views.instruments import hexes

_BAR = 40  # pieces that a wash is drawn in
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
    """One step on a sheet; `path` is where it stands in the document. One that `waits` does so for a target."""

    name: str
    path: str
    title: str
    place: int
    on: bool
    idle: bool
    waits: bool
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


def pieces(model: BaseModel, sentence: str, prefix: str) -> list[Piece]:
    """A sentence about a model, cut at the names in braces; `prefix` is where the model stands in its document."""
    numbers, choices = numbers_of(type(model)), choices_of(type(model))
    found = []
    for index, text in enumerate(_FIELD.split(sentence)):
        if index % 2 == 0:
            found.append(Piece(text=text))
        else:
            value = getattr(model, text)
            found.append(Piece(path=f"{prefix}{text}", value=value, number=numbers.get(text), choice=choices.get(text)))
    return [piece for piece in found if piece.text or piece.path]


def _view(step: Step, place: int, prefix: str, aimed: bool) -> StepView:
    path = f"{prefix}{step.name}"
    waits = not step.is_idle and not step.acts(aimed)
    return StepView(
        name=step.name,
        path=path,
        title=step.title,
        place=place,
        on=step.on,
        idle=step.is_idle or waits,
        waits=waits,
        sentence=pieces(step, step.sentence, f"{path}."),
        more=[pieces(step, sentence, f"{path}.") for sentence in step.more],
        instrument=step.instrument or "",
        special=step.name in _SPECIAL,
    )


def hued(hue: float) -> Coloured:
    """A hue as a colour of middling lightness and chroma."""
    lightness, a, b = (float(v) for v in hue_colour(hue))
    return Coloured(hue_word(hue), coloured((lightness, a, b)).hex, (lightness, a, b))


@dataclass(frozen=True)
class OfferedStep:
    """A step that is not on the sheet, to be brought in."""

    path: str
    title: str
    place: int


@dataclass(frozen=True)
class Scope:
    """Steps that act together: everywhere, or in one area.

    prefix : where they stand in the document; where : group or layer of the plan that they act in
    own : what holds them, as plain values
    idle : steps that do nothing; waiting : those that wait for a target
    brought : names of those that were brought in; words : of the colours they hold
    """

    prefix: str
    where: str
    own: dict[str, Any]
    steps: list[StepView]
    idle: list[OfferedStep]
    waiting: list[OfferedStep]
    brought: frozenset[str]
    words: dict[str, Any]


@dataclass(frozen=True)
class PartView:
    """One part of an area."""

    path: str
    words: str
    inverted: bool
    join: list[Piece]
    sentence: list[Piece]


@dataclass(frozen=True)
class AreaView:
    """One area on a sheet: its steps, and where it is.

    whole : how much of it and of the look is taken; brushed : whether strokes can be laid down in it
    """

    index: int
    title: str
    name: str
    words: str
    on: bool
    edges: bool
    scope: Scope
    parts: list[PartView]
    whole: list[Piece]
    brushed: bool
    travels: bool
    toward: list[Piece]
    aim: str


_STRAIGHT = "Straightened by {straighten}, verticals {vertical}, horizontals {horizontal}"


@dataclass(frozen=True)
class GeometryView:
    """The geometry of a trim: its numbers in a sentence, its proportion, and what it does in words."""

    sentence: list[Piece]
    proportion: str
    proportions: dict[str, str]
    words: list[str]
    cut: bool


def _geometry(geometry: Geometry) -> GeometryView:
    return GeometryView(
        sentence=pieces(geometry, _STRAIGHT, "geometry."),
        proportion=geometry.proportion,
        proportions=PROPORTIONS,
        words=geometry_words(geometry),
        cut=geometry.cut is not None or geometry.proportion != "shot",
    )


def _scope(document: WithSteps, prefix: str, where: str, aimed: bool) -> Scope:
    places = {kind.name: place for place, kind in enumerate(document.kinds, start=1)}
    views = [_view(step, places[step.name], prefix, aimed) for step in document.steps]
    held = {view.name for view in views}
    absent = [OfferedStep(f"{prefix}{k.name}", k.title, places[k.name]) for k in document.kinds if k.name not in held]
    idle = [OfferedStep(v.path, v.title, v.place) for v in views if v.idle and not v.waits]
    return Scope(
        prefix=prefix,
        where=where,
        own=document.model_dump(mode="json"),
        steps=views,
        idle=sorted([*idle, *absent], key=lambda step: step.place),
        waiting=[OfferedStep(v.path, v.title, v.place) for v in views if v.waits],
        brought=frozenset(held if absent else ()),
        words=_words(document),
    )


_WHOLE = "Opacity {density}, feather {softness}"
_TAKES = "takes {strength} of the look"


def _area(own: Local, index: int, group: str, aimed: bool) -> AreaView:
    prefix = f"areas.{index}."
    parts = [
        PartView(
            path=(path := f"{prefix}area.parts.{place}"),
            words=part.words,
            inverted=part.inverted,
            join=pieces(part, "{join}", f"{path}.") if place else [],
            sentence=pieces(part, part.sentence, f"{path}."),
        )
        for place, part in enumerate(own.area.parts)
    ]
    whole = [*pieces(own.area, _WHOLE, f"{prefix}area."), Piece("; "), *pieces(own, _TAKES, prefix)]
    return AreaView(
        index=index,
        title=own.title,
        name=own.name,
        words=area_words(own.area),
        on=own.on,
        edges=own.area.edges,
        scope=_scope(own, prefix, f"{group}.{index}", aimed),
        parts=parts,
        whole=whole,
        travels=own.area.travels,
        brushed=own.area.brushed,
        toward=pieces(own, "{toward}", prefix),
        aim=own.aim,
    )


def _common(document: Look | Trim) -> list[Piece]:
    """What all trims begin from, where that is something."""
    if not isinstance(document, Look) or document.common.is_none:
        return []
    held = [name for name in COMMON_VALUES if getattr(document.common, name)]
    sentence = ", ".join(f"{COMMON_VALUES[name].label.removesuffix(' in common').lower()} {{{name}}}" for name in held)
    return pieces(document.common, sentence, "common.")


def _way(document: Look | Trim, aimed: bool) -> list[Piece]:
    """In which way a look arrives, where it has steps made by hand beside a target."""
    if not isinstance(document, Look) or not aimed or not (has_both(document) or document.way != "fit"):
        return []
    return pieces(document, "{way}", "")


def sheet_of(
    document: Look | Trim, aimed: bool = True, area_kinds: tuple[type[AreaPart], ...] = AREA_KINDS
) -> dict[str, Any]:
    """Values of a sheet: its steps everywhere and in areas, and what the special controls of steps need.

    aimed : whether there is a target; steps that need one wait otherwise
    """
    by_hand = [kind for kind in area_kinds if kind.begins != "grown"]
    offered = [kind for kind in by_hand if kind.travels or isinstance(document, Trim)]
    group = "look" if isinstance(document, Look) else "trim"
    return {
        "document": document.model_dump(mode="json"),
        "group": group,
        "everywhere": _scope(document, "", group, aimed),
        "areas": [_area(own, index, group, aimed) for index, own in enumerate(document.areas)],
        "geometry": _geometry(document.geometry) if isinstance(document, Trim) else None,
        "spot_values": numbers_of(Spot),
        "common_pieces": _common(document),
        "way_pieces": _way(document, aimed),
        "seen_pieces": pieces(document, "{seen}", "") if isinstance(document, Look) and aimed else [],
        "area_kinds": {kind_name(kind): kind for kind in offered},
        "area_facts": {kind_name(k): {"edges": k.edges, "outline": k.outline, "begins": k.begins} for k in area_kinds},
        "most_areas": MAX_AREAS,
        "ready_areas": [(words, own.local.model_dump(mode="json"), own.flow) for words, own in READY_AREAS.items()],
        "brush": Stroke(points=((0.5, 0.5, 1),)),
        "brush_values": numbers_of(Stroke),
        "numbers": numbers_of(type(document)),
        "move_values": MOVE_VALUES,
        "held_values": HELD_VALUES,
        "grey_values": numbers_of(GreyHue),
        "band_values": numbers_of(HueBand),
        "wash_values": numbers_of(WashLayer),
        "stop_values": numbers_of(WashStop),
        "wash_modes": tuple(MODES),
        "most_washes": MAX_LAYERS,
        "pin_amount": numbers_of(Pin)["amount"],
        "point_values": {name: point_words(name) for name in CHANNELS},
        "channels": CHANNELS,
    }


def _moved(moves: MoveStep) -> list[tuple[Coloured | None, Coloured, Coloured]]:
    """Moves by hand: the colour as it came where that is known, as it comes to the step, and where it lands."""
    ends = ((float(lightness), float(a), float(b)) for lightness, a, b in landings(moves.own, moves.part))
    return [
        (coloured(own.came) if own.came else None, coloured(own.source), coloured(end))
        for own, end in zip(moves.own, ends, strict=True)
    ]


@dataclass(frozen=True)
class StopView:
    """A stop of a wash: where it lies on the bar, 0 to 100, its L*, and its colour."""

    x: float
    at: float
    hex: str
    name: str


@dataclass(frozen=True)
class WashView:
    """A wash as it is laid, from black to white, and its stops."""

    bar: list[str]
    stops: list[StopView]


def _wash_view(layer: WashLayer) -> WashView:
    plain = layer.model_copy(update={"reversed": False})
    bar = hexes(plain.colour_at(np.linspace(0, 100, _BAR, dtype=np.float32)))
    found = [coloured(stop.colour) for stop in layer.stops]
    stops = [StopView(stop.at, stop.at, own.hex, own.name) for stop, own in zip(layer.stops, found, strict=True)]
    return WashView(bar, stops)


def _words(document: WithSteps) -> dict[str, Any]:
    """Names of the colours that steps hold."""
    steps: dict[str, Any] = {step.name: step for step in document.steps}
    moves, hold, mono, hues, wash = (steps.get(name) for name in ("moves", "hold", "mono", "hues", "wash"))
    return {
        "own_words": _moved(moves) if moves else [],
        "pin_words": [(coloured(p.source), coloured(p.to) if p.to else None) for p in moves.pins] if moves else [],
        "grey_words": [hued(grey.hue) for grey in mono.hues] if mono else [],
        "band_words": [hued(band.hue) for band in hues.bands] if hues else [],
        "wash_words": [_wash_view(layer) for layer in wash.layers] if wash else [],
        "held_words": [coloured(family.family.colour) for family in hold.families] if hold else [],
    }
