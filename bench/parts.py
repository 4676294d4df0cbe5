"""Part to part: walls and tables of the demo brought to patches of its stills, and what that costs."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

import numpy as np

from bench.pictures import stills
from bench.report import Table
from bench.things import Frame, frames
from nuvett.core.area.area import Area
from nuvett.core.area.colour import ColourPart
from nuvett.core.area.weights import weigh
from nuvett.core.drawing.weighing import scene_of
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import in_layers
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.planning.framed import weights_at
from nuvett.core.planning.part_to_part import statistics_inside
from nuvett.core.planning.planning import Fitting, aim_of, look_plan
from nuvett.core.reading.reading import Reading, Single, Target, read
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.types import Linear, Mask01, OKLab

_T = TypeVar("_T")
_PATCHES = ((0, (0, 0, 0.4, 0.5)), (1, (0.3, 0, 0.6, 0.4)), (2, (0.5, 0.1, 0.4, 0.4)), (1, (0.1, 0.6, 0.5, 0.35)))
_THINGS = ("bench/back", "table/back", "shelf/back", "window/left", "breakfast/table", "tiles/table", "table/table")
_EVERY, _WITHIN, _MIN, _TIMES = 3, 0.9, 40, 5


@dataclass(frozen=True)
class _Case:
    """A frame with an area of one thing: weights (N,) at its sample's places."""

    frame: Frame
    area: Area
    weights: Mask01


def _cases() -> list[_Case]:
    found = []
    for frame in frames()[::_EVERY]:
        thing = next((name for name in _THINGS if name in frame.things), None)
        if thing is None:
            continue
        middle = linear_to_oklab(Linear(np.median(frame.things[thing], axis=0, keepdims=True)))[0]
        picked = ColourPart(colour=(float(middle[0]), float(middle[1]), float(middle[2])), tolerance=25)
        area = Area(parts=(picked,), edges=True)
        pixels = (from_linear(frame.proxy).clip(0, 1) * 255).astype(np.uint8)
        height, width = pixels.shape[:2]
        plan = FramePlan(layers=(Layer(area=area),))
        scene = scene_of(partial(_same, pixels), (width, height), Space.SRGB, plan)
        weights = weigh(area, scene)
        found.append(_Case(frame, area, weights_at((weights,), frame.sample)[0]))
    return found


def _same(value: _T) -> _T:
    return value


def _fitting(case: _Case, part: Reading, brought: bool) -> Fitting:
    single = Single(key="part", palette=part.palette, statistics=part.statistics)
    target = Target(palette=part.palette, statistics=part.statistics, parts=(single,))
    bare = Look.of(*(kind(on=False) for kind in Look.kinds), vivid=0)
    look = bare.model_copy(update={"areas": (Local(area=case.area, aim="part"),) if brought else ()})
    colours = case.frame.sample.colours
    own = measure(linear_to_oklab(colours))
    return Fitting(own, aim_of(target), look, inside=lambda _: statistics_inside(colours, case.weights))


def _milliseconds(work: Callable[[], object]) -> float:
    taken = []
    for _ in range(_TIMES):
        start = time.perf_counter()
        work()
        taken.append(1000 * (time.perf_counter() - start))
    return float(np.median(taken))


def run() -> list[Table]:
    """How near areas come to their parts, how far what lies around moves, and what planning them costs."""
    stilled, apart, around, costs = stills(), [], [], []
    parts = [read(stilled[i].proxy, Sampling(patches=(Patch.rectangle(*box),))) for i, box in _PATCHES]
    for case in _cases():
        colours = case.frame.sample.colours
        inside, outside = case.weights > _WITHIN, case.weights <= 0
        for part in parts:
            fittings = [_fitting(case, part, brought) for brought in (True, False)]
            made = to_linear(in_layers(look_plan(fittings[0]), colours, (case.weights,)))
            if inside.sum() >= _MIN:
                middle = np.median(linear_to_oklab(made)[inside], axis=0, keepdims=True)
                goal = np.median(np.asarray(part.statistics.cloud), axis=0, keepdims=True)
                apart.append(float(difference(oklab_to_linear(OKLab(middle)), oklab_to_linear(OKLab(goal)))[0]))
            if outside.sum() >= _MIN:
                around.append(float(difference(Linear(made[outside]), Linear(colours[outside])).mean()))
            with_it, without = (_milliseconds(partial(look_plan, fitting)) for fitting in fittings)
            costs.append(with_it - without)
    table = Table(
        "Areas brought to a part of another picture: CIEDE2000 of the middle of the area to that of the part; how far "
        "what lies beyond the soft edge moves; ms that a frame's planning takes longer",
        ("", "median", "90 %", "most"),
    )
    for name, values in (("area to part", apart), ("around it", around), ("ms", costs)):
        table.add(name, *(round(float(v), 2) for v in (np.median(values), np.quantile(values, 0.9), np.max(values))))
    return [table]


if __name__ == "__main__":
    print(run()[0].text())
