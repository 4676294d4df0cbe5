"""Derives how places are described and what tells a thing found from one that is not there.

`python -m tools.derive_following` writes `nuvett/imaging/nets/descriptors.npz`: for each answer of both networks the
principal axes over the fourth root of their variance, and those of all answers joined, of pictures of the demo and of
photographs that packages ship. Then it follows things of the demo, which are known by pixel, from one frame to all
others, and prints middles, spreads and weights for `nuvett.core.thread.following`; with what they are worth on scenes
that are left out in turn, and on `viewpoints/`, which they have not seen.
"""

import json
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from scipy.optimize import minimize

from bench.heroes import PEOPLE, series
from bench.pictures import DEMO, load, photographs, small_linear
from nuvett.core.look.look import Look
from nuvett.core.planning.planning import evened
from nuvett.core.planning.series import even_series
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.thread.cells import KINDS, Described, SharedCells, shared
from nuvett.core.thread.following import DOUBTFUL, SURE, Candidate, look_for, region_of, standard
from nuvett.core.thread.growth import EDGE, Mask, Pointed, grown, overlap
from nuvett.core.types import Linear, OKLab
from nuvett.imaging.descriptors import WEIGHTS, describe, joined, seen_in_cells

AXES = Path("nuvett/imaging/nets/descriptors.npz")
_KINDS = ("pot", "lemon", "egg", "plate", "tile", "bat", "lump", "bowl", "runner", "napkin", "cloth")
_KEPT, _EACH, _MIN, _RIDGE = 1e-4, 800, 160, 3.0
_FOLLOWABLE = 0.3  # overlap below which a person would take another outline


def derived_axes() -> dict[str, np.ndarray]:
    """Middles and axes of each answer, and of all joined."""
    rng, seen = np.random.default_rng(0), []
    pictures = [load(path) for path in sorted((DEMO / "frames").glob("*.jpg"))]
    for pixels in [*pictures, *(photo.pixels for photo in photographs())]:
        answers = [answer.reshape(-1, answer.shape[-1]) for answer in seen_in_cells(pixels)]
        taken = rng.choice(len(answers[0]), min(_EACH, len(answers[0])), replace=False)
        seen.append([answer[taken] for answer in answers])
    axes: dict[str, np.ndarray] = {}
    for index in range(len(WEIGHTS)):
        rows = np.concatenate([answers[index] for answers in seen])
        values, turned = np.linalg.eigh(np.cov(rows.T))
        kept = values > values.max() * _KEPT
        axes[f"middle{index}"] = rows.mean(axis=0).astype(np.float32)
        axes[f"axes{index}"] = (turned[:, kept] / values[kept] ** 0.25).astype(np.float16).astype(np.float32)
    rows = np.concatenate([joined(answers, axes) for answers in seen])
    axes["middle"] = rows.mean(axis=0).astype(np.float32)
    axes["axes"] = np.linalg.eigh(np.cov(rows.T))[1][:, ::-1][:, :KINDS].astype(np.float16).astype(np.float32)
    return axes


@dataclass(frozen=True)
class Known:
    """A frame with what is seen in it: cells, a small picture to grow outlines in, things (h, w), its set-up."""

    described: Described
    small: OKLab
    things: dict[str, Mask]
    setup: int


@cache
def known_frames(name: str) -> list[Known]:
    """Frames of the demo or of changed viewpoints, evened; handles belong to no pot there, and people to nobody."""
    folder, one = (DEMO if name == "demo" else DEMO / name), series(name)
    lights = even_series([frame.seen for frame in one.frames], [frame.setup for frame in one.frames])
    names = json.loads((folder / "things" / "things.json").read_text())
    found = []
    for frame, light in zip(one.frames, lights, strict=True):
        pixels = load(next((folder / "frames").glob(f"{frame.name}.*")))
        scale = EDGE / max(pixels.shape[:2])
        size = (round(pixels.shape[1] * scale), round(pixels.shape[0] * scale))
        small = linear_to_oklab(small_linear(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)))
        kinds = describe(pixels)
        cells = cv2.resize(frame.proxy, kinds.shape[1::-1], interpolation=cv2.INTER_AREA)
        colours = linear_to_oklab(evened(Linear(np.asarray(cells.reshape(-1, 3), np.float32)), light, Look()))
        codes = np.asarray(cv2.imread(str(folder / "things" / f"{frame.name}.png"), cv2.IMREAD_UNCHANGED))
        codes = cv2.resize(codes, size, interpolation=cv2.INTER_NEAREST)
        things = {
            thing: codes == int(code)
            for code, thing in names[frame.name].items()
            if any(kind in thing for kind in _KINDS) and not any(word in thing for word in PEOPLE)
        }
        things = {thing: mask for thing, mask in things.items() if mask.any()}
        found.append(
            Known(Described.of(kinds, OKLab(colours.reshape(*kinds.shape[:2], 3))), small, things, frame.setup)
        )
    return found


@dataclass(frozen=True)
class Sought:
    """A thing sought in a frame: whether it is shown there, in its set-up, what was found, and which of that is it."""

    thing: str
    shown: bool
    inside: bool
    candidates: list[Candidate]
    right: list[bool]


def pointed_in(thing: Mask, rng: np.random.Generator) -> Pointed:
    """A place inside a thing (h, w), away from its edge where it is large enough."""
    inner = cv2.erode(thing.astype(np.uint8), np.ones((5, 5), np.uint8))
    rows, columns = np.nonzero(inner if inner.any() else thing)
    at, (height, width) = rng.integers(len(rows)), thing.shape
    return Pointed((columns[at] + 0.5) / width, (rows[at] + 0.5) / height)


def clicked(frame: Known, thing: Mask, rng: np.random.Generator) -> Mask:
    """The likeliest outline from one click on a thing; the best there is where that one would be put right."""
    outlines = grown(frame.small, [pointed_in(thing, rng)])
    mask = outlines.masks[outlines.likeliest]
    if overlap(mask, thing) >= _FOLLOWABLE:
        return mask
    return max(outlines.masks, key=lambda one: overlap(one, thing))


def is_on(candidate: Candidate, thing: Mask | None) -> bool:
    """Whether the middle of a place lies on a thing, give or take a cell."""
    if thing is None:
        return False
    wide = cv2.dilate(thing.astype(np.uint8), np.ones((5, 5), np.uint8))
    (x, y), (height, width) = candidate.place, thing.shape
    return bool(wide[min(int(y * height), height - 1), min(int(x * width), width - 1)])


def followed(frames: Sequence[Known], seed: int = 0) -> list[Sought]:
    """Every thing, pointed at in one frame that shows it, sought in all others."""
    rng, between = np.random.default_rng(seed), {}
    shown: dict[str, list[int]] = defaultdict(list)
    for index, frame in enumerate(frames):
        for thing, mask in frame.things.items():
            if mask.sum() >= _MIN:
                shown[thing].append(index)
    found = []
    for thing in sorted(shown):
        start = int(rng.choice(shown[thing]))
        here = frames[start]
        region = region_of(clicked(here, here.things[thing], rng), here.described)
        for index, there in enumerate(frames):
            if index == start:
                continue
            if (start, index) not in between:
                between[start, index] = shared(here.described, there.described)
            both: SharedCells = between[start, index]
            candidates = look_for(here.described, region, there.described, both)
            known = there.things.get(thing)
            right = [is_on(one, known) for one in candidates]
            seen = known is not None and known.sum() >= _MIN / 3
            found.append(Sought(thing, bool(seen), here.setup == there.setup, candidates, right))
    return found


def fitted(rows: np.ndarray, right: np.ndarray, middles: np.ndarray, spreads: np.ndarray) -> np.ndarray:
    """Weights (8,) of a logistic regression over traits (n, 7), with a little ridge."""
    scaled = np.c_[standard(rows, middles, spreads), np.ones(len(rows))]

    def lost(weights: np.ndarray) -> tuple[float, np.ndarray]:
        odds = scaled @ weights
        ridge = np.r_[weights[:-1], 0]
        value = float(np.sum(np.logaddexp(0, odds) - right * odds) + _RIDGE * ridge @ ridge / 2)
        return value, scaled.T @ (1 / (1 + np.exp(-odds)) - right) + _RIDGE * ridge

    return np.asarray(minimize(lost, np.zeros(8), jac=True, method="L-BFGS-B", options={"maxiter": 500}).x)


def table_of(found: Sequence[Sought]) -> tuple[np.ndarray, np.ndarray]:
    """Traits (n, 7) of all that was found, and whether each is the thing (n,)."""
    rows = np.array([one.traits for sought in found for one in sought.candidates])
    return rows, np.array([right for sought in found for right in sought.right], dtype=float)


@dataclass(frozen=True)
class Worth:
    """Of frames that show a thing, how many are found or asked about rightly; of those taken, how many are wrong."""

    shown: int
    found: float
    asked: float
    taken: int
    wrong: int


def worth(found: Sequence[Sought], sure: Sequence[Sequence[float]], inside: bool) -> Worth:
    """What confidences of all candidates are worth, inside set-ups or across them."""
    shown = hit = asked = taken = wrong = 0
    for sought, own in zip(found, sure, strict=True):
        if sought.inside is not inside:
            continue
        shown += sought.shown
        best = int(np.argmax(own)) if len(own) else None
        if best is None or own[best] < DOUBTFUL:
            continue
        right = sought.right[best]
        if own[best] >= SURE:
            taken, wrong, hit = taken + 1, wrong + (not right), hit + (right and sought.shown)
        else:
            asked += right and sought.shown
    return Worth(shown, hit / max(shown, 1), asked / max(shown, 1), taken, wrong)


def questions(found: Sequence[Sought], sure: Sequence[Sequence[float]], inside: bool) -> float:
    """How many places a person is asked about for a thing, inside set-ups or across them."""
    own = [max(one, default=0.0) for one, sought in zip(sure, found, strict=True) if sought.inside is inside]
    things = {sought.thing for sought in found}
    return sum(DOUBTFUL <= value < SURE for value in own) / max(len(things), 1)


def main() -> None:
    """Write the axes; print the weights and what they are worth."""
    kept: dict[str, Any] = {k: v.astype(np.float16) if v.ndim == 2 else v for k, v in derived_axes().items()}
    np.savez_compressed(AXES, **kept)
    found = followed(known_frames("demo"))
    rows, right = table_of(found)
    middles, spreads = rows.mean(axis=0), rows.std(axis=0)
    weights = fitted(rows, right, middles, spreads)
    for name, values in (("_MIDDLES", middles), ("_SPREADS", spreads), ("_WEIGHTS", weights)):
        print(f"{name} = np.array({[round(float(value), 4) for value in values]})")

    def sure(sought: Sought, by: np.ndarray) -> list[float]:
        odds = [standard(one.traits, middles, spreads) @ by[:-1] + by[-1] for one in sought.candidates]
        return [float(1 / (1 + np.exp(-value))) for value in odds]

    scene_of = [sought.thing.split("/")[0] for sought in found]
    left_out = {}
    for scene in set(scene_of):
        others = [sought for sought, own in zip(found, scene_of, strict=True) if own != scene]
        left_out[scene] = fitted(*table_of(others), middles, spreads)
    unseen = followed(known_frames("viewpoints"))
    for inside in (True, False):
        confidences = [sure(sought, left_out[scene]) for sought, scene in zip(found, scene_of, strict=True)]
        print("demo, scenes left out", "inside" if inside else "across", worth(found, confidences, inside))
        print("viewpoints", worth(unseen, [sure(sought, weights) for sought in unseen], inside))


if __name__ == "__main__":
    main()
