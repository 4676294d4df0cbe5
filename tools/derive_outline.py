"""Derives what tells the outline of a thing from others, in `nuvett.core.thread.growth`.

`python -m tools.derive_outline` points at things of the demo, which are known by pixel, grows outlines, and finds the
weights of traits and their squares by which a choice among the outlines of a thing overlaps it most (the expected
overlap of a choice by softmax, with a little ridge). It prints them, and what they win on `viewpoints/`, which they
have not seen.
"""

import json
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
from scipy.optimize import minimize
from scipy.special import softmax

from bench.pictures import DEMO, load, small_linear
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.growth import EDGE, Pointed, candidates_in, overlap, standard, traits
from nuvett.core.types import OKLab

_KINDS = ("pot", "lemon", "apron", "shirt", "egg", "plate", "tile", "bat", "wetpot", "lump")
_MIN, _RIDGE = 160, 3e-4
Things = list[tuple[np.ndarray, np.ndarray]]
"""Traits (n, 9) and overlaps (n,) of the outlines of each thing."""


def pointed_at(folder: Path, rng: np.random.Generator) -> Iterator[tuple[OKLab, np.ndarray, Pointed]]:
    """Pictures (h, w, 3), where a thing is (h, w), and a place inside it."""
    names = json.loads((folder / "things" / "things.json").read_text())
    for frame in sorted(names):
        pixels = load(next((folder / "frames").glob(f"{frame}.*")))
        scale = EDGE / max(pixels.shape[:2])
        size = (round(pixels.shape[1] * scale), round(pixels.shape[0] * scale))
        lab = linear_to_oklab(small_linear(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)))
        codes = np.asarray(cv2.imread(str(folder / "things" / f"{frame}.png"), cv2.IMREAD_UNCHANGED))
        codes = cv2.resize(codes, size, interpolation=cv2.INTER_NEAREST)
        for code, name in names[frame].items():
            thing = codes == int(code)
            if thing.sum() < _MIN or not any(kind in name for kind in _KINDS):
                continue
            rows, columns = np.nonzero(cv2.erode(thing.astype(np.uint8), np.ones((5, 5), np.uint8)))
            if len(rows):
                place = rng.integers(len(rows))
                yield lab, thing, Pointed((columns[place] + 0.5) / size[0], (rows[place] + 0.5) / size[1])


def measured(folder: Path) -> Things:
    """Things of a folder of frames, each pointed at once."""
    rng = np.random.default_rng(3)
    found = []
    for lab, thing, place in pointed_at(folder, rng):
        looked, masks = candidates_in(lab, [place])
        found.append(
            (np.array([traits(looked, mask) for mask in masks]), np.array([overlap(mask, thing) for mask in masks]))
        )
    return found


def fitted(things: Things, means: np.ndarray, spreads: np.ndarray) -> np.ndarray:
    """Weights (18,) by which the likeliest outline overlaps its thing most."""
    rows = [(standard(traits, means, spreads), overlaps) for traits, overlaps in things]

    def lost(weights: np.ndarray) -> tuple[float, np.ndarray]:
        value, slope = 0.0, np.zeros(len(weights))
        for row, overlaps in rows:
            chance = softmax(row @ weights)
            expected = chance @ overlaps
            value -= expected / len(rows)
            slope -= row.T @ (chance * (overlaps - expected)) / len(rows)
        return value + _RIDGE * weights @ weights, slope + 2 * _RIDGE * weights

    return np.asarray(minimize(lost, np.zeros(18), jac=True, method="L-BFGS-B", options={"maxiter": 150}).x)


def main() -> None:
    """Print the weights and what they win."""
    train, test = measured(DEMO), measured(DEMO / "viewpoints")
    rows = np.concatenate([traits for traits, _ in train])
    means, spreads = rows.mean(axis=0), rows.std(axis=0)
    weights = fitted(train, means, spreads)
    for name, values in (("_MIDDLES", means), ("_SPREADS", spreads), ("_WEIGHTS", weights)):
        print(f"{name} = np.array({[round(float(value), 4) for value in values]})")
    for name, things in (("demo", train), ("viewpoints", test)):
        picks = [overlaps[int(np.argmax(standard(t, means, spreads) @ weights))] for t, overlaps in things]
        best = [overlaps.max() for _, overlaps in things]
        print(f"{name}: {len(things)} things, overlap {np.median(picks):.2f}, best there is {np.median(best):.2f}")


if __name__ == "__main__":
    main()
