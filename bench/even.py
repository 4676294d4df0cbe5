"""Even light against simpler ways, on photographs spoiled on purpose and on rendered frames of known truth."""

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.pictures import DEMO, Named, load, manifest, photographs, small_linear
from bench.report import Table
from bench.things import frames as known_frames
from bench.things import things_in
from nuvett.core.even.axes import gains_of_axes, log_axes
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.key import key_of
from nuvett.core.even.light import apply_gains, join_gains
from nuvett.core.even.shared import Seen
from nuvett.core.even.together import even_setup
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.planning.warnings import newly_at_ends
from nuvett.core.registration.features import find_features
from nuvett.core.spaces.cielab import difference, lightness_of_oklab
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, from_linear, to_linear
from nuvett.core.types import Encoded01, Floats, Linear
from nuvett.imaging.proxy import measuring_proxy

_CROPS = 5
_JITTER = (0.5, 12.0, 4.0)  # standard deviations: EV, percent of warmth, percent of tint
_GRID = (2, 3)
_LITTLE, _NONE = (0.6, 0.45), (0.5, 1 / 3)  # tiles' height and width in shares of the picture: overlapping, disjoint
_ONE: Floats = np.ones(3, dtype=np.float32)
VIEWPOINTS = DEMO / "viewpoints"
Finder = Callable[[Linear, Linear], EvenLight]
Tile = tuple[Linear, Linear, Floats]
"""What a tile truly is (h, w, 3), what was made of it, and the gains (3,) it was spoiled by."""


def _light(gains: NDArray[Any]) -> EvenLight:
    return EvenLight(gains=(float(gains[0]), float(gains[1]), float(gains[2])))


def _mean(frame: Linear, base: Linear) -> EvenLight:
    return _light(base.reshape(-1, 3).mean(axis=0) / frame.reshape(-1, 3).mean(axis=0))


def _half_mean(frame: Linear, base: Linear) -> EvenLight:
    return _light(np.asarray(np.sqrt(base.reshape(-1, 3).mean(axis=0) / frame.reshape(-1, 3).mean(axis=0)), np.float32))


def _median(frame: Linear, base: Linear) -> EvenLight:
    middle, goal = (np.median(x.reshape(-1, 3), axis=0) for x in (frame, base))
    return _light(goal / np.maximum(middle, 1e-4))


def seen(linear: Linear, exposure: float | None = None) -> Seen:
    """What a picture (h, w, 3) brings to evening, by way of its measuring proxy."""
    scale = min(1.0, (250_000 / (linear.shape[0] * linear.shape[1])) ** 0.5)
    small = cv2.resize(linear, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else linear
    proxy = np.ascontiguousarray(small, dtype=np.float32)
    return Seen(stratified_sample(Linear(proxy)), find_features(Linear(proxy)), exposure)


def _ours(frame: Linear, base: Linear) -> EvenLight:
    return even_setup([seen(base), seen(frame)], "the base", 0)[1]


FINDERS: dict[str, Finder] = {
    "untouched": lambda frame, base: EvenLight(),
    "mean matching": _mean,
    "half-strength mean matching": _half_mean,
    "median matching": _median,
    "Nuvett": _ours,
}


def _error(frame: Linear, light: EvenLight, truth: Linear) -> float:
    return float(difference(apply_gains(frame, np.array(light.gains, np.float32), light.camera), truth).mean())


def _row(table: Table, name: str, errors: Sequence[float]) -> None:
    values = (np.median(errors), np.mean(errors), np.quantile(errors, 0.9))
    table.add(name, *(round(float(v), 2) for v in values))


def _spoiled(truth: Linear, random: np.random.Generator, camera: float) -> Tile:
    """A picture under random gains, through a camera's curve or not, and through eight bits."""
    gains = join_gains(*(float(v) for v in random.normal(0, _JITTER)))
    made = np.clip(apply_gains(truth, gains, camera) if camera else truth * gains, 0, 1)
    codes = np.rint(from_linear(Linear(made)) * 255) / 255
    return truth, to_linear(Encoded01(codes.astype(np.float32))), gains


def _crop(photo: Named, random: np.random.Generator) -> Linear:
    height, width = photo.pixels.shape[:2]
    h, w = int(height * random.uniform(0.45, 0.75)), int(width * random.uniform(0.45, 0.75))
    y, x = random.integers(0, height - h), random.integers(0, width - w)
    truth = small_linear(photo.pixels[y : y + h, x : x + w])
    return Linear(np.asarray(cv2.resize(truth, (w // 2, h // 2), interpolation=cv2.INTER_AREA), np.float32))


def crops_table(camera: float) -> Table:
    """Random crops of photographs, jittered, evened to the whole photograph."""
    random = np.random.default_rng(11)
    errors: dict[str, list[float]] = {name: [] for name in FINDERS}
    for photo in photographs():
        for _ in range(_CROPS):
            truth, made, _gains = _spoiled(_crop(photo, random), random, camera)
            for name, find in FINDERS.items():
                errors[name].append(_error(made, find(made, photo.proxy), truth))
    how = "through a camera's curve" if camera else "by pure gains"
    columns = ("method", "median CIEDE2000", "mean", "90 %")
    table = Table(f"Even light, crops of photographs jittered {how}", columns)
    for name, values in errors.items():
        _row(table, name, values)
    return table


def _tiles(photo: Named, size: tuple[float, float], random: np.random.Generator) -> list[Tile]:
    height, width = photo.pixels.shape[:2]
    h, w = int(height * size[0]), int(width * size[1])
    made = []
    for row in range(_GRID[0]):
        for column in range(_GRID[1]):
            y, x = row * (height - h) // (_GRID[0] - 1), column * (width - w) // (_GRID[1] - 1)
            truth = small_linear(photo.pixels[y : y + h, x : x + w])
            scale = min(1.0, 700 / max(truth.shape[:2]))
            if scale < 1:
                truth = Linear(np.asarray(cv2.resize(truth, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)))
            made.append(_spoiled(truth, random, 0))
    return made


def tiles_table() -> Table:
    """Tiles of photographs that overlap little or not at all, evened together; the common shift forgiven."""
    columns = ("tiles and method", "median CIEDE2000", "mean", "90 %", "marked unsure")
    table = Table("Even light, six tiles of a photograph evened together", columns)
    for title, size in (("little overlap", _LITTLE), ("nothing shared", _NONE)):
        random = np.random.default_rng(11)
        before: list[float] = []
        after: list[float] = []
        unsure: list[bool] = []
        for photo in photographs():
            tiles = _tiles(photo, size, random)
            lights = even_setup([seen(made) for _, made, _ in tiles], "the middle")
            before += _against_truth(tiles, [EvenLight()] * len(tiles))
            after += _against_truth(tiles, lights)
            unsure += [light.is_unsure for light in lights]
        for name, errors, marked in (("untouched", before, ""), ("Nuvett", after, f"{sum(unsure)} of {len(unsure)}")):
            values = (np.median(errors), np.mean(errors), np.quantile(errors, 0.9))
            table.add(f"{title}: {name}", *(round(float(v), 2) for v in values), marked)
    return table


def _against_truth(tiles: list[Tile], lights: list[EvenLight]) -> list[float]:
    """Errors of evened tiles after what all are off by together was taken away."""
    left = [
        log_axes(light.gains) + np.array(log_axes(tuple(tile[2]))) for tile, light in zip(tiles, lights, strict=True)
    ]
    common = np.array(gains_of_axes(-np.mean(left, axis=0)), np.float32)
    errors = []
    for (truth, made, _), light in zip(tiles, lights, strict=True):
        evened = apply_gains(made, np.array(light.gains, np.float32), light.camera)
        errors.append(float(difference(apply_gains(evened, common, light.camera), truth).mean()))
    return errors


def viewpoints_table() -> Table:
    """Frames of changed viewpoints, evened to the base of their set-up."""
    entries = json.loads((VIEWPOINTS / "manifest.json").read_text())["frames"]
    errors: dict[str, dict[str, list[float]]] = {}
    doubts: dict[str, list[EvenLight]] = {}
    for name in dict.fromkeys(entry["set_up"] for entry in entries):
        rows = [entry for entry in entries if entry["set_up"] == name]
        proxies = [measuring_proxy(load(VIEWPOINTS / row["file"]), Space.SRGB) for row in rows]
        lights = even_setup([seen(proxy) for proxy in proxies], "the base", 0)
        for row, proxy, light in list(zip(rows, proxies, lights, strict=True))[1:]:
            truth = measuring_proxy(load(VIEWPOINTS / row["truth"]), Space.SRGB)
            kind = "shares things with its base" if row["scene"] == rows[0]["scene"] else "shares nothing"
            true = _light(np.array(row["gain_to_base_linear_rgb"]))
            ways = {"untouched": EvenLight(), "true gains (the least possible)": true, "Nuvett": light}
            for way, found in ways.items():
                errors.setdefault(kind, {}).setdefault(way, []).append(
                    _error(Linear(proxy[::2, ::2]), found, Linear(truth[::2, ::2]))
                )
            doubts.setdefault(kind, []).append(light)
    columns = ("frames and method", "median CIEDE2000", "mean", "of untouched", "marked unsure", "doubt, EV")
    table = Table("Even light, changed viewpoints", columns)
    for kind, by_way in errors.items():
        for way, values in by_way.items():
            ours = way == "Nuvett"
            unsure = sum(light.is_unsure for light in doubts[kind])
            table.add(
                f"{kind}: {way}",
                round(float(np.median(values)), 2),
                round(float(np.mean(values)), 2),
                round(float(np.mean(values) / np.mean(by_way["untouched"])), 2),
                f"{unsure} of {len(values)}" if ours else "",
                round(float(np.median([light.doubt for light in doubts[kind]])), 2) if ours else "",
            )
    return table


def frames_table() -> Table:
    """The demo's frames: exposure within set-ups by the manifest's `exposure_ev`, white by its gain errors."""
    entries = manifest()["frames"]
    names = list(dict.fromkeys(entry["set_up"] for entry in entries))
    setups = [names.index(entry["set_up"]) for entry in entries]
    proxies = [measuring_proxy(load(DEMO / entry["file"]), Space.SRGB) for entry in entries]
    columns = ("method", "exposure apart, EV, median", "90 %", "white apart, log2, median", "90 %", "marked unsure")
    table = Table("Even light, demo frames within their set-ups", columns)

    def by_setup(find: Callable[[list[int]], list[EvenLight]]) -> list[EvenLight]:
        found: dict[int, EvenLight] = {}
        for number in range(len(names)):
            members = [i for i, own in enumerate(setups) if own == number]
            found |= zip(members, find(members), strict=True)
        return [found[i] for i in range(len(entries))]

    def matched(find: Finder) -> list[EvenLight]:
        return by_setup(
            lambda members: [
                find(proxies[i], Linear(np.concatenate([proxies[j].reshape(-1, 3) for j in members]))) for i in members
            ]
        )

    def solved(recorded: bool) -> list[EvenLight]:
        exposures = [entry["exposure_ev"] if recorded else None for entry in entries]
        brought = [seen(proxy, exposure) for proxy, exposure in zip(proxies, exposures, strict=True)]
        return by_setup(lambda members: even_setup([brought[i] for i in members], "the middle"))

    ways = {name: matched(find) for name, find in FINDERS.items() if name != "Nuvett"}
    ways |= {"Nuvett, by the pictures alone": solved(False), "Nuvett, with the camera's record": solved(True)}
    for name, lights in ways.items():
        exposure, white = _apart(entries, setups, lights)
        values = (np.median(exposure), np.quantile(exposure, 0.9), np.median(white), np.quantile(white, 0.9))
        unsure = f"{sum(light.is_unsure for light in lights)} of {len(lights)}" if name.startswith("Nuvett") else ""
        table.add(name, *(round(float(v), 3) for v in values), unsure)
    return table


def _apart(entries: list[dict[str, Any]], setups: list[int], lights: list[EvenLight]) -> tuple[np.ndarray, np.ndarray]:
    """How far frames are from the middle of their set-ups after evening: EV (N,), and log2 of R/G or B/G (N,)."""
    gains = np.log2([light.gains for light in lights])
    errors = np.log2([entry["gain_error_linear_rgb"] for entry in entries])
    level = np.array([entry["exposure_ev"] for entry in entries]) + gains[:, 1]
    white = (errors - errors[:, 1:2])[:, [0, 2]] + (gains - gains[:, 1:2])[:, [0, 2]]
    own = np.array(setups)
    middle = {number: (level[own == number].mean(), white[own == number].mean(axis=0)) for number in set(setups)}
    off = np.array([level[i] - middle[s][0] for i, s in enumerate(setups)])
    tinted = np.array([np.abs(white[i] - middle[s][1]).max() for i, s in enumerate(setups)])
    return np.abs(off), tinted


@dataclass(frozen=True)
class _Shown:
    """A frame whose things are known: its set-up, its proxy (h, w, 3), what it brings, exposure, things' pixels."""

    setup: str
    proxy: Linear
    seen: Seen
    exposure: float
    things: dict[str, Linear]


def _demo_shown() -> list[_Shown]:
    entries = manifest()["frames"]
    return [
        _Shown(
            entry["set_up"],
            one.proxy,
            replace(one.seen, exposure=entry["exposure_ev"]),
            entry["exposure_ev"],
            one.things,
        )
        for one, entry in zip(known_frames(), entries, strict=True)
    ]


def _viewpoints_shown() -> list[_Shown]:
    entries = json.loads((VIEWPOINTS / "manifest.json").read_text())["frames"]
    names = json.loads((VIEWPOINTS / "things" / "things.json").read_text())
    found = []
    for entry in entries:
        name = Path(entry["file"]).stem
        proxy = measuring_proxy(load(VIEWPOINTS / entry["file"]), Space.SRGB)
        things = things_in(VIEWPOINTS / "things" / f"{name}.png", proxy, names[name])
        found.append(_Shown(entry["set_up"], proxy, seen(proxy, entry["exposure_ev"]), entry["exposure_ev"], things))
    return found


def _lightness(linear: Linear) -> np.ndarray:
    return lightness_of_oklab(linear_to_oklab(Linear(linear.reshape(-1, 3)))[:, 0])


def _apart_in(values: dict[Any, list[float]]) -> float:
    """Mean distance of values from the mean of their group, of groups of two and more."""
    return float(np.mean([np.abs(np.array(own) - np.mean(own)).mean() for own in values.values() if len(own) > 1]))


def _as_seen(frames: list[_Shown], lights: list[EvenLight]) -> tuple[float, float, float]:
    """L* of things and of middles apart inside set-ups, and percent of pixels newly at white."""
    things: dict[Any, list[float]] = {}
    middles: dict[Any, list[float]] = {}
    clipped = []
    for frame, light in zip(frames, lights, strict=True):
        gains = np.array(light.gains, np.float32)
        before = Linear(frame.proxy.reshape(-1, 3)[::4])
        after = apply_gains(before, gains, light.camera)
        middles.setdefault(frame.setup, []).append(float(np.median(_lightness(after))))
        clipped.append(newly_at_ends(from_linear(before), from_linear(after))[0])
        for name, pixels in frame.things.items():
            value = float(_lightness(apply_gains(pixels, gains, light.camera)).mean())
            things.setdefault((frame.setup, name), []).append(value)
    return _apart_in(things), _apart_in(middles), 100 * float(np.mean(clipped))


def _each_setup(frames: list[_Shown], find: Callable[[list[_Shown]], list[EvenLight]]) -> list[EvenLight]:
    found: dict[int, EvenLight] = {}
    for name in dict.fromkeys(frame.setup for frame in frames):
        members = [i for i, frame in enumerate(frames) if frame.setup == name]
        found |= zip(members, find([frames[i] for i in members]), strict=True)
    return [found[i] for i in range(len(frames))]


def _equal_exposure(frames: list[_Shown]) -> list[EvenLight]:
    middle = float(np.mean([frame.exposure for frame in frames]))
    return [_light(np.full(3, 2.0 ** (middle - frame.exposure))) for frame in frames]


def _equal_middles(frames: list[_Shown]) -> list[EvenLight]:
    keys = np.array([key_of(frame.seen.sample) for frame in frames])
    return [_light(np.full(3, 2.0 ** (keys.mean() - key))) for key in keys]


def as_seen_table() -> Table:
    """Frames of a set-up as an editor sees them: the same things as light, one key, nothing washed out."""
    columns = ("frames and method", "things apart, L*", "middles apart, L*", "newly at white, %")
    table = Table("Even light as seen, inside set-ups (aim: things 3.6, middles 3.5, white 1)", columns)
    ways: dict[str, Callable[[list[_Shown]], list[EvenLight]]] = {
        "as they came": lambda frames: [EvenLight()] * len(frames),
        "equal exposure, by the record": _equal_exposure,
        "equal middles": _equal_middles,
        "Nuvett": lambda frames: even_setup([frame.seen for frame in frames], "the middle"),
    }
    for name, frames in (("demo", _demo_shown()), ("changed viewpoints", _viewpoints_shown())):
        for way, find in ways.items():
            found = _as_seen(frames, _each_setup(frames, find))
            table.add(f"{name}: {way}", *(round(value, 2) for value in found))
    return table


def run() -> list[Table]:
    """All tables of even light."""
    return [crops_table(0), crops_table(1), tiles_table(), viewpoints_table(), frames_table(), as_seen_table()]
