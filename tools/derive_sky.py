"""`python -m tools.derive_sky SKIES OTHERS...`: derives what tells sky from all else, and says what it is worth.

SKIES is a folder of photographs named as in tools/skies.json, where their skies are outlined by hand; they come from
the packages named there. OTHERS are folders of pictures without a sky. The weights are those of a logistic regression
over what the net of the subject sees in each part of a picture, of these and of parts of them, mirrored, lighter,
darker, warmer, cooler and grey. Each sky is then looked for with weights that never saw its photograph, and each
picture of OTHERS with weights that never saw a quarter of them, itself included.
"""

import json
import sys
from functools import partial
from pathlib import Path
from typing import TypedDict

import cv2
import numpy as np
from numpy.typing import NDArray

from nuvett.core.area.scene import Found
from nuvett.core.area.sky import SkyPart
from nuvett.core.drawing.renderer import Pixels
from nuvett.core.drawing.weighing import scene_of
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Floats
from nuvett.imaging.sky import CELLS, sky_features

TABLE = Path(__file__).with_name("skies.json")
WRITTEN = Path(__file__).resolve().parent.parent / "nuvett" / "imaging" / "nets" / "sky.json"
_EDGE = 900
_PARTS_WITH, _PARTS_WITHOUT = 12, 4  # parts that are looked at of a picture with and without a sky
_CELLS_KEPT = 400  # of each part
_PENALTY, _ROUNDS, _FOLDS = 0.02, 10, 4

Cells = tuple[Floats, NDArray[np.float64]]  # features (n, channels), and 1 for sky or 0
Weighed = tuple[Floats, float]
Polygon = list[tuple[float, float]]


class Outline(TypedDict):
    """A sky as it was outlined by hand, in tenths of the picture, and what about it may be sky or not."""

    sky: Polygon
    doubtful: list[Polygon]


def main() -> None:
    """Derive, write and tell."""
    skies = {path: json.loads(TABLE.read_text())[path.stem] for path in _pictures(sys.argv[1])}
    others = [path for folder in sys.argv[2:] for path in _pictures(folder)]
    random = np.random.default_rng(5)
    cells = {path: _cells(path, outline, random) for path, outline in skies.items()}
    cells |= {path: _cells(path, None, random) for path in others}
    weights, offset = _fitted(list(cells.values()))
    kept = {"weights": [float(f"{weight:.5g}") for weight in weights], "offset": float(f"{offset:.5g}")}
    WRITTEN.write_text(json.dumps(kept, indent=1) + "\n")
    for path, outline in skies.items():
        weighed = _fitted([own for other, own in cells.items() if other != path])
        print(f"{path.stem}: {_agrees(path, outline, weighed):.2f}")
    for fold in range(_FOLDS):
        away = others[fold * len(others) // _FOLDS : (fold + 1) * len(others) // _FOLDS]
        weighed = _fitted([own for other, own in cells.items() if other not in away])
        for path in away:
            share = float(_found(_loaded(path), weighed).mean())
            if share > 0:
                print(f"{path.stem}: {100 * share:.0f} % taken for sky")


def _pictures(folder: str) -> list[Path]:
    return sorted(path for path in Path(folder).iterdir() if path.suffix in (".jpg", ".png"))


def _loaded(path: Path) -> Pixels:
    picture = cv2.cvtColor(np.asarray(cv2.imread(str(path))), cv2.COLOR_BGR2RGB)
    scale = min(1.0, _EDGE / max(picture.shape[:2]))
    size = (round(picture.shape[1] * scale), round(picture.shape[0] * scale))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)


def _drawn(polygons: list[Polygon], height: int, width: int) -> Floats:
    """Where polygons lie (h, w), their places in tenths of the picture."""
    drawn = np.zeros((height, width), dtype=np.uint8)
    for polygon in polygons:
        cv2.fillPoly(drawn, [np.round(np.array(polygon) * (width / 10, height / 10)).astype(np.int32)], 1)
    return drawn.astype(np.float32)


def _cells(path: Path, outline: Outline | None, random: np.random.Generator) -> Cells:
    """What is seen in a picture and in parts of it, and what of that is sky."""
    whole = _loaded(path)
    height, width = whole.shape[:2]
    sky = _drawn([outline["sky"]] if outline else [], height, width)
    doubtful = _drawn(outline["doubtful"] if outline else [], height, width)
    seen, are = [], []
    for n in range(1 + (_PARTS_WITH if outline else _PARTS_WITHOUT)):
        place, changed = np.s_[0:height, 0:width], whole
        if n:
            down, across = int(height * (share := random.uniform(0.55, 1))), int(width * share)
            top, left = int(random.random() ** 1.5 * (height - down)), int(random.random() * (width - across))
            place = np.s_[top : top + down, left : left + across]
            changed = _changed(whole[place], random)
        turn = -1 if n and random.random() < 0.5 else 1
        shrunk = [
            cv2.resize(np.ascontiguousarray(part[place][:, ::turn]), (CELLS, CELLS), interpolation=cv2.INTER_AREA)
            for part in (sky, doubtful)
        ]
        sure = np.flatnonzero(((shrunk[0] < 0.1) | (shrunk[0] > 0.9)) & (shrunk[1] < 0.05))
        kept = random.permutation(sure)[:_CELLS_KEPT]
        features = sky_features(np.ascontiguousarray(changed[:, ::turn]))
        seen.append(features.reshape(CELLS * CELLS, -1)[kept])
        are.append((shrunk[0].ravel()[kept] > 0.5).astype(np.float64))
    return np.vstack(seen), np.concatenate(are)


def _changed(pixels: Pixels, random: np.random.Generator) -> Pixels:
    made = (pixels / 255) ** random.uniform(0.65, 1.6) * np.exp(random.normal(0, 0.12, 3))
    if random.random() < 0.2:
        made = np.repeat(made.mean(axis=2, keepdims=True), 3, axis=2)
    return np.asarray(made.clip(0, 1) * 255, dtype=np.uint8)


def _fitted(cells: list[Cells]) -> Weighed:
    """A logistic regression, pictures weighing alike and sky as much as all else; Newton's method."""
    seen, are = (np.concatenate(part) for part in zip(*cells, strict=True))
    weight = np.concatenate([np.full(len(own), 1 / len(own)) for _, own in cells])
    weight = np.where(are > 0, weight / weight[are > 0].sum(), weight / weight[are == 0].sum()) / 2
    middle, spread = np.average(seen, axis=0, weights=weight), seen.std(axis=0) + 1e-6
    scaled = np.hstack([(seen - middle) / spread, np.ones((len(seen), 1))])
    solved, penalty = np.zeros(scaled.shape[1]), _PENALTY * np.eye(scaled.shape[1])
    penalty[-1, -1] = 0
    for _ in range(_ROUNDS):
        likely = 1 / (1 + np.exp(-scaled @ solved))
        slope = scaled.T @ (weight * (likely - are)) + penalty @ solved
        bend = (scaled * (weight * np.maximum(likely * (1 - likely), 1e-4))[:, None]).T @ scaled + penalty
        solved -= np.linalg.solve(bend, slope)
    weights = solved[:-1] / spread
    return weights.astype(np.float32), float(solved[-1] - middle @ weights)


def _found(pixels: Pixels, weighed: Weighed) -> Floats:
    """The sky (h, w) of a picture as an area draws it."""
    odds = np.asarray(sky_features(pixels) @ weighed[0] + weighed[1], dtype=np.float32)
    size = (pixels.shape[1], pixels.shape[0])
    found = Found(sky=lambda: odds)
    return SkyPart().weigh(scene_of(partial(np.asarray, pixels), size, Space.SRGB, FramePlan(), found))


def _agrees(path: Path, outline: Outline, weighed: Weighed) -> float:
    """Intersection over union of the sky that is found and the one that was outlined, but for what is doubtful."""
    found = _found(_loaded(path), weighed)
    height, width = found.shape
    true = _drawn([outline["sky"]], height, width) > 0
    told = _drawn(outline["doubtful"], height, width) == 0
    return float(((found > 0.5) & true & told).sum() / max(1, (((found > 0.5) | true) & told).sum()))


if __name__ == "__main__":
    main()
