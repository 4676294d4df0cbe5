"""Closeness and cleanness of transfer, ours and the published methods, on the same pictures."""

from collections.abc import Callable

import cv2
import numpy as np

from bench.baselines import METHODS
from bench.pictures import Named, photographs, rendered, stills
from bench.report import Table
from nuvett.core.drift.drift import Yardstick, distance
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import Statistics, measure
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.planning.warnings import newly_at_ends
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import from_linear
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.spread import SpreadStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.types import Linear

STAGES = Look.of(
    ToneStep(amount=100, steepest=2.6),
    ZoneStep(amount=100, whites=100),
    SpreadStep(amount=100),
    MoveStep(on=False),
    vivid=0,
)
FULL = STAGES.model_copy(update={"moves": MoveStep(amount=100)})
_FLAT = 0.01  # gradients of OKLab lightness below this say nothing about contrast
Method = Callable[[Linear, Linear], Linear]


def statistics_of(linear: Linear) -> Statistics:
    """What is measured of a picture's colours (N, 3)."""
    return measure(linear_to_oklab(stratified_sample(linear)))


def ours(look: Look) -> Method:
    """Our fit at a look's amounts, each frame by itself."""

    def transfer(source: Linear, target: Linear) -> Linear:
        return Linear(map_to_gamut(apply_plan(plan_for(source, target, look), source)))

    return transfer


def plan_for(source: Linear, target: Linear, look: Look) -> FramePlan:
    """Plan of one picture (N, 3) toward another (M, 3)."""
    return plan_frame(statistics_of(source), aim_of_statistics(statistics_of(target)), look)


def _gradient(linear: Linear) -> np.ndarray:
    lightness = cv2.GaussianBlur(linear_to_oklab(linear)[..., 0], (0, 0), 1.0)
    return np.asarray(np.hypot(cv2.Sobel(lightness, -1, 1, 0, scale=0.25), cv2.Sobel(lightness, -1, 0, 1, scale=0.25)))


def contrast_gain(before: Linear, after: Linear) -> float:
    """99th percentile of the local gain in lightness gradient, pictures (H, W, 3) linear."""
    first, second = _gradient(before), _gradient(after)
    telling = first > _FLAT
    return float(np.quantile(second[telling] / first[telling], 0.99))


def newly_clipped(before: Linear, after: Linear) -> float:
    """Share of pixels that became white in a channel, or black."""
    return sum(newly_at_ends(from_linear(before), from_linear(after)))


def compare(pictures: list[Named], title: str) -> Table:
    """Each method over all stills and pictures; means."""
    methods: dict[str, Method] = {**METHODS, "Nuvett, stages 1 to 3": ours(STAGES), "Nuvett, all stages": ours(FULL)}
    table = Table(title, ("method", "left over", "99th percentile gain", "newly clipped %"))
    results: dict[str, list[tuple[float, float, float]]] = {name: [] for name in methods}
    for still in stills():
        target = still.thumbnail.reshape(-1, 3)
        yardstick = Yardstick.of(linear_to_oklab(stratified_sample(Linear(target), count=2048)))
        for picture in pictures:
            proxy = picture.thumbnail
            source = proxy.reshape(-1, 3)
            start = _distance(Linear(source), yardstick)
            for name, method in methods.items():
                after = np.clip(method(Linear(source), Linear(target)), 0, 1).reshape(proxy.shape)
                left = _distance(Linear(after.reshape(-1, 3)), yardstick) / start
                clipped = newly_clipped(proxy, Linear(after))
                results[name].append((left, contrast_gain(proxy, Linear(after)), 100 * clipped))
    for name, rows in results.items():
        table.add(name, *(round(float(v), 3) for v in np.mean(rows, axis=0)))
    return table


def _distance(linear: Linear, yardstick: Yardstick) -> float:
    return distance(linear_to_oklab(stratified_sample(linear, count=2048)), yardstick)


def run() -> list[Table]:
    """Tables on photographs and on rendered frames, so that neither is the only evidence."""
    return [
        compare(photographs(), "Transfer, 4 stills to photographs"),
        compare(rendered(), "Transfer, 4 stills to rendered frames"),
    ]
