"""Error of tables, tables inferred from pairs, edges that holds leave, drift's reasons on frames spoiled on purpose."""

from collections.abc import Callable
from itertools import product
from typing import Any

import cv2
import numpy as np

from bench.pictures import Named, photographs, rendered, stills
from bench.report import Table
from bench.transfer import FULL, plan_for
from nuvett.core.drawing.renderer import Renderer
from nuvett.core.drift.drift import Yardstick, measure_drift
from nuvett.core.even.light import apply_gains, join_gains
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.plan.apply import apply_plan
from nuvett.core.plan.by_hand import SaturateOperation
from nuvett.core.plan.compile import compile_plan, compile_shaped, direct
from nuvett.core.skin import skin
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.steps.hold import HoldStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.table.cdl import apply_cdl, nearest_cdl
from nuvett.core.table.infer import infer_table, register
from nuvett.core.types import Encoded01, Linear, OKLab

_DULLER = SaturateOperation(saturation=-0.7)


def table_errors() -> Table:
    """Tables against the direct computation, full-strength looks on real pictures: evenly spaced, and shaped."""
    columns = ("points", "mean CIEDE2000", "99 %", "99.9 %", "largest")
    table = Table("Tables against direct computation", columns)
    ways: list[tuple[str, int, Callable[..., Any]]] = [
        (f"{size}{', shaped to the plan' if shaped else ''}", size, compile_shaped if shaped else compile_plan)
        for size, shaped in ((17, False), (17, True), (33, False), (33, True), (65, False))
    ]
    for name, size, compiled in ways:
        errors = []
        for picture in photographs() + rendered()[:3]:
            plan = plan_for(Linear(picture.proxy.reshape(-1, 3)), Linear(stills()[0].proxy.reshape(-1, 3)), FULL)
            pixels = np.ascontiguousarray(picture.pixels[::3, ::3])
            by_table = Renderer(compiled(plan, size)).picture(pixels, 16).reshape(-1, 3)
            exact = direct(plan, Encoded01((pixels.reshape(-1, 3) / 255).astype(np.float32)))
            errors.append(difference(to_linear(Encoded01((by_table / 65535).astype(np.float32))), to_linear(exact)))
        every = np.concatenate(errors)
        values = (every.mean(), np.quantile(every, 0.99), np.quantile(every, 0.999), every.max())
        table.add(name, *(round(float(v), 3) for v in values))
    return table


def cdl_errors() -> Table:
    """Colour decisions beside the Cube they stand in for: on its cube, on pictures, at black and at white."""
    columns = ("still", "told, mean CIEDE2000", "on pictures", "black off, 8-bit", "white off, 8-bit")
    table = Table("ASC CDL of the usual look, beside its Cube", columns)
    pictures = rendered()[:4] + photographs()[:2]
    for still in stills():
        first, other = (Linear(named.proxy.reshape(-1, 3)) for named in (pictures[0], still))
        cube = compile_plan(plan_for(first, other, Look()))
        cdl = nearest_cdl(cube)
        numbers = np.array([*cdl.slope, *cdl.offset, *cdl.power, cdl.saturation])
        errors = []
        for picture in pictures:
            pixels = np.ascontiguousarray(picture.pixels[::4, ::4])
            wanted = (Renderer(cube).picture(pixels, 16).reshape(-1, 3) / 65535).astype(np.float32)
            made = apply_cdl(numbers, Encoded01((pixels.reshape(-1, 3) / 255).astype(np.float32))).astype(np.float32)
            errors.append(difference(to_linear(Encoded01(made)), to_linear(Encoded01(wanted))).mean())
        ends = np.array([[0, 0, 0], [1, 1, 1]], dtype=np.float32)
        off = 255 * np.abs(apply_cdl(numbers, Encoded01(ends)) - cube[[0, -1], [0, -1], [0, -1]])
        values = (cdl.residual, np.mean(errors), off[0].max(), off[1].max())
        table.add(still.name, *(round(float(v), 1) for v in values))
    return table


Grade = Callable[[np.ndarray], np.ndarray]


def _grade_of(look: Look, still: Named, source: Named) -> Grade:
    plan = plan_for(Linear(source.proxy.reshape(-1, 3)), Linear(still.proxy.reshape(-1, 3)), look)
    renderer = Renderer(compile_plan(plan))
    return lambda pixels: np.asarray(renderer.picture(pixels, 16) / 65535, dtype=np.float32)


def _hand_made(pixels: np.ndarray) -> np.ndarray:
    """A grade that is none of our steps: a curve for each channel, greens turned and blues paled in HSV."""
    red, green, blue = np.moveaxis((pixels / 255).astype(np.float32), -1, 0)
    curved = [red**0.85, 0.04 + 0.93 * green**1.1, 0.1 + 0.8 * blue**2 * (3 - 2 * blue)]
    hsv = cv2.cvtColor(np.stack(curved, axis=-1), cv2.COLOR_RGB2HSV)
    hue = hsv[..., 0].copy()
    hsv[..., 0] = hue - 30 * np.exp(-(((hue - 110) / 35) ** 2))
    hsv[..., 1] = hsv[..., 1] * (1 - 0.4 * np.exp(-(((hue - 220) / 30) ** 2)))
    return np.clip(cv2.cvtColor(hsv, cv2.COLOR_HSV2RGB), 0, 1)


def inferred_tables() -> Table:
    """Tables inferred from one pair of 8-bit pictures, on that picture and on others."""
    columns = ("look", "the pair itself", "other pictures, mean", "other pictures, worst")
    table = Table("Table inferred from one pair, mean CIEDE2000 to the look itself", columns)
    pictures = rendered()[:4] + photographs()[:2]
    toning = FULL.model_copy(update={"moves": MoveStep(on=False)})
    for name, look in (("toning, 4 stills", toning), ("with hue moves, 4 stills", FULL), ("by hand in HSV", None)):
        own: list[float] = []
        others: list[float] = []
        for still, source in product(stills() if look else stills()[:1], (pictures[0], pictures[4])):
            errors = _inference_errors(_grade_of(look, still, source) if look else _hand_made, source, pictures)
            own.append(errors.pop(source.name))
            others += errors.values()
        table.add(name, *(round(float(v), 2) for v in (np.mean(own), np.mean(others), np.max(others))))
    return table


def _inference_errors(grade: Grade, source: Named, pictures: list[Named]) -> dict[str, float]:
    before = Encoded01(np.asarray(source.pixels / 255, dtype=np.float32))
    after = np.rint(grade(source.pixels) * 255).astype(np.float32) / 255
    found = Renderer(infer_table([(before, register(before, after))]).table)
    errors = {}
    for picture in pictures:
        pixels = np.ascontiguousarray(picture.pixels[::3, ::3])
        ours = (found.picture(pixels, 16) / 65535).astype(np.float32)
        errors[picture.name] = float(difference(to_linear(Encoded01(ours)), to_linear(Encoded01(grade(pixels)))).mean())
    return errors


def _ramps() -> list[np.ndarray]:
    """Fine ramps of OKLab colours (1200, 3) through skin: around the hues, outward from grey, and up the lightness."""
    along = np.linspace(0, 1, 1200)
    ways: list[tuple[Any, Any, Any]]
    ways = [(light, chroma, -180 + 360 * along) for light in (0.35, 0.55, 0.75) for chroma in (0.01, 0.04, 0.08, 0.12)]
    ways += [(light, 0.16 * along, hue) for light in (0.35, 0.55, 0.75) for hue in (20, 51, 80, 230)]
    ways += [(0.15 + 0.8 * along, 0.05, hue) for hue in (20, 51, 80)]
    ramps = []
    for light, chroma, hue in ways:
        turn = np.radians(hue)
        parts = np.broadcast_arrays(light + 0 * along, chroma * np.cos(turn), chroma * np.sin(turn))
        ramp = np.stack(parts, axis=1).astype(np.float32)
        ramps.append(ramp[(oklab_to_linear(OKLab(ramp)) >= 0).all(axis=1)])
    return [ramp for ramp in ramps if len(ramp) > 1]


def hold_edges() -> Table:
    """Steepest gain of colour differences along fine ramps through skin, with and without a hold."""
    columns = ("look", "along all of each ramp", "between held and free skin colours")
    table = Table("Holds: steepest local gain of colour along ramps through skin, 4 stills to 3 frames", columns)
    ramps = _ramps()
    falls = [np.abs(skin().near(OKLab(ramp)).radius[1:] - 1.6) < 1 for ramp in ramps]
    for name, hold in (("without hold", HoldStep(on=False)), ("with hold", HoldStep(on=True, where="everywhere"))):
        everywhere, edge = [0.0], [0.0]
        look = FULL.model_copy(update={"hold": hold})
        for source, target in product(rendered()[:3], stills()):
            plan = plan_for(Linear(source.proxy.reshape(-1, 3)), Linear(target.proxy.reshape(-1, 3)), look)
            for ramp, fall in zip(ramps, falls, strict=True):
                out = apply_plan(plan, oklab_to_linear(OKLab(ramp)))
                moved, asked = (np.linalg.norm(np.diff(c, axis=0), axis=1) for c in (out, ramp))
                gain = np.where(asked > 1e-5, moved / np.maximum(asked, 1e-5), 0)
                everywhere.append(float(gain.max()))
                edge.append(float(gain[fall].max(initial=0)))
        table.add(name, round(max(everywhere), 2), round(max(edge), 2))
    return table


def drift_reasons() -> Table:
    """Frames spoiled in one way each: how often the first reason names that way."""
    spoilers: dict[str, Callable[[Linear], Linear]] = {
        "darker": lambda x: apply_gains(x, join_gains(-0.8)),
        "lighter": lambda x: apply_gains(x, join_gains(0.8)),
        "cooler": lambda x: apply_gains(x, join_gains(0, -22)),
        "warmer": lambda x: apply_gains(x, join_gains(0, 22)),
        "flatter": _flatter,
        "duller": lambda x: oklab_to_linear(_DULLER.apply(lab := linear_to_oklab(x), lab, Space.SRGB)),
    }
    table = Table("Drift: first reason names the spoiling", ("spoiled", "named first", "named at all"))
    pictures = photographs() + rendered()
    for name, spoil in spoilers.items():
        first = named = 0
        for picture in pictures:
            sample = stratified_sample(picture.proxy, count=2048)
            yardstick = Yardstick.of(linear_to_oklab(sample))
            found = measure_drift(linear_to_oklab(Linear(np.clip(spoil(sample), 0, 1))), yardstick)
            words = [reason.words for reason in found.reasons]
            first += bool(words) and name in words[0]
            named += any(name in word for word in words)
        table.add(name, f"{first} of {len(pictures)}", f"{named} of {len(pictures)}")
    return table


def _flatter(linear: Linear) -> Linear:
    lab = linear_to_oklab(linear)
    middle = lab[:, 0].mean()
    lab[:, 0] = middle + (lab[:, 0] - middle) * np.float32(0.6)
    return oklab_to_linear(lab)


def smoothness() -> Table:
    """Banding and the neutral axis: a smooth grey ramp through each full-strength look."""
    table = Table("Smooth grey ramp through full-strength looks", ("measure", "largest over looks"))
    steps, bends = [], []
    grey = to_linear(Encoded01(np.repeat(np.linspace(0, 1, 1024, dtype=np.float32)[:, None], 3, axis=1)))
    for picture in rendered()[:4]:
        for still in stills():
            plan = plan_for(Linear(picture.proxy.reshape(-1, 3)), Linear(still.proxy.reshape(-1, 3)), FULL)
            lab = apply_plan(plan, grey)
            own = linear_to_oklab(grey)[:, 0]
            slope = np.diff(lab[:, 0]) / np.maximum(np.diff(own), 1e-6)
            steps.append(float(slope[own[1:] > 0.1].max()))
            turns = np.linalg.norm(np.diff(lab[:, 1:], axis=0), axis=1) / np.maximum(np.diff(own), 1e-6)
            bends.append(float(turns[own[1:] > 0.1].max()))
    table.add("steepest slope of lightness", round(max(steps), 2))
    table.add("steepest change of tint per lightness", round(max(bends), 2))
    return table


def run() -> list[Table]:
    """All of them."""
    return [table_errors(), cdl_errors(), inferred_tables(), hold_edges(), drift_reasons(), smoothness()]
