"""Even light against simpler ways, on rendered frames with known truth and on jittered crops of photographs."""

from collections.abc import Callable

import cv2
import numpy as np

from bench.pictures import DEMO, load, manifest, photographs, small_linear
from bench.report import Table
from nuvett.core.even.light import apply_gains, join_gains
from nuvett.core.even.overlay import light_cloud, overlay
from nuvett.core.reading.sampling import stratified_sample
from nuvett.core.series import even_series
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Floats, Linear
from nuvett.imaging.proxy import measuring_proxy

_CROPS = 5
_JITTER = (0.5, 12.0, 4.0)  # standard deviations: EV, percent of warmth, percent of tint
_ONE: Floats = np.ones(3, dtype=np.float32)
Finder = Callable[[Linear, Linear], Floats]


def _mean(frame: Linear, base: Linear) -> Floats:
    return np.asarray(base.mean(axis=0) / frame.mean(axis=0), dtype=np.float32)


def _half_mean(frame: Linear, base: Linear) -> Floats:
    return np.asarray(np.sqrt(_mean(frame, base)), dtype=np.float32)


def _median(frame: Linear, base: Linear) -> Floats:
    return np.asarray(np.median(base, axis=0) / np.maximum(np.median(frame, axis=0), 1e-4), dtype=np.float32)


def _overlay(frame: Linear, base: Linear) -> Floats:
    return np.array(overlay(light_cloud(frame), light_cloud(base)).gains, dtype=np.float32)


FINDERS: dict[str, Finder] = {
    "untouched": lambda frame, base: _ONE,
    "mean matching": _mean,
    "half-strength mean matching": _half_mean,
    "median matching": _median,
    "Nuvett, overlay": _overlay,
}


def _error(corrected: Linear, truth: Linear) -> float:
    return float(difference(corrected, truth).mean())


def crops_table() -> Table:
    """Random crops of photographs, jittered, evened to the whole photograph."""
    random = np.random.default_rng(11)
    errors: dict[str, list[float]] = {name: [] for name in FINDERS}
    for photo in photographs():
        height, width = photo.pixels.shape[:2]
        base = stratified_sample(photo.proxy)
        for _ in range(_CROPS):
            h, w = int(height * random.uniform(0.45, 0.75)), int(width * random.uniform(0.45, 0.75))
            y, x = random.integers(0, height - h), random.integers(0, width - w)
            truth = small_linear(photo.pixels[y : y + h, x : x + w])
            truth = np.asarray(cv2.resize(truth, (w // 2, h // 2), interpolation=cv2.INTER_AREA), np.float32)
            gains = join_gains(*(float(v) for v in random.normal(0, _JITTER)))
            spoiled = np.clip(truth * gains, 0, 1).astype(np.float32)
            # Through eight bits, as a camera's file would be.
            sample = stratified_sample(spoiled)
            for name, find in FINDERS.items():
                errors[name].append(_error(apply_gains(spoiled, find(sample, base)), truth))
    table = Table("Even light, jittered crops of photographs", ("method", "mean CIEDE2000", "90 %"))
    for name, values in errors.items():
        table.add(name, round(float(np.mean(values)), 2), round(float(np.quantile(values, 0.9)), 2))
    return table


def frames_table() -> Table:
    """The demo's frames, evened within their set-ups, against the same frames without camera errors."""
    entries = manifest()["frames"]
    proxies = [measuring_proxy(load(DEMO / entry["file"]), Space.SRGB) for entry in entries]
    truths = [measuring_proxy(load(DEMO / entry["truth"]), Space.SRGB) for entry in entries]
    samples = [stratified_sample(proxy) for proxy in proxies]
    names = list(dict.fromkeys(entry["set_up"] for entry in entries))
    setups = [names.index(entry["set_up"]) for entry in entries]
    found = {
        "untouched": [_ONE] * len(entries),
        "gains as they were (the least possible)": [
            np.asarray(1 / np.array(entry["gain_error_linear_rgb"]), dtype=np.float32) for entry in entries
        ],
        "Nuvett, by set-up": [np.array(e.gains, np.float32) for e in even_series(samples, setups)],
    }
    for name in ("mean matching", "half-strength mean matching", "median matching"):
        found[name] = [
            FINDERS[name](s, np.concatenate([o for o, k in zip(samples, setups, strict=True) if k == own]))
            for s, own in zip(samples, setups, strict=True)
        ]
    table = Table(
        "Even light, rendered frames with known truth",
        ("method", "mean CIEDE2000 to the truth", "the same, set-up's common shift forgiven"),
    )
    for name, gains in found.items():
        plain = [
            _error(apply_gains(p, g)[::3, ::3], t[::3, ::3]) for p, g, t in zip(proxies, gains, truths, strict=True)
        ]
        forgiven = _forgiven(entries, setups, gains)
        relative = [
            _error(apply_gains(p, g)[::3, ::3], t[::3, ::3]) for p, g, t in zip(proxies, forgiven, truths, strict=True)
        ]
        table.add(name, round(float(np.mean(plain)), 2), round(float(np.mean(relative)), 2))
    return table


def _forgiven(entries: list[dict[str, object]], setups: list[int], gains: list[Floats]) -> list[Floats]:
    """Gains after taking off what all frames of a set-up are off by together: only sameness within is judged."""
    errors = np.log([np.asarray(e["gain_error_linear_rgb"]) * g for e, g in zip(entries, gains, strict=True)])
    out = []
    for index, own in enumerate(setups):
        common = np.mean([errors[i] for i, other in enumerate(setups) if other == own], axis=0)
        out.append(np.asarray(gains[index] * np.exp(-common), dtype=np.float32))
    return out


def run() -> list[Table]:
    """Both tables."""
    return [crops_table(), frames_table()]
