"""Things brought to a colour as given, inside their outlines: what is left over, and what else moves."""

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from bench.heroes import series
from bench.pictures import DEMO, load
from bench.report import Table
from bench.threads import steepness
from nuvett.core.area.weights import WeightMap, weigh
from nuvett.core.drawing.renderer import Pixels, in_floats
from nuvett.core.drawing.weighing import scene_of
from nuvett.core.fit.moves import apply_moves
from nuvett.core.guided import encoded_luminance
from nuvett.core.plan.fitted import MovesOperation
from nuvett.core.plan.frame_plan import FramePlan, Layer
from nuvett.core.planning.framed import Seeing
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.thread.colours import distance
from nuvett.core.thread.growth import Mask, grown, overlap
from nuvett.core.thread.holding import Anchor, held_in_area
from nuvett.core.thread.places import Outline, colour_under, colours_in, outline_of
from nuvett.core.types import Linear, OKLab
from tools.derive_following import Known, known_frames, pointed_in

_THINGS, _MIN, _WITHIN = 32, 400, 0.3
_AWAY = (0.05, 0.03, 0.03)  # OKLab, one standard deviation of what is asked for
_VISIBLE = 1.0  # CIEDE2000
_FLAT = 0.004  # OKLab a pixel below which a place is flat
_OUTLINES = {"known": "known by pixel", "best": "put right with + and −", "click": "of one click"}


@dataclass(frozen=True)
class Brought:
    """A thing that was brought to a colour: what is left over, the share of the rest that moved visibly, the seam.

    seam : OKLab a pixel in flat places about the thing's rim, of 999 of 1,000
    """

    off: float
    left: float
    rest: float
    seam: float


def _outline(frame: Known, thing: Mask, how: str, rng: np.random.Generator) -> Outline:
    if how == "known":
        return outline_of(thing)
    found = grown(frame.small, [pointed_in(thing, rng)])
    best = max(found.masks, key=lambda mask: overlap(mask, thing))
    return outline_of(best if how == "best" else found.masks[found.likeliest])


def _weights(pixels: Pixels, layer: Layer) -> WeightMap:
    return weigh(layer.area, scene_of(lambda: pixels, (pixels.shape[1], pixels.shape[0]), Space.SRGB, FramePlan()))


def brought(pixels: Pixels, thing: Mask, outline: Outline, away: np.ndarray) -> Brought | None:
    """A thing of a picture (h, w, 3) brought so far away from its colour; none where it is there already."""
    linear = to_linear(in_floats(pixels), Space.SRGB)
    height, width = pixels.shape[:2]
    sample = colours_in(linear, outline.mask((width, height)))
    kept: dict[str, WeightMap] = {}

    def under(plan: FramePlan) -> OKLab | None:
        for layer in plan.layers:
            kept.setdefault("held", _weights(pixels, layer))
        return colour_under(plan, sample, Seeing(width / height, tuple(kept.values()) if plan.layers else ()))

    own = under(FramePlan())
    if own is None:
        return None
    goal = OKLab(np.clip(own + away, (0.15, -0.3, -0.3), (0.9, 0.3, 0.3)).astype(np.float32))
    layer = held_in_area(Anchor(own, goal, _WITHIN), outline.rings, lambda one: under(FramePlan(layers=(one,))))
    if layer is None or (made := under(FramePlan(layers=(layer,)))) is None:
        return None
    moves = layer.operations[0]
    assert isinstance(moves, MovesOperation)
    lab = linear_to_oklab(linear)
    moved = apply_moves(OKLab(lab.reshape(-1, 3)), moves.moves).reshape(lab.shape)
    by = (moved - lab) * kept["held"].part(
        (0, 0, width, height), (width, height), encoded_luminance(in_floats(pixels))
    )[..., None]
    shown = Linear(np.clip(oklab_to_linear(OKLab(lab + by)), 0, 1).reshape(-1, 3))
    changed = difference(Linear(linear.reshape(-1, 3)), shown).reshape(height, width) > _VISIBLE
    whole = cv2.resize(thing.astype(np.uint8), (width, height), interpolation=cv2.INTER_NEAREST)
    rest = cv2.dilate(whole, np.ones((5, 5), np.uint8)) == 0
    rim = cv2.dilate(whole, np.ones((15, 15), np.uint8)) > cv2.erode(whole, np.ones((15, 15), np.uint8))
    flat = (cv2.dilate(steepness(cv2.GaussianBlur(lab, (0, 0), 1.5)), np.ones((7, 7), np.uint8)) < _FLAT) & rim[1:, 1:]
    found = float(np.quantile(steepness(by)[flat], 0.999)) if flat.sum() > 200 else 0.0
    return Brought(distance(own, goal), distance(made, goal), float(changed[rest].mean()), found)


def _series(name: str, frames: list[Known], how: str) -> list[Brought]:
    rng, folder = np.random.default_rng(7), DEMO if name == "demo" else DEMO / name
    things = [(i, thing) for i, frame in enumerate(frames) for thing, m in frame.things.items() if m.sum() >= _MIN]
    found = []
    for place in rng.permutation(len(things))[:_THINGS]:
        index, thing = things[place]
        pixels = load(next(Path(folder / "frames").glob(f"{series(name).frames[index].name}.*")))
        mask = frames[index].things[thing]
        one = brought(pixels, mask, _outline(frames[index], mask, how, rng), rng.normal(size=3) * _AWAY)
        if one is not None:
            found.append(one)
    return found


def given_table() -> Table:
    """Things brought within .3 of colours as given."""
    columns = (
        "series, outline",
        "things",
        "asked for",
        "left over",
        "90 %",
        "of the rest moves, %",
        "seam in flat places",
    )
    table = Table("A colour as given, inside outlines (aims: left over .5, rest 1 %, seam .004)", columns)
    for name in ("demo", "viewpoints"):
        frames = known_frames(name)
        for how, words in _OUTLINES.items():
            found = _series(name, frames, how)
            off, left, rest, seam = np.array([(b.off, b.left, b.rest, b.seam) for b in found]).T
            figures = (np.median(off), np.median(left), np.quantile(left, 0.9), 100 * np.median(rest))
            rounded = [round(float(value), 2) for value in figures]
            seams = [value for value in seam if value]
            table.add(f"{name}, {words}", len(found), *rounded, round(float(np.median(seams)), 4))
    return table


def run() -> list[Table]:
    """All tables of colours as given."""
    return [given_table()]
