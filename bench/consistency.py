"""Consistency of things: how far the same thing differs in colour from frame to frame, by each way of carrying."""

from collections import defaultdict
from collections.abc import Callable

import numpy as np

from bench.baselines import METHODS
from bench.pictures import stills
from bench.report import Table
from bench.things import Frame, frames, median_colour
from nuvett.core.look.look import Look
from nuvett.core.plan.apply import apply_plan
from nuvett.core.planning.planning import aim_of, evened
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, even_series
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.types import CIELab, Linear

PULLS = (0, 60, 100)
Way = Callable[[int, Linear], Linear]
"""From a frame's number and colours (N, 3) to their colours as carried."""


def _spread(shown: list[Frame], way: Way, within: bool) -> float:
    """Mean CIEDE2000 of things' median colours in their frames to their mean, inside set-ups or across all."""
    seen: dict[object, list[Linear]] = defaultdict(list)
    for index, frame in enumerate(shown):
        for thing, pixels in frame.things.items():
            key = (frame.setup, thing) if within else thing
            seen[key].append(way(index, median_colour(pixels)))
    found = []
    for colours in seen.values():
        if len(colours) > 1:
            every = linear_to_cielab(Linear(np.concatenate(colours)))
            found.append(float(ciede2000(every, CIELab(np.broadcast_to(every.mean(axis=0), every.shape))).mean()))
    return float(np.mean(found))


def run() -> list[Table]:
    """As they came, evened, and carried to the first still in several ways; the truth pictures beside."""
    shown, truth = frames(), frames(truth=True)
    lights = even_series([frame.seen for frame in shown], [frame.setup for frame in shown])
    still = stills()[0]
    aim = aim_of(blend([Weighed(reading=read(still.proxy), tone=1, colour=1)]))
    target = still.thumbnail.reshape(-1, 3)

    def by_method(name: str) -> Way:
        return lambda i, colours: _beside(METHODS[name], shown[i].seen.sample, Linear(target), colours)

    ways: dict[str, tuple[list[Frame], Way]] = {
        "the truth pictures": (truth, lambda i, colours: colours),
        "as they came": (shown, lambda i, colours: colours),
        "evened": (shown, lambda i, colours: evened(colours, lights[i], Look())),
        "mean and deviation": (shown, by_method("mean and deviation")),
    }
    for pull in PULLS:
        look = Look(pull=pull)
        pools = Pools.of([Measured(f.sample, e, f.setup) for f, e in zip(shown, lights, strict=True)], look)

        def ours(i: int, colours: Linear, look: Look = look, pools: Pools = pools) -> Linear:
            return Linear(map_to_gamut(apply_plan(SeriesRun(pools, aim, look).plan(i, Own(lights[i])), colours)))

        ways[f"Nuvett, pull {pull}"] = (shown, ours)
    table = Table("Spread of things over frames", ("way of carrying", "inside set-ups", "across set-ups"))
    for name, (which, way) in ways.items():
        table.add(name, round(_spread(which, way, True), 2), round(_spread(which, way, False), 2))
    return [table]


def _beside(method: Callable[[Linear, Linear], Linear], sample: Linear, target: Linear, colours: Linear) -> Linear:
    """Colours (N, 3) carried by a method that works on whole clouds: put into the frame's sample and taken out."""
    whole = method(Linear(np.concatenate([sample, colours])), target)
    return Linear(np.clip(whole[len(sample) :], 0, 1))
