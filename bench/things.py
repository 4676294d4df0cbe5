"""Things that are known by pixel in the demo's frames: their colours in every frame, as they came and under looks."""

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from bench.pictures import DEMO, load, manifest
from nuvett.core.even.shared import Seen
from nuvett.core.measure.sampling import Sample, placed_sample
from nuvett.core.registration.features import find_features
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Linear
from nuvett.imaging.faces import Face, find_faces
from nuvett.imaging.proxy import measuring_proxy

_EDGE = 5  # pixels of a 600 x 400 map that are left out along a thing's edges
_MIN = 150  # pixels that a thing needs inside its edges
_HIGHLIGHT = 0.9  # quantile of luminance above which a thing's pixels are left out


@dataclass(frozen=True)
class Frame:
    """One demo frame: proxy (h, w, 3), its seen facts, its faces, and pixels (N, 3) of each thing."""

    name: str
    setup: int
    proxy: Linear
    sample: Sample
    seen: Seen
    faces: list[Face]
    things: dict[str, Linear]


def things_in(path: Path, proxy: Linear, names: dict[str, str]) -> dict[str, Linear]:
    """Pixels (N, 3) of each thing of a frame, by a picture of codes and their names."""
    codes = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if codes is None:
        raise FileNotFoundError(path)
    height, width = codes.shape[:2]
    small = cv2.resize(proxy, (width, height), interpolation=cv2.INTER_AREA)
    found = {}
    for code, thing in names.items():
        inside = cv2.erode(np.asarray(codes == int(code), np.uint8), np.ones((2 * _EDGE + 1,) * 2, np.uint8))
        pixels = small[inside > 0]
        if len(pixels) < _MIN:
            continue
        luminance = pixels.sum(axis=1)
        found[thing] = pixels[luminance <= np.quantile(luminance, _HIGHLIGHT)]
    return found


@cache
def frames(truth: bool = False) -> list[Frame]:
    """All demo frames with their things, as they came or as the truth pictures have them."""
    names = json.loads((DEMO / "things" / "things.json").read_text())
    entries = manifest()["frames"]
    setups = list(dict.fromkeys(entry["set_up"] for entry in entries))
    made = []
    for entry in entries:
        name = entry["file"][7:14]
        proxy = measuring_proxy(load(DEMO / entry["truth" if truth else "file"]), Space.SRGB)
        sample = placed_sample(proxy)
        seen = Seen(sample.colours, find_features(proxy))
        things = things_in(DEMO / "things" / f"{name}.png", proxy, names[name])
        made.append(Frame(name, setups.index(entry["set_up"]), proxy, sample, seen, find_faces(proxy), things))
    return made


def median_colour(pixels: Linear) -> Linear:
    """Median colour (1, 3) of a thing's pixels (N, 3)."""
    return Linear(np.median(pixels, axis=0, keepdims=True).astype(np.float32))
