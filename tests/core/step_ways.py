"""Steps on a picture, through plan and renderer; and what each number of a step moves when it rises."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np

from nuvett.core.area.faces import FaceSeen
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.look.tables import with_tables
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_oklch
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.registry import REGISTRY
from nuvett.core.steps.step import Step
from tests.conftest import DEMO, load_rgb
from tests.examples import EXAMPLES, TABLE

LIGHT = EvenLight(gains=(1.5, 1.3, 1.0))
FACE = (FaceSeen(box=(0.4, 0.2, 0.1, 0.1), colour=(0.35, 0.2, 0.12)),)
BARE = Look.of(*(kind(on=False) for kind in REGISTRY), vivid=0)
GUARDS = ("hold", "soft_colour")
Measure = Callable[[np.ndarray], float]


@cache
def frame() -> np.ndarray:
    """The demo's potter, small, with a ramp of greys along its foot."""
    picture = cv2.resize(load_rgb(DEMO / "frames" / "AT-0110.jpg"), (180, 120), interpolation=cv2.INTER_AREA)
    picture[-12:] = np.linspace(5, 250, 180)[None, :, None]
    return picture


def lab_of(pixels: np.ndarray) -> np.ndarray:
    return linear_to_oklab(to_linear((pixels.reshape(-1, 3) / 255).astype(np.float32)))


@cache
def aim() -> object:
    still = cv2.resize(load_rgb(DEMO / "stills" / "still_1_teal_amber.jpg"), (240, 100))
    return aim_of_statistics(measure(lab_of(still)))


@cache
def drawn_under(text: str, aimed: bool = True) -> np.ndarray:
    look = with_tables(Look.model_validate_json(text), {TABLE.digest: TABLE}.get)
    linear = to_linear((frame().reshape(-1, 3) / 255).astype(np.float32))
    evened = look.even.gains_of(LIGHT).on_light(linear)
    own = measure(linear_to_oklab(stratified_sample(evened)))
    plan = plan_frame(own, aim() if aimed else None, look, LIGHT, faces=FACE, seed=3)
    pixels = frame()
    return Drawing(compile_stages(plan, points=17), (180, 120), pixels).picture(pixels, 16).astype(np.float64) / 257


def drawn(step: Step | None = None) -> np.ndarray:
    return drawn_under((BARE if step is None else ground_of(step).with_step(step)).model_dump_json())


def ground_of(step: Step) -> Look:
    """What a step acts on: nothing, but for what guards, which needs something to guard against."""
    if step.name not in GUARDS:
        return BARE
    changed = BARE.with_step(example("zones")).with_step(example("tone"))
    return changed if step.name == "hold" else changed.with_step(varied("saturation", saturation=100.0))


def example(name: str) -> Step:
    return next(step for step in EXAMPLES if step.name == name)


def _lab(pixels: np.ndarray) -> np.ndarray:
    return lab_of(pixels[:-12])


def mean_light(pixels: np.ndarray) -> float:
    return float(_lab(pixels)[:, 0].mean())


def contrast(pixels: np.ndarray) -> float:
    return float(_lab(pixels)[:, 0].std())


def chroma(pixels: np.ndarray) -> float:
    return float(np.hypot(*_lab(pixels)[:, 1:].T).mean())


def quiet_chroma(pixels: np.ndarray) -> float:
    own = np.hypot(*_lab(drawn())[:, 1:].T)
    return float(np.hypot(*_lab(pixels)[:, 1:].T)[own < 0.05].mean())


def toward(hue: float, low: float = 0, high: float = 1) -> Measure:
    """How far colours of a band of lightness lean to a hue."""
    way = np.array([np.cos(np.radians(hue)), np.sin(np.radians(hue))])

    def measured(pixels: np.ndarray) -> float:
        own = _lab(drawn())[:, 0]
        return float((_lab(pixels)[:, 1:] @ way)[(own >= low) & (own <= high)].mean())

    return measured


def hue_about(hue: float) -> Measure:
    """How far colours about a hue have turned on from it, in degrees."""
    own = oklab_to_oklch(_lab(drawn()))
    there = (np.abs((own[:, 2] - hue + 180) % 360 - 180) < 40) & (own[:, 1] > 0.03)

    def measured(pixels: np.ndarray) -> float:
        return float(((oklab_to_oklch(_lab(pixels))[there, 2] - hue + 180) % 360 - 180).mean())

    return measured


def light_between(low: float, high: float) -> Measure:
    def measured(pixels: np.ndarray) -> float:
        own = _lab(drawn())[:, 0]
        return float(_lab(pixels)[:, 0][(own >= low) & (own <= high)].mean())

    return measured


def share_of(share: float) -> Measure:
    return lambda pixels: float(np.quantile(_lab(pixels)[:, 0], share))


def away(step: str) -> Measure:
    """How far a picture is from the one without the step."""

    def measured(pixels: np.ndarray) -> float:
        without = drawn_under(ground_of(example(step)).model_dump_json())
        return float(np.abs(pixels - without).mean())

    return measured


def detail(pixels: np.ndarray) -> float:
    grey = pixels.mean(axis=2)
    return float(np.abs(grey - cv2.GaussianBlur(grey, (0, 0), 2)).mean())


def fine(pixels: np.ndarray) -> float:
    grey = pixels.mean(axis=2)
    return float(np.abs(np.diff(grey, axis=1)).mean())


def corners(pixels: np.ndarray) -> float:
    return float(pixels[:15, :20].mean() + pixels[:15, -20:].mean() - 2 * pixels[50:70, 80:100].mean())


def colour_noise(pixels: np.ndarray) -> float:
    """Fine differences of what channels have off light."""
    away = pixels - pixels.mean(axis=2, keepdims=True)
    return float(np.abs(np.diff(away, axis=1)).mean())


def soft_noise(pixels: np.ndarray) -> float:
    """Fine differences of colour where there is little else, under what guards are tried on."""
    away, own = (np.diff(p - p.mean(axis=2, keepdims=True), axis=1)[:-12] for p in (pixels, frame().astype(float)))
    return float(np.abs(away)[np.abs(own).max(axis=2) < 1.5].mean())


def middle_of_edges(pixels: np.ndarray) -> float:
    return float(pixels[:6, 60:120].mean() + pixels[40:80, :6].mean())


def left_corners(pixels: np.ndarray) -> float:
    return float(pixels[:15, :20].mean() - pixels[:15, -20:].mean())


def upper_corners(pixels: np.ndarray) -> float:
    return float(pixels[:15, :20].mean() - pixels[90:105, :20].mean())


def grain_in_lights(pixels: np.ndarray) -> float:
    noise, light = np.abs(pixels - drawn()).mean(axis=2), drawn().mean(axis=2)
    return float(noise[light > 150].mean() - noise[light < 80].mean())


def coarse(pixels: np.ndarray) -> float:
    noise = (pixels - drawn()).mean(axis=2)
    return float(np.corrcoef(noise[:, 1:].ravel(), noise[:, :-1].ravel())[0, 1])


@dataclass(frozen=True)
class Way:
    """What a number moves when it rises from one value to another: upward by +1, downward by -1.

    on : the step that it is tried on, none for the example
    """

    measure: Measure
    sign: int
    low: float
    high: float
    on: Step | None = None


def _finish(**values: float) -> Step:
    return type(example("finish"))(**values)


def varied(name: str, **values: object) -> Step:
    return example(name).model_copy(update=values)


_CASTS = ("blacks", 0.1, 0.3), ("neutrals", 0.5, 0.6), ("whites", 0.8, 0.95)
_ZONES = ("shadow", 0, 0.4, 260), ("midtone", 0.45, 0.6, 150), ("highlight", 0.75, 1, 60)
WAYS: dict[str, Way] = {
    "even.amount": Way(mean_light, 1, 20, 100),
    "even.white": Way(lambda p: float(_lab(p)[:, 2].mean()), 1, 0, 100),
    "tone.amount": Way(away("tone"), 1, 20, 100),
    "tone.black": Way(share_of(0.01), 1, 4, 30),
    "tone.white": Way(share_of(0.99), 1, 70, 95),
    "tone.whites": Way(share_of(0.999), -1, 0, 100),
    "tone.blacks": Way(share_of(0.001), 1, 0, 100, varied("tone", black=40.0, steepest=1.0)),
    "tone.steepest": Way(contrast, 1, 1, 1.5),
    "table.amount": Way(away("table"), 1, 20, 100),
    "zones.amount": Way(away("zones"), 1, 20, 100),
    "zones.whites": Way(lambda p: float(np.hypot(*lab_of(p[-10:-2, 168:176])[:, 1:].T).mean()), 1, 0, 100,
                        varied("zones", highlight_hue=None, amount=100)),
    "zones.crossover": Way(toward(260, 0.4, 0.7), 1, 30, 70, varied("zones", width=10)),
    "zones.width": Way(toward(150, 0.6, 0.75), 1, 10, 90),
    **{f"zones.{zone}": Way(toward(hue, low, high), 1, 0, 150) for zone, low, high, hue in _ZONES},
    **{f"zones.{zone}_hue": Way(toward(hue, low, high), -1, hue, hue + 60) for zone, low, high, hue in _ZONES},
    **{f"zones.{zone}_chroma": Way(toward(hue, low, high), 1, 1, 12) for zone, low, high, hue in _ZONES},
    **{f"zones.{zone}_lightness": Way(light_between(low, high), 1, -12, 12) for zone, low, high, hue in _ZONES},
    "spread.amount": Way(away("spread"), 1, 20, 100),
    "moves.amount": Way(away("moves"), 1, 20, 100),
    "moves.reach": Way(away("moves"), 1, 4, 10, varied("moves", own=())),
    "veil.amount": Way(away("veil"), 1, 20, 100),
    "veil.light": Way(mean_light, -1, 5, 30),
    "veil.red": Way(toward(0), -1, -5, 5),
    "veil.yellow": Way(toward(90), -1, -5, 5),
    "white.amount": Way(toward(70), 1, 20, 100),
    "white.warmth": Way(toward(70), 1, -40, 40),
    "white.tint": Way(toward(330), 1, -30, 30),
    "exposure.amount": Way(away("exposure"), 1, 20, 100),
    "exposure.exposure": Way(mean_light, 1, -1, 1),
    "exposure.contrast": Way(contrast, 1, -60, 60),
    "exposure.pivot": Way(mean_light, -1, 20, 80),
    "casts.amount": Way(away("casts"), 1, 20, 100),
    **{f"casts.{zone}_red": Way(toward(0, low, high), 1, -5, 5) for zone, low, high in _CASTS},
    **{f"casts.{zone}_yellow": Way(toward(90, low, high), 1, -5, 5) for zone, low, high in _CASTS},
    "curve.amount": Way(away("curve"), 1, 20, 100),
    "curve.faded": Way(share_of(0.02), 1, 0, 20),
    "ends.amount": Way(away("ends"), 1, 20, 100),
    "ends.black": Way(share_of(0.01), 1, 2, 30),
    "ends.white": Way(share_of(0.99), 1, 70, 98),
    "ends.black_share": Way(share_of(0.2), -1, 0, 8),
    "ends.white_share": Way(share_of(0.8), 1, 0, 8),
    "primaries.amount": Way(away("primaries"), 1, 20, 100),
    "primaries.red_turn": Way(lambda p: hue_about(30)(p), 1, -18, 18),
    "primaries.red_richer": Way(toward(30), 1, -50, 40),
    "primaries.green_turn": Way(lambda p: hue_about(145)(p), 1, -18, 18),
    "primaries.green_richer": Way(toward(145), 1, -50, 40),
    "primaries.blue_turn": Way(lambda p: hue_about(265)(p), 1, -18, 18),
    "primaries.blue_richer": Way(chroma, 1, -50, 40),
    "hues.amount": Way(away("hues"), 1, 20, 100),
    "saturation.amount": Way(away("saturation"), 1, 20, 100),
    "saturation.saturation": Way(chroma, 1, -60, 60),
    "saturation.vibrance": Way(quiet_chroma, 1, -60, 60),
    "saturation.most": Way(chroma, 1, 3, 30),
    "wash.amount": Way(away("wash"), 1, 20, 100, varied("wash", layers=())),
    "filter.amount": Way(toward(70), 1, 10, 100),
    "filter.hue": Way(toward(70), -1, 70, 180),
    "mono.amount": Way(chroma, -1, 20, 100, varied("mono", toned=0)),
    "mono.toned": Way(chroma, 1, 0, 100),
    "hold.hue": Way(away("hold"), -1, 1, 40),
    "hold.chroma": Way(away("hold"), -1, 1, 80),
    "hold.lightness": Way(away("hold"), -1, 1, 50),
    "soft_colour.amount": Way(soft_noise, -1, 20, 100),
    "finish.amount": Way(away("finish"), 1, 20, 100),
    "finish.noise": Way(fine, -1, 10, 100, _finish()),
    "finish.noise_colour": Way(colour_noise, -1, 10, 100, _finish()),
    "finish.fine": Way(fine, 1, -80, 80, _finish()),
    "finish.glow": Way(mean_light, 1, 0, 100, _finish()),
    "finish.halation": Way(toward(50, 0.3, 0.8), 1, 0, 100, _finish()),
    "finish.radius": Way(detail, 1, 0.8, 3, _finish(sharpening=100, masking=0)),
    "finish.local": Way(detail, 1, -60, 80, _finish()),
    "finish.haze": Way(contrast, 1, -60, 60, _finish()),
    "finish.softness": Way(fine, -1, 10, 100, _finish()),
    "finish.sharpening": Way(fine, 1, 10, 100, _finish(masking=0)),
    "finish.masking": Way(fine, -1, 0, 100, _finish(sharpening=100)),
    "finish.vignette": Way(corners, -1, -100, 150, _finish()),
    "finish.vignette_begins": Way(mean_light, 1, 0, 80, _finish(vignette=150)),
    "finish.vignette_soft": Way(mean_light, 1, 10, 150, _finish(vignette=150)),
    "finish.vignette_frame": Way(middle_of_edges, -1, 0, 100, _finish(vignette=150)),
    "finish.vignette_spared": Way(light_between(0.75, 1), 1, 0, 100, _finish(vignette=150, vignette_begins=0)),
    "finish.vignette_x": Way(left_corners, -1, 20, 80, _finish(vignette=150)),
    "finish.vignette_y": Way(upper_corners, -1, 20, 80, _finish(vignette=150)),
    "finish.grain_rough": Way(coarse, 1, 0, 100, _finish(grain=60)),
    "finish.grain_lights": Way(grain_in_lights, 1, -100, 100, _finish(grain=60)),
    "regions.amount": Way(away("regions"), 1, 20, 100),
    "regions.highlights": Way(light_between(0.7, 0.85), 1, -80, 80),
    "regions.shadows": Way(light_between(0.2, 0.4), 1, -80, 80),
    "regions.whites": Way(share_of(0.99), 1, -80, 40),
    "regions.blacks": Way(share_of(0.01), 1, -40, 80),
    "finish.grain": Way(fine, 1, 10, 100, _finish()),
    "finish.grain_size": Way(coarse, 1, 1, 4, _finish(grain=60)),
}  # fmt: skip
