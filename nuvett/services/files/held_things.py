"""Things held in photo files: pointed at in some, found in others, witnesses of their light, and brought together."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from nuvett.core.drawing.renderer import in_floats
from nuvett.core.errors import InvalidChangeError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.shared import Seen
from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.series import finished_cloud
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.thread.cells import Described
from nuvett.core.thread.colours import Goal, distance, goals
from nuvett.core.thread.following import SURE, Known, region_of, surest
from nuvett.core.thread.given import parse_given
from nuvett.core.thread.growth import EDGE, Mask, Pointed, grown
from nuvett.core.thread.holding import Anchor, held_moves, with_moves
from nuvett.core.thread.places import colour_under, colours_in, outline_of
from nuvett.core.types import Linear, OKLab
from nuvett.imaging.decode import decode
from nuvett.imaging.descriptors import describe, in_cells
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import within_edge
from nuvett.imaging.views import decode_view, encoded_view
from nuvett.services.files.batch import Photo

_MEASURED = 1280  # pixels of the long edge that colours are measured in
Place = tuple[float, float]


@dataclass(frozen=True)
class Thing:
    """A thing to be held within so many CIEDE2000 of what it should be, pointed at in photos by the names of files."""

    name: str
    places: Mapping[str, Place]
    goal: Goal
    within: float


def parse_things(values: Sequence[str], within: float) -> tuple[Thing, ...]:
    """Things of `NAME=FILE@X,Y`, once for each photo they are pointed at in, and `NAME=COLOUR` for what they should be.

    Raises InvalidChangeError for anything else, and for a thing that is pointed at nowhere.
    """
    places: dict[str, dict[str, Place]] = {}
    given: dict[str, Goal] = {}
    for value in values:
        name, _, rest = value.partition("=")
        file, at, where = rest.rpartition("@")
        if not name.strip() or not rest:
            raise InvalidChangeError(f"{value}: a thing is NAME=FILE@X,Y, or NAME=COLOUR for what it should be.")
        if at:
            places.setdefault(name, {})[Path(file).name] = _place(value, where)
        else:
            given[name] = Goal(kind="given", colour=parse_given(rest))
    for name in given:
        if name not in places:
            raise InvalidChangeError(f"{name} is pointed at in no photo: say {name}=FILE@X,Y as well.")
    return tuple(Thing(name, own, given.get(name, Goal(kind="frames")), within) for name, own in places.items())


def _place(value: str, where: str) -> Place:
    try:
        x, y = (float(part) for part in where.split(","))
    except ValueError:
        raise InvalidChangeError(f"{value}: a place is two numbers X,Y in shares of the picture, 0 to 1.") from None
    if not (0 <= x <= 1 and 0 <= y <= 1):
        raise InvalidChangeError(f"{value}: that place lies outside the picture.")
    return x, y


@dataclass(frozen=True)
class FoundThing:
    """A thing with its colours in the photos that show it, by their places among all."""

    thing: Thing
    colours: dict[int, Sample]


@dataclass(frozen=True)
class _Small:
    """A photo as things are looked for in it: linear (h, w, 3), and in cells."""

    picture: Linear
    described: Described

    @classmethod
    def of(cls, photo: Photo, light: EvenLight, limits: Limits) -> "_Small":
        picture = decode(photo.path, limits, None, photo.beside)
        view = decode_view(encoded_view(picture))
        linear = to_linear(in_floats(view), picture.domain)
        small = Linear(within_edge(linear, _MEASURED))
        return cls(small, in_cells(describe(view), small, light))

    def grow(self, place: Place, found: tuple[Mask, float] | None = None) -> Mask | None:
        """A thing's outline about a place (h, w); found : cells about which it is expected, and the share it covers."""
        colours = linear_to_oklab(Linear(within_edge(self.picture, EDGE)))
        outlines = grown(colours, (Pointed(*place),))
        if not outlines.masks:
            return None
        return outlines.masks[outlines.likeliest if found is None else outlines.about(*found)]

    def colours(self, mask: Mask) -> Sample:
        """Some colours inside an outline."""
        return colours_in(self.picture, outline_of(mask).mask((self.picture.shape[1], self.picture.shape[0])))


def find_things(
    things: Sequence[Thing], photos: Sequence[Photo], lights: Sequence[EvenLight], limits: Limits
) -> list[FoundThing]:
    """Things where they were pointed at, and where they are found for sure. Raises InvalidChangeError for no photo."""
    names = [photo.path.name for photo in photos]
    for thing in things:
        for name in set(thing.places) - set(names):
            raise InvalidChangeError(f"{thing.name}: there is no {name} among the photos.")
    pointed = sorted({names.index(name) for thing in things for name in thing.places})
    smalls = {index: _Small.of(photos[index], lights[index], limits) for index in pointed}
    known: list[list[Known]] = [[] for _ in things]
    found = [FoundThing(thing, {}) for thing in things]
    for index, small in smalls.items():
        for own, sources in zip(found, known, strict=True):
            place = own.thing.places.get(names[index])
            mask = small.grow(place) if place is not None else None
            if mask is not None:
                own.colours[index] = small.colours(mask)
                sources.append(Known(small.described, region_of(mask, small.described), float(mask.mean())))
    for index in range(len(photos)):
        small = smalls.get(index) or _Small.of(photos[index], lights[index], limits)
        for own, sources in zip(found, known, strict=True):
            if names[index] not in own.thing.places and (mask := _looked(small, sources)) is not None:
                own.colours[index] = small.colours(mask)
    return found


def _looked(small: _Small, sources: Sequence[Known]) -> Mask | None:
    best = surest(sources, small.described)
    if best is None or best[0].sure < SURE:
        return None
    candidate, share = best
    return small.grow(candidate.place, (candidate.cells, share))


def with_things(seen: Sequence[Seen], found: Sequence[FoundThing]) -> list[Seen]:
    """What evening needs of photos, with the things that are seen in several of them."""
    several = [own for own in found if len(own.colours) > 1]

    def things_in(index: int) -> dict[str, tuple[float, float, float]]:
        medians = {o.thing.name: np.median(o.colours[index].colours, axis=0) for o in several if index in o.colours}
        return {name: (float(r), float(g), float(b)) for name, (r, g, b) in medians.items()}

    return [replace(own, things=things_in(index)) for index, own in enumerate(seen)]


@dataclass(frozen=True)
class HeldThings:
    """Things of each photo with their colours (3,) under its plan, before they are held, and as they should be.

    colours : as they came, by thing and photo
    """

    seen: Mapping[int, list[tuple[Thing, OKLab, OKLab]]]
    colours: Mapping[tuple[str, int], Sample]

    def held(self, index: int, plan: FramePlan, sample: Sample, seeing: Seeing) -> FramePlan:
        """A photo's plan with its things held."""
        anchors = [Anchor(colour, goal, thing.within) for thing, colour, goal in self.seen.get(index, [])]
        return with_moves(plan, held_moves(anchors, finished_cloud(plan, sample, seeing))) if anchors else plan

    def report(self, index: int, plan: FramePlan, seeing: Seeing) -> dict[str, Any]:
        """How far each thing of a photo is from what it should be, before and under a plan that holds it."""
        told = {}
        for thing, before, goal in self.seen.get(index, []):
            after = colour_under(plan, self.colours[thing.name, index], seeing)
            if after is not None:
                told[thing.name] = {"off_before": _rounded(before, goal), "off_after": _rounded(after, goal)}
        return {"things": told} if told else {}


def _rounded(colour: OKLab, goal: OKLab) -> float:
    return round(distance(colour, goal), 2)


def held_in(
    found: Sequence[FoundThing], setups: Sequence[int], planned: Callable[[int], tuple[FramePlan, Seeing]]
) -> HeldThings:
    """Things under the plans of their photos, before they are held, with what they should be."""
    plans = {index: planned(index) for index in sorted({index for own in found for index in own.colours})}
    seen: dict[int, list[tuple[Thing, OKLab, OKLab]]] = {}
    for own in found:
        places = sorted(own.colours)
        colours = [colour_under(plans[i][0], own.colours[i], plans[i][1]) for i in places]
        wanted = goals(own.thing.goal, colours, [setups[i] for i in places], None)
        for index, colour, goal in zip(places, colours, wanted, strict=True):
            if colour is not None and goal is not None:
                seen.setdefault(index, []).append((own.thing, colour, goal))
    samples = {(own.thing.name, index): sample for own in found for index, sample in own.colours.items()}
    return HeldThings(seen, samples)
