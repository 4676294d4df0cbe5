"""Instruments: what hue ranges leave and keep in order, halos of tone by region, and what the whole of it costs."""

import itertools
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median

import numpy as np

from bench.pictures import rendered, stills
from bench.report import Table
from bench.speed import deliver, demo_workbench, large_jpeg, usual_plan
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.even.even_light import EvenLight
from nuvett.core.fit.hues import HueBand, ranged
from nuvett.core.fit.wash import WashLayer, WashStop
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.finish import RegionsOperation
from nuvett.core.plan.frame_plan import FramePlan, Group
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.hues import HueStep
from nuvett.core.steps.primaries import PrimariesStep
from nuvett.core.steps.regions import RegionStep
from nuvett.core.steps.step import Step
from nuvett.core.steps.wash import WashStep
from nuvett.core.types import Encoded01, OKLab, OKLCh

_ROUNDS = 9
_SETS = 60  # of ranges, drawn at random
_EDGE = (900, 600)
_COLOUR_STEPS: tuple[Step, ...] = (
    CastStep(blacks_red=1, neutrals_yellow=-1, whites_yellow=1),
    PrimariesStep(red_turn=6, green_turn=-8, blue_richer=15),
    HueStep(bands=(HueBand(hue=60, turn=8), HueBand(hue=150, chroma=20), HueBand(hue=255, lightness=-8))),
    WashStep(on=True, amount=20, layers=(WashLayer(stops=(WashStop(at=10, colour=(0.3, 0, -0.05)),
                                                          WashStop(at=90, colour=(0.9, 0.02, 0.05)))),)),
)  # fmt: skip
_FINISH = FinishStep(
    noise=30, noise_colour=40, local=20, fine=15, glow=20, halation=20, sharpening=40, radius=1.5, vignette=60,
    vignette_frame=40, vignette_spared=40, grain=25, grain_rough=40,
)  # fmt: skip
_AMOUNTS = (-1, 1, 0, 0), (1, -1, 0, 0), (-1, 1, -1, 1), (1, -1, 1, -1)
_REGIONS = RegionStep(highlights=-50, shadows=40, whites=10, blacks=-10)


def _bands(rng: np.random.Generator) -> tuple[HueBand, ...]:
    return tuple(
        HueBand(
            hue=rng.uniform(0, 360),
            before=rng.uniform(5, 60),
            after=rng.uniform(5, 60),
            soft=rng.uniform(10, 60),
            turn=rng.uniform(-40, 40),
            chroma=rng.uniform(-40, 60),
            lightness=rng.uniform(-15, 15),
        )
        for _ in range(rng.integers(1, 8))
    )


def hue_table() -> Table:
    """Greys, what is nearly grey, the order of hues, and steps along a smooth sky."""
    rng = np.random.default_rng(8)
    hues = np.arange(0, 360, 0.25, dtype=np.float32)
    greys = OKLab(np.stack([np.linspace(0, 1, 101), np.zeros(101), np.zeros(101)], axis=1).astype(np.float32))
    moved, least, steepest = 0.0, 1.0, 0.0
    along = np.linspace([0.55, 0.11, 262], [0.9, 0.02, 235], 2000, dtype=np.float32)
    sky = OKLCh(along)
    plain = oklch_to_oklab(sky)
    for _ in range(_SETS):
        bands = _bands(rng)
        lab = [linear_to_cielab(oklab_to_linear(c)) for c in (greys, ranged(greys, bands))]
        moved = max(moved, float(ciede2000(*lab).max()))
        for chroma in (0.02, 0.06, 0.12, 0.2):
            ring = oklch_to_oklab(OKLCh(np.stack([np.full_like(hues, 0.6), np.full_like(hues, chroma), hues], axis=1)))
            turned = np.unwrap(np.radians(oklab_to_oklch(ranged(ring, bands))[:, 2]))
            least = min(least, float(np.diff(turned).min() / np.radians(0.25)))
        steps = [np.linalg.norm(np.diff(c, axis=0), axis=1) for c in (plain, ranged(plain, bands))]
        steepest = max(steepest, float((steps[1] / steps[0]).max()))
    table = Table(f"Hue ranges, {_SETS} sets drawn at random", ("measure", "value", "aim"))
    table.add("greys moved by at most, CIEDE2000", round(moved, 3), "at most 0.3")
    table.add("hue rises at least, where it rises by 1", round(least, 3), "above 0")
    table.add("neighbours along a smooth sky farther apart, times at most", round(steepest, 1), "")
    return table


def _greys_at(lightness: list[int]) -> list[int]:
    """8-bit greys nearest to some CIE L*."""
    codes = np.repeat(np.linspace(0, 1, 256, dtype=np.float32)[:, None], 3, axis=1)
    own = linear_to_cielab(to_linear(Encoded01(codes)))[:, 0]
    return [int(np.abs(own - value).argmin()) for value in lightness]


def halo_table() -> Table:
    """Overshoot beside step edges of 40 L* under tone by region, at a full amount of everything."""
    worst = 0.0
    ends = [_greys_at([low, low + 40]) for low in (10, 30, 50)]
    for (dark, light), amounts in itertools.product(ends, _AMOUNTS):
        names = ("highlights", "shadows", "whites", "blacks")
        operation = RegionsOperation(amount=1, **dict(zip(names, amounts, strict=True)))
        row = np.where(np.arange(_EDGE[0]) < _EDGE[0] // 2, dark, light)
        picture = np.tile(row[None, :, None], (_EDGE[1], 1, 3)).astype(np.uint8)
        plan = FramePlan(groups=(Group(name="look", operations=(operation,)),))
        made = Drawing(compile_stages(plan), _EDGE, picture).picture(picture, 16)[_EDGE[1] // 2, :, 0] / 65535
        lightness = linear_to_cielab(to_linear(Encoded01(np.repeat(made[:, None], 3, axis=1).astype(np.float32))))[:, 0]
        half = _EDGE[0] // 2
        for side, end in ((lightness[: half - 2], lightness[:100]), (lightness[half + 2 :], lightness[-100:])):
            worst = max(worst, float(np.abs(side - np.median(end)).max()))
    table = Table("Tone by region, edges of 40 L*", ("measure", "value", "aim"))
    table.add("overshoot at most, L*", round(worst, 2), "at most 1")
    return table


def _plan(*steps: Step, gain: float = 1.1) -> FramePlan:
    source, target = (stratified_sample(p.proxy) for p in (rendered()[0], stills()[0]))
    look = Look()
    for step in steps:
        look = look.with_step(step)
    aim = aim_of_statistics(measure(linear_to_oklab(target)))
    return plan_frame(measure(linear_to_oklab(source)), aim, look, EvenLight(gains=(gain, 1, 0.95)))


def _took(work: Callable[[], object]) -> float:
    """Seconds of a call."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def cost_table(folder: Path) -> Table:
    """A preview with everything on, and deliveries with what is inside the table and with all of the finish."""
    bench, frames = demo_workbench(folder, 1)
    looks: dict[str, tuple[Step, ...]] = {"usual": (), "all": (*_COLOUR_STEPS, _REGIONS, _FINISH)}
    # A change of light each time, as when a handle is dragged: what belongs to the frame, as its grain, is there.
    changed = {name: [_plan(*steps, gain=1.1 + n / 1000) for n in range(_ROUNDS + 1)] for name, steps in looks.items()}
    previews: dict[str, list[float]] = {name: [] for name in looks}
    for change in range(_ROUNDS + 1):
        for name in looks:
            plan = changed[name][change]
            previews[name].append(_took(partial(bench.pictures.preview, frames[0], plan, 1280)))
    table = Table("What the instruments cost, side by side", ("measure", "value", "aim"))
    ratio = median(previews["all"][1:]) / median(previews["usual"][1:])
    table.add("preview at 1280 after a change, everything on, times the usual look's", round(ratio, 2), "at most 2")
    path = large_jpeg(folder)
    works: dict[str, Callable[[], bytes]] = {
        "usual": partial(deliver, path, usual_plan()),
        "colours": partial(deliver, path, _plan(*_COLOUR_STEPS)),
        "finish": partial(deliver, path, _plan(_FINISH)),
        "regions": partial(deliver, path, _plan(_REGIONS)),
    }
    found: dict[str, list[float]] = {name: [] for name in works}
    for _ in range(_ROUNDS):
        for name, work in works.items():
            found[name].append(_took(work))
    usual = median(found["usual"])
    for name, words, aim in (
        ("colours", "delivery with ranges, primaries, casts and washes, times the usual", "1"),
        ("finish", "delivery with all of the finish, times the usual", "at most 2.5"),
        ("regions", "delivery with tone by region, times the usual", ""),
    ):
        table.add(words, round(median(found[name]) / usual, 2), aim)
    return table


def run() -> list[Table]:
    """All tables."""
    with tempfile.TemporaryDirectory() as name:
        costs = cost_table(Path(name))
    return [hue_table(), halo_table(), costs]
