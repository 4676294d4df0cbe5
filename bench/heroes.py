"""Heroes finished by hand, carried to their series: by the same steps, toward the same result, and by both.

Two distances to the finished hero: of the things that a frame shares with it, which the steps should bring near, and of
the frame as a whole, which the result should. People of different scenes are not one thing.
"""

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from bench.even import VIEWPOINTS
from bench.pictures import PROJECT, load, manifest
from bench.report import Table
from bench.things import Frame, median_colour, things_in
from bench.things import frames as demo_frames
from nuvett.core.drift.drift import Yardstick, distance
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.shared import Seen
from nuvett.core.look.look import Look
from nuvett.core.look.ways import Way
from nuvett.core.measure.sampling import placed_sample
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.nearer import propose
from nuvett.core.planning.planning import aim_of
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, even_series
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.registration.features import find_features
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Linear, OKLab
from nuvett.imaging.faces import find_faces
from nuvett.imaging.proxy import measuring_proxy

PEOPLE = ("potter_", "hand")
_ENOUGH, _NEARLY = 5, 0.5  # things that tell which way is nearest; of distance, within which two ways are as near
WAYS = ("steps, light as it came", "steps", "result", "both")


@dataclass(frozen=True)
class Series:
    """Frames with their things, their scenes, and the words of their set-ups."""

    frames: list[Frame]
    scenes: list[str]


@cache
def series(name: str) -> Series:
    """The demo, or the series of changed viewpoints."""
    if name == "demo":
        return Series(demo_frames(), [entry["scene"] for entry in manifest()["frames"]])
    entries = json.loads((VIEWPOINTS / "manifest.json").read_text())["frames"]
    names = json.loads((VIEWPOINTS / "things" / "things.json").read_text())
    setups = list(dict.fromkeys(entry["set_up"] for entry in entries))
    found = []
    for entry in entries:
        own = Path(entry["file"]).stem
        proxy = measuring_proxy(load(VIEWPOINTS / entry["file"]), Space.SRGB)
        sample = placed_sample(proxy)
        things = things_in(VIEWPOINTS / "things" / f"{own}.png", proxy, names[own])
        seen = Seen(sample.colours, find_features(proxy))
        number = setups.index(entry["set_up"])
        found.append(Frame(own, number, proxy, sample, seen, find_faces(proxy), things))
    return Series(found, [entry["scene"] for entry in entries])


@cache
def heroes() -> list[dict[str, Any]]:
    """Heroes: a series, a frame of it, what it is meant to be in words, and the look that it was finished by."""
    found: list[dict[str, Any]] = json.loads((PROJECT / "bench" / "heroes.json").read_text())
    return found


def shared_things(one: Series, hero: int, other: int) -> list[str]:
    """Things that are seen in both of two frames."""
    first, second = one.frames[hero], one.frames[other]
    alike = one.scenes[hero] == one.scenes[other]
    both = [name for name in first.things if name in second.things]
    return [name for name in both if alike or not any(word in name for word in PEOPLE)]


@dataclass(frozen=True)
class Carried:
    """How far frames lie from the finished hero: by frame, their set-up, shared things, and the whole."""

    setups: list[int]
    things: list[list[float]]
    whole: list[float]


def finished_colours(plan: FramePlan, linear: Linear) -> Linear:
    """Linear colours (N, 3) as they will be seen after a plan."""
    return Linear(map_to_gamut(apply_plan(plan, Linear(linear.reshape(-1, 3)))))


@dataclass(frozen=True)
class Trial:
    """One hero in its series, evened; how it was finished and what it is then."""

    of: Series
    hero: int
    by_hand: Look
    lights: list[EvenLight]
    finished: FramePlan

    @classmethod
    def begin(cls, document: dict[str, Any]) -> "Trial":
        """A hero of the list, finished."""
        of = series(document["series"])
        hero = next(i for i, frame in enumerate(of.frames) if frame.name == document["frame"])
        setups = [frame.setup for frame in of.frames]
        lights = even_series([frame.seen for frame in of.frames], setups, hero)
        by_hand = Look.model_validate(document["look"])
        measured = [Measured(f.sample, light, f.setup) for f, light in zip(of.frames, lights, strict=True)]
        run = SeriesRun(Pools.of(measured, by_hand), None, by_hand)
        return cls(of, hero, by_hand, lights, run.plan(hero, Own(lights[hero])))

    @property
    def goal(self) -> OKLab:
        """The finished hero's colours (N, 3)."""
        sample = self.of.frames[self.hero].sample
        return linear_to_oklab(finished_colours(self.finished, sample.thinned(2048).colours))

    def carried(self, way: str) -> Carried:
        """The hero's look carried in a way."""
        frames, hero = self.of.frames, self.of.frames[self.hero]
        lights = [EvenLight()] * len(frames) if way == WAYS[0] else self.lights
        proxy = Linear(finished_colours(self.finished, hero.proxy).reshape(hero.proxy.shape).astype(np.float32))
        aim = aim_of(blend([Weighed(reading=read(proxy), tone=1, colour=1)]))
        look = self.by_hand.model_copy(update={"way": "steps" if way == WAYS[0] else way})
        measured = [Measured(f.sample, light, f.setup) for f, light in zip(frames, lights, strict=True)]
        run = SeriesRun(Pools.of(measured, look), aim, look)
        things: list[list[float]] = []
        whole, yardstick = [], Yardstick.of(self.goal)
        others = [place for place in range(len(frames)) if place != self.hero]
        for place in others:
            plan, frame = run.plan(place, Own(lights[place])), frames[place]
            names = shared_things(self.of, self.hero, place)
            things.append([self._apart(plan, frame.things[name], name) for name in names])
            made = linear_to_oklab(finished_colours(plan, frame.sample.thinned(2048).colours))
            whole.append(distance(made, yardstick))
        return Carried([frames[place].setup for place in others], things, whole)

    def _apart(self, plan: FramePlan, pixels: Linear, name: str) -> float:
        here = finished_colours(plan, median_colour(pixels))
        there = finished_colours(self.finished, median_colour(self.of.frames[self.hero].things[name]))
        return float(difference(here, there)[0])


def _mean(values: list[list[float]]) -> float:
    return float(np.mean([v for own in values for v in own]))


def _in(setup: int, carried: Carried) -> tuple[list[list[float]], float]:
    """Distances of shared things and of the whole, in one set-up."""
    at = [place for place, own in enumerate(carried.setups) if own == setup]
    return [carried.things[place] for place in at], float(np.mean([carried.whole[place] for place in at]))


@dataclass
class Proposals:
    """How often the way that is proposed for a set-up is the nearest to the hero, by things and whole together."""

    nearest: int = 0
    nearly: int = 0
    setups: int = 0

    def judge(self, trial: Trial, made: dict[Way, Carried]) -> None:
        """Count the set-ups of one hero in which enough is shared to tell."""
        own = trial.of.frames[trial.hero].setup
        for setup in sorted(set(made["both"].setups)):
            found = {way: _in(setup, carried) for way, carried in made.items()}
            if sum(len(things) for things in found["both"][0]) < _ENOUGH:
                continue
            apart = {way: _mean(things) + whole for way, (things, whole) in found.items()}
            way, _ = propose({name: whole for name, (_, whole) in found.items()}, setup == own)
            self.setups += 1
            self.nearest += apart[way] == min(apart.values())
            self.nearly += apart[way] <= min(apart.values()) + _NEARLY


def run() -> list[Table]:
    """Distances to the finished hero, hero by hero and in the middle of all; and what is proposed."""
    things_of, whole_of = ([f"{way}: {what}" for way in WAYS] for what in ("things", "whole"))
    table = Table(
        "Heroes finished by hand, carried in four ways: CIEDE2000 of things shared with the finished hero (mean), and "
        "drift of whole frames from it (mean); shares are of both to the steps on light as it came",
        ("hero", *things_of, *whole_of, "share, things", "median thing", "share, whole"),
    )
    shares, proposals = [], Proposals()
    for document in heroes():
        trial = Trial.begin(document)
        made = {way: trial.carried(way) for way in WAYS}
        things, whole = [_mean(one.things) for one in made.values()], [float(np.mean(m.whole)) for m in made.values()]
        middles = [float(np.median([v for own in one.things for v in own])) for one in made.values()]
        shares.append((things[3] / things[0], middles[3] / middles[0], whole[3] / whole[0]))
        table.add(f"{document['frame']}: {document['words']}", *(round(v, 2) for v in (*things, *whole, *shares[-1])))
        ways: dict[Way, Carried] = {"steps": made["steps"], "result": made["result"], "both": made["both"]}
        proposals.judge(trial, ways)
    table.add("mean", *[""] * 8, *(round(float(v), 2) for v in np.mean(shares, axis=0)))
    proposed = Table(
        "The way proposed for a set-up, toward the same heroes: nearest to the hero by things and whole together",
        ("set-ups", "nearest", f"within {_NEARLY:g} of the nearest"),
    )
    proposed.add(proposals.setups, proposals.nearest, proposals.nearly)
    return [table, proposed]


if __name__ == "__main__":
    print(*(table.text() for table in run()), sep="\n")
