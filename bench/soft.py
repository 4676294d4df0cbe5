"""What an editor sees at 1:1: soft colour that tears, whites that go grey, lips and teeth that lose their relation."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import skimage
from numpy.typing import NDArray

from bench.pictures import Named, load, photographs, small_linear, stills
from bench.report import Table
from bench.transfer import FULL, plan_for
from nuvett.core.drawing.drawing import compile_stages
from nuvett.core.look.look import Look
from nuvett.core.planning.usual import is_monochrome
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.spaces.cielab import linear_to_cielab
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.types import CIELab, Linear, OKLab

_BLOCK = 12  # pixels a side of the blocks that are judged
_SOFT = 2.5  # CIE L* by which a soft block may vary about a plane
_SEEN, _TWICE = 1.2, 2.0  # CIELAB chroma noise of a torn block: so much, and so many times what it was
_LEAST_NOISE = 0.25  # noise that eight bits have anyway
_WHITE, _COLOURLESS = 98.0, 2.0
_FEWEST_WHITE = 200
_DARK = 0.06  # of its light: a still as it would be at night
_MORE = ("retina.jpg",)


def _pictures() -> list[Named]:
    folder = Path(skimage.__file__).parent / "data"
    more = [Named(Path(name).stem, load(folder / name)) for name in _MORE]
    return [Named(p.name, p.pixels[: len(p.pixels) // _BLOCK * _BLOCK]) for p in [*photographs(), *more]]


def _cielab(codes: np.ndarray) -> CIELab:
    return linear_to_cielab(small_linear(codes))


def _noise(lab: CIELab) -> NDArray[np.float64]:
    """(blocks, 3) standard deviations about a plane in each block."""
    across, down = np.meshgrid(np.arange(_BLOCK), np.arange(_BLOCK))
    plane = np.stack([np.ones(_BLOCK * _BLOCK), across.ravel(), down.ravel()], axis=1)
    off = np.eye(len(plane)) - plane @ np.linalg.pinv(plane)
    rows, columns = lab.shape[0] // _BLOCK, lab.shape[1] // _BLOCK
    blocks = lab[: rows * _BLOCK, : columns * _BLOCK].reshape(rows, _BLOCK, columns, _BLOCK, 3)
    flat = blocks.transpose(0, 2, 4, 1, 3).reshape(rows * columns, 3, -1)
    return np.asarray((flat @ off.T).std(axis=2))


def _torn(before: CIELab, after: CIELab) -> tuple[float, float]:
    """Percent of blocks whose soft colour is torn, and the 95th percentile of the gain of chroma noise in soft ones."""
    was, now = _noise(before), _noise(after)
    soft = was[:, 0] < _SOFT
    chroma_was, chroma_now = (np.hypot(noise[:, 1], noise[:, 2]) for noise in (was, now))
    torn = soft & (chroma_now > _SEEN) & (chroma_now > _TWICE * chroma_was)
    gain = (chroma_now / np.maximum(chroma_was, _LEAST_NOISE))[soft]
    return 100 * float(torn.mean()), float(np.quantile(gain, 0.95)) if soft.any() else 1.0


def _drawn(look: Look) -> Iterator[tuple[Named, np.ndarray]]:
    for picture in _pictures():
        own = Linear(picture.proxy.reshape(-1, 3))
        for still in stills():
            plan = plan_for(own, Linear(still.proxy.reshape(-1, 3)), look)
            yield picture, compile_stages(plan).renderer.picture(picture.pixels, 8)


def torn_table() -> Table:
    """Torn blocks on photographs under all stills."""
    columns = ("look", "pictures", "over 5 % torn", "torn, mean %", "gain of noise, median", "worst")
    table = Table("Soft colour, photographs under all stills (aim: none over 5 %; gain 1.6, at full 2)", columns)
    for name, look in (("usual", Look()), ("full strength", FULL)):
        found = np.array([_torn(_cielab(picture.pixels), _cielab(made)) for picture, made in _drawn(look)])
        gains = (round(float(np.median(found[:, 1])), 2), round(float(found[:, 1].max()), 2))
        table.add(name, len(found), int((found[:, 0] > 5).sum()), round(float(found[:, 0].mean()), 2), *gains)
    return table


def whites_table() -> Table:
    """Where whites of photographs end under the usual look, toward each still and toward one as dark as night."""
    columns = ("toward", "pictures with whites", "L* of whites, median", "least", "chroma, most")
    table = Table("Whites of photographs (L* over 98) under the usual look (aim: over 95, chroma under 2)", columns)
    targets = [(still.name, Linear(still.proxy.reshape(-1, 3))) for still in stills()]
    targets.append(("a still at night", Linear(targets[2][1] * np.float32(_DARK))))
    for name, target in targets:
        ends = []
        for picture in _pictures():
            lab = _cielab(picture.pixels)
            white = (lab[..., 0] > _WHITE) & (np.hypot(lab[..., 1], lab[..., 2]) < _COLOURLESS)
            if white.sum() < _FEWEST_WHITE:
                continue
            plan = plan_for(Linear(picture.proxy.reshape(-1, 3)), target, Look())
            made = _cielab(compile_stages(plan).renderer.picture(picture.pixels, 8))[white]
            ends.append((float(np.median(made[:, 0])), float(np.median(np.hypot(made[:, 1], made[:, 2])))))
        lightness, chroma = np.array(ends).T
        values = (np.median(lightness), lightness.min(), chroma.max())
        table.add(name, len(ends), *(round(float(value), 1) for value in values))
    return table


def _toned(linear: Linear, a: np.ndarray, b: np.ndarray, lightness: np.ndarray) -> Linear:
    lab = OKLab(np.stack([lightness, a, b], axis=1).astype(np.float32))
    return Linear(np.clip(oklab_to_linear(lab), 0, 1).reshape(linear.shape))


def toned_table() -> Table:
    """Stills toned as prints are, and stills and photographs in colour: which are taken for monochrome."""
    table = Table("Toned prints taken for monochrome", ("kind", "taken for monochrome", "of"))
    made: dict[str, list[Linear]] = {"sepia": [], "cyanotype": [], "selenium": [], "split": []}
    for still in stills():
        linear = still.thumbnail
        light = np.clip(linear_to_oklab(Linear(linear.reshape(-1, 3)))[:, 0], 0, 1)
        arch = np.sin(np.pi * light)
        made["sepia"].append(_toned(linear, 0.015 * arch, 0.05 * arch, light))
        made["cyanotype"].append(_toned(linear, -0.02 * arch, -0.09 * arch, light))
        made["selenium"].append(_toned(linear, 0.02 * (1 - light), -0.02 * (1 - light), light))
        made["split"].append(_toned(linear, 0.04 * light - 0.02, 0.11 * light - 0.05, light))
    colour = [p.proxy for p in [*(s for s in stills() if "silver" not in s.name), *photographs()]]
    for kind, pictures in (*made.items(), ("in colour", colour)):
        taken = [is_monochrome(blend([Weighed(reading=read(p), tone=1, colour=1)])) for p in pictures]
        table.add(kind, sum(taken), len(taken))
    return table


def run() -> list[Table]:
    """All tables of soft colour, whites and toned prints."""
    return [torn_table(), whites_table(), toned_table()]
