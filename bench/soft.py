"""What an editor sees at 1:1: soft colour that tears, whites that go grey, lips and teeth that lose their relation."""

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import simplejpeg
import skimage
from numpy.typing import NDArray

from bench.pictures import Named, load, photographs, small_linear, stills
from bench.report import Table
from bench.transfer import FULL, plan_for, statistics_of
from nuvett.core.book.soft import BLOCK, MAX_TORN, soft_colour
from nuvett.core.drawing.drawing import Drawing, compile_stages
from nuvett.core.look.look import Look
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.planning.usual import is_monochrome
from nuvett.core.reading.reading import Weighed, blend, read
from nuvett.core.spaces.cielab import linear_to_cielab
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import CIELab, Linear, OKLab
from nuvett.imaging.faces import faces_seen, find_faces
from nuvett.imaging.proxy import measuring_proxy

_SOFT_VARIANCE, _MIN_SOFT = 2.25, 0.05  # of CIE L*, and share of a picture, where blocks would show
_WHITE, _COLOURLESS = 98.0, 2.0
_MIN_WHITE = 200
_DARK = 0.06  # of its light: a still as it would be at night
_MORE = ("retina.jpg",)
_MOUTH = (0.476, 0.758)  # of the face's box, on the one photograph with a face


def _pictures() -> list[Named]:
    folder = Path(skimage.__file__).parent / "data"
    more = [Named(Path(name).stem, load(folder / name)) for name in _MORE]
    return [Named(p.name, p.pixels[: len(p.pixels) // BLOCK * BLOCK]) for p in [*photographs(), *more]]


def _cielab(codes: np.ndarray) -> CIELab:
    return linear_to_cielab(small_linear(codes))


def _made(plan: FramePlan, pixels: np.ndarray) -> np.ndarray:
    return Drawing(compile_stages(plan), (pixels.shape[1], pixels.shape[0]), pixels).picture(pixels)


def _drawn(look: Look) -> Iterator[tuple[Named, np.ndarray]]:
    for picture in _pictures():
        own = Linear(picture.proxy.reshape(-1, 3))
        for still in stills():
            plan = plan_for(own, Linear(still.proxy.reshape(-1, 3)), look)
            yield picture, _made(plan, picture.pixels)


def torn_table() -> Table:
    """Torn blocks on photographs under all stills."""
    columns = ("look", "pictures", "over 5 % torn", "torn, mean %", "gain of noise, median", "worst")
    table = Table("Soft colour, photographs under all stills (aim: none over 5 %; gain 1.6, at full 2)", columns)
    for name, look in (("usual", Look()), ("full strength", FULL)):
        found = [soft_colour(small_linear(picture.pixels), small_linear(made)) for picture, made in _drawn(look)]
        torn, gain = (np.array(values) for values in zip(*((one.torn, one.gain) for one in found), strict=True))
        gains = (round(float(np.median(gain)), 2), round(float(gain.max()), 2))
        table.add(name, len(found), int((torn > MAX_TORN).sum()), round(100 * float(torn.mean()), 2), *gains)
    return table


def compressed_table() -> Table:
    """Steps at the borders of JPEG blocks in soft places of photographs that were compressed hard, before and after."""
    columns = ("quality", "look", "pictures", "of L*, times", "of chroma, times, median", "worst", "contrast, times")
    table = Table("Steps between compression blocks in soft places, against the whole picture's contrast", columns)
    for quality in (60, 75):
        for name, look in (("usual", Look()), ("full strength", FULL)):
            found = []
            for picture in _pictures():
                pixels = simplejpeg.decode_jpeg(
                    simplejpeg.encode_jpeg(np.ascontiguousarray(picture.pixels), quality, "RGB", "420")
                )
                before = _cielab(pixels)
                soft = _soft(before)
                if soft.mean() < _MIN_SOFT:
                    continue
                was, own = _border_steps(before, soft), Linear(picture.proxy.reshape(-1, 3))
                for still in stills():
                    plan = plan_for(own, Linear(still.proxy.reshape(-1, 3)), look)
                    after = _cielab(_made(plan, pixels))
                    now = _border_steps(after, soft)
                    found.append((now[0] / was[0], now[1] / was[1], after[..., 0].std() / before[..., 0].std()))
            light, chroma, contrast = np.array(found).T
            figures = (np.median(light), np.median(chroma), chroma.max(), np.median(contrast))
            table.add(quality, name, len(found), *(round(float(value), 2) for value in figures))
    return table


def _soft(lab: CIELab) -> NDArray[np.bool_]:
    lightness = lab[..., 0].astype(np.float32)
    fine = lightness - cv2.blur(lightness, (9, 9))
    return np.asarray(cv2.blur(fine * fine, (25, 25)) < _SOFT_VARIANCE)


def _border_steps(lab: CIELab, soft: NDArray[np.bool_]) -> tuple[float, float]:
    """Mean steps of L* and of chroma in CIELAB across the upright borders of blocks of 8 pixels, in soft places."""
    columns = np.arange(7, lab.shape[1] - 1, 8)
    steps = np.abs(lab[:, columns + 1] - lab[:, columns])[soft[:, columns]]
    return float(steps[:, 0].mean()), float(np.hypot(steps[:, 1], steps[:, 2]).mean())


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
            if white.sum() < _MIN_WHITE:
                continue
            plan = plan_for(Linear(picture.proxy.reshape(-1, 3)), target, Look())
            made = _cielab(_made(plan, picture.pixels))[white]
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


def mouth_table() -> Table:
    """Turn of hue of lips and teeth against skin, of a face that is found, under all stills."""
    pixels = load(Path(skimage.__file__).parent / "data" / "astronaut.png")
    proxy = measuring_proxy(pixels, Space.SRGB)
    faces = faces_seen(find_faces(proxy)[:1])
    before = _oklab(pixels)
    parts = _mouth_of(before, faces[0].box)
    columns = ("look", "part", "median", "most")
    table = Table("Hue of lips and teeth turned against skin, degrees (aim: at most 8)", columns)
    own = statistics_of(Linear(proxy.reshape(-1, 3)))
    for name, look in (("usual", Look()), ("full strength", FULL)):
        made = []
        for still in stills():
            aim = aim_of_statistics(statistics_of(Linear(still.proxy.reshape(-1, 3))))
            plan = plan_frame(own, aim, look, faces=faces)
            made.append(_oklab(_made(plan, pixels)))
        for part in ("lips", "teeth"):
            turns = [abs(_apart(after, parts, part) - _apart(before, parts, part)) for after in made]
            table.add(name, part, round(float(np.median(turns)), 1), round(max(turns), 1))
    return table


def _oklab(codes: np.ndarray) -> OKLab:
    return linear_to_oklab(small_linear(codes))


def _mouth_of(lab: OKLab, box: tuple[float, float, float, float]) -> dict[str, NDArray[np.bool_]]:
    """Where (h, w) skin, lips and teeth of a face in a box are, by colour about its mouth."""
    height, width = lab.shape[:2]
    rows, columns = np.mgrid[0:height, 0:width]
    across = (columns / width - box[0]) / box[2]
    down = (rows / height - box[1]) / box[3]
    mouth = ((across - _MOUTH[0]) / 0.26) ** 2 + ((down - _MOUTH[1]) / 0.14) ** 2 < 1
    inner = (abs(across - 0.5) < 0.3) & (abs(down - 0.62) < 0.32) & ~mouth
    lit = inner & (lab[..., 0] > np.quantile(lab[inner][:, 0], 0.3))
    skin = np.median(lab[lit], axis=0)
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    redder = lab[..., 1] - skin[1]
    lips = mouth & (redder > max(0.01, float(np.quantile(redder[mouth], 0.7))))
    teeth = mouth & (chroma < 0.6 * np.hypot(skin[1], skin[2])) & (lab[..., 0] > skin[0] - 0.08)
    return {"skin": lit, "lips": lips, "teeth": teeth}


def _apart(lab: OKLab, parts: dict[str, NDArray[np.bool_]], part: str) -> float:
    """Degrees from the hue of skin to that of a part."""
    hues = []
    for own in ("skin", part):
        _, a, b = lab[parts[own]].mean(axis=0)
        hues.append(np.degrees(np.arctan2(b, a)))
    return float((hues[1] - hues[0] + 180) % 360 - 180)


def run() -> list[Table]:
    """All tables of soft colour, compression blocks, whites, toned prints and mouths."""
    return [torn_table(), compressed_table(), whites_table(), toned_table(), mouth_table()]
