"""Shots of one burst under one look: how far apart they come out, which nobody wants and everybody sees."""

import numpy as np

from bench.pictures import photographs, rendered, stills
from bench.report import Table
from bench.transfer import FULL, plan_for
from nuvett.core.drawing.renderer import Pixels
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.plan.apply import apply_plan
from nuvett.core.spaces.cielab import ciede2000, linear_to_cielab
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import CIELab, Floats, Linear
from nuvett.imaging.proxy import measuring_proxy

_SHOTS = 3
_MOVED = 50  # of its edge a shot is moved by at most
_NOISE = 1.2  # codes of 8 bits, one standard deviation
_COLOURS = 2048


def _shot(pixels: Pixels, seed: int) -> Pixels:
    """A picture (H, W, 3), moved a little and with noise of its own."""
    random = np.random.default_rng(seed)
    margins = [edge // _MOVED for edge in pixels.shape[:2]]
    top, left = (int(random.integers(0, max(1, margin))) for margin in margins)
    height, width = (edge - margin for edge, margin in zip(pixels.shape[:2], margins, strict=True))
    part = pixels[top : top + height, left : left + width]
    return np.clip(np.rint(part + random.normal(0, _NOISE, part.shape)), 0, 255).astype(np.uint8)


def _apart(colours: Linear, shots: list[Linear], target: Linear, look: Look) -> Floats:
    """CIEDE2000 (shots - 1, N) between the same colours (N, 3) under the plans of shots."""
    made = [linear_to_cielab(Linear(map_to_gamut(apply_plan(plan_for(shot, target, look), colours)))) for shot in shots]
    return np.stack([ciede2000(made[0], CIELab(other)) for other in made[1:]])


def run() -> list[Table]:
    """Photographs and demo frames, three shots of each, toward the stills in colour."""
    columns = ("look", "bursts", "apart, mean CIEDE2000", "worst burst", "99 % of colours, mean", "worst burst")
    table = Table("Shots of one burst, moved by up to 2 % and with noise of 1.2 codes", columns)
    targets = [Linear(still.proxy.reshape(-1, 3)) for still in stills()[:3]]
    pictures = [*photographs(), *rendered()]
    shots = [[_measured(_shot(picture.pixels, seed)) for seed in range(_SHOTS)] for picture in pictures]
    colours = [stratified_sample(picture.proxy, count=_COLOURS) for picture in pictures]
    for name, look in (("usual", Look()), ("full strength", FULL)):
        found = [
            _apart(own, burst, target, look) for own, burst in zip(colours, shots, strict=True) for target in targets
        ]
        means = [float(apart.mean()) for apart in found]
        most = [float(np.quantile(apart, 0.99)) for apart in found]
        table.add(name, len(found), *(round(float(f(v)), 2) for v in (means, most) for f in (np.mean, np.max)))
    return [table]


def _measured(pixels: Pixels) -> Linear:
    return Linear(measuring_proxy(pixels, Space.SRGB).reshape(-1, 3))
