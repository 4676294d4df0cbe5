"""Readings: what was sampled from one reference, and their blend into a target."""

from typing import Literal

import numpy as np
from pydantic import Field

from nuvett.core.errors import TargetError
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.sliced import barycentre
from nuvett.core.measure.statistics import (
    CLOUD_SIZE,
    PROBABILITIES,
    Statistics,
    interpolate_zones,
    measure,
    quantiles_of,
    thin,
)
from nuvett.core.reading.palette import LARGEST, USUAL, Edits, Held, Palette, find_palette
from nuvett.core.reading.points import ZONES, PlacedPoint, lean_zones, placed_point, propose_points
from nuvett.core.reading.regions import Sampling, on_white_paper, sampling_weights
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Document, Floats, Linear, OKLab

_OPPOSED = 0.7  # share of their own chroma that readings keep together, below which they work against each other


class Reading(Document):
    """What was sampled from one reference.

    share : part of the picture's pixels that was sampled, 0 to 1
    points : for shadow, midtone and highlight, placed or proposed, then free ones
    """

    schema_version: Literal[1] = 1
    sampling: Sampling
    share: float
    palette: Palette
    points: tuple[PlacedPoint, ...] = ()
    statistics: Statistics


class Weighed(Document):
    """A reading and its weights in a target, each 0 or more: for tone and for colour separately.

    key, name : of its reference, by which set-ups can aim at it alone
    """

    reading: Reading
    key: str = ""
    name: str = ""
    tone: float = Field(ge=0)
    colour: float = Field(ge=0)


class Single(Document):
    """A reading by itself, for set-ups that aim at it alone, or a named part; fields as a target has them."""

    key: str
    name: str = ""
    palette: Palette
    statistics: Statistics
    edits: Edits = Edits()


class Target(Document):
    """The blend of readings that a series must arrive at.

    edits : palette colours that were decided on by hand in any of the readings
    each : the readings by themselves, where there are several
    parts : of references, named by a person, that areas can be brought to
    """

    schema_version: Literal[1] = 1
    palette: Palette
    statistics: Statistics
    edits: Edits = Edits()
    each: tuple[Single, ...] = ()
    parts: tuple[Single, ...] = ()

    def alone(self, key: str) -> "Target":
        """The target that one of its readings is by itself; the whole of it for a key that is not there."""
        found = next((one for one in self.each if one.key == key), None)
        if found is None:
            return self
        return Target(palette=found.palette, statistics=found.statistics, edits=found.edits, parts=self.parts)


_KINDS = ("shadow", "midtone", "highlight", "free")


def read(proxy: Linear, sampling: Sampling | None = None) -> Reading:
    """Read a reference from its proxy (H, W, 3) linear. Raises TooFewPixelsError when too little is sampled.

    Points placed by hand speak for their zones: the zone leans to the colour found there. Free points are colours
    of the palette.
    """
    sampling = sampling or Sampling()
    weights = sampling_weights(proxy, sampling)
    proxy = on_white_paper(proxy, sampling)
    lab = linear_to_oklab(stratified_sample(proxy, weights))
    placed = [placed_point(proxy, point, placed=True) for point in sampling.points]
    plain = zone_colours(measure(lab))
    leans: dict[str, Floats] = {
        p.point.kind: p.lab[1:] - plain[p.point.kind][1:] for p in placed if p.point.kind != "free"
    }
    lab = lean_zones(lab, leans)
    missing = {kind: colour for kind, colour in plain.items() if kind not in leans}
    proposed = [placed_point(proxy, point, placed=False) for point in propose_points(proxy, weights, missing)]
    edits = with_points(sampling.edits, [p.lab for p in placed if p.point.kind == "free"])
    return Reading(
        sampling=sampling,
        share=float(weights.mean()),
        palette=find_palette(lab, sampling.colours, edits=edits, accents=True),
        points=tuple(sorted([*proposed, *placed], key=lambda p: _KINDS.index(p.point.kind))),
        statistics=measure(lab),
    )


def with_points(edits: Edits, colours: list[OKLab]) -> Edits:
    """Edits with further colours (3,) held, as many as a palette takes."""
    found = [Held(colour=(c := (float(v[0]), float(v[1]), float(v[2]))), stands_for=c) for v in colours]
    return edits.model_copy(update={"held": (*edits.held, *found)[:LARGEST]})


def zone_colours(statistics: Statistics) -> dict[str, OKLab]:
    """Mean OKLab colour (3,) of shadows, midtones and highlights."""
    found: dict[str, OKLab] = {}
    for name, (low, high) in ZONES.items():
        grid = np.linspace(low, high, 33)
        lightness = np.interp(grid, PROBABILITIES, statistics.lightness).astype(np.float32)
        tint = interpolate_zones(statistics.zone_tint, lightness).mean(axis=0)
        found[name] = OKLab(np.array([lightness.mean(), *tint], dtype=np.float32))
    return found


def opposing_words(weighed: list[Weighed], target: Target) -> str:
    """What is said where readings pull against each other, so that their blend is duller than they are; else nothing.

    Teal shadows and amber ones have grey in their middle, which nobody chose.
    """
    coloured = [w for w in weighed if w.colour > 0]
    own = sum(w.colour * _chroma_of(w.reading.statistics) for w in coloured)
    if len(coloured) < 2 or own <= 0:
        return ""
    kept = _chroma_of(target.statistics) * sum(w.colour for w in coloured) / own
    if kept >= _OPPOSED:
        return ""
    return (
        f"The colours of these stills work against each other: together they keep {100 * kept:.0f} % of their chroma. "
        "Weigh one of them for colour, and another for tone."
    )


def _chroma_of(statistics: Statistics) -> float:
    """Root mean square of the chroma of what was measured."""
    return float(np.sqrt((np.asarray(statistics.cloud)[:, 1:] ** 2).sum(axis=1).mean()))


def blend(weighed: list[Weighed], colours: int = USUAL, most: int = CLOUD_SIZE) -> Target:
    """Target of weighed readings. Raises TargetError without any weight.

    Tone is the weighted mean of lightness quantile functions, the exact barycentre in one dimension (Agueh and
    Carlier 2011); colour is a barycentre of the clouds. A single reading is taken as it is.

    most : colours of the blended cloud; fewer are quicker, to be looked at while weighing
    """
    tone = sum(w.tone for w in weighed)
    colour = sum(w.colour for w in weighed)
    if tone <= 0 or colour <= 0:
        raise TargetError
    active = [w for w in weighed if w.tone > 0 or w.colour > 0]
    if len(active) == 1:
        only = active[0].reading
        return Target(palette=only.palette, statistics=only.statistics, edits=_edits_of(only), each=_singles(weighed))
    lightness = sum(np.asarray(w.reading.statistics.lightness) * np.float32(w.tone / tone) for w in active)
    coloured = [w for w in active if w.colour > 0]
    cloud = barycentre(
        [OKLab(thin(w.reading.statistics.cloud, most)) for w in coloured], [w.colour / colour for w in coloured]
    )
    rank = np.interp(cloud[:, 0], quantiles_of(cloud[:, 0]), PROBABILITIES)
    cloud[:, 0] = np.interp(rank, PROBABILITIES, np.asarray(lightness))
    statistics = measure(cloud).model_copy(update={"lightness": np.asarray(lightness, dtype=np.float32)})
    held = tuple(h for w in coloured for h in _edits_of(w.reading).held)[:LARGEST]
    dropped = tuple(d for w in coloured for d in w.reading.sampling.edits.dropped)[:LARGEST]
    edits = Edits(held=held, dropped=dropped)
    return Target(
        palette=find_palette(cloud, max(colours, len(held)), edits=edits, accents=True),
        statistics=statistics,
        edits=edits,
        each=_singles(weighed),
    )


def _singles(weighed: list[Weighed]) -> tuple[Single, ...]:
    """Readings by themselves, where there are several that can be told apart."""
    named = [w for w in weighed if w.key]
    if len(named) < 2:
        return ()
    return tuple(
        Single(
            key=w.key,
            name=w.name,
            palette=w.reading.palette,
            statistics=w.reading.statistics,
            edits=_edits_of(w.reading),
        )
        for w in named
    )


def _edits_of(reading: Reading) -> Edits:
    return with_points(reading.sampling.edits, [p.lab for p in reading.points if p.point.kind == "free"])
