"""Consistency: the same rendered scene under other exposures and lamps, carried to one target."""

import itertools
from collections.abc import Callable

import numpy as np

from bench.baselines import METHODS
from bench.pictures import DEMO, load, manifest, stills
from bench.report import Table
from nuvett.core.fit.plan import Aim, apply_plan
from nuvett.core.fit.statistics import measure
from nuvett.core.look.look import Look
from nuvett.core.reading.sampling import stratified_sample
from nuvett.core.series import Measured, Pools, even_series, plan_in_series, plan_shared
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.gamut import map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Linear
from nuvett.imaging.proxy import measuring_proxy

_STEP = 3
PULLS = (0, 30, 60, 100)


def run() -> list[Table]:
    """Mean CIEDE2000 between results of the same scene, for each way of carrying a look."""
    entries = manifest()["frames"]
    proxies = [measuring_proxy(load(DEMO / entry["file"]), Space.SRGB) for entry in entries]
    samples = [stratified_sample(proxy) for proxy in proxies]
    names = list(dict.fromkeys(entry["set_up"] for entry in entries))
    setups = [names.index(entry["set_up"]) for entry in entries]
    pairs = [
        (i, j)
        for i, j in itertools.combinations(range(len(entries)), 2)
        if entries[i]["scene"] == entries[j]["scene"] and proxies[i].shape == proxies[j].shape
    ]
    target = stills()[0].thumbnail.reshape(-1, 3)
    aim = Aim.of_statistics(measure(linear_to_oklab(stratified_sample(target))))
    lights = even_series(samples, setups)

    def between(finish: Callable[[int], Linear]) -> float:
        done = {i: finish(i) for i in sorted({k for pair in pairs for k in pair})}
        return float(np.mean([difference(done[i], done[j]).mean() for i, j in pairs]))

    def pixels(index: int) -> Linear:
        return np.ascontiguousarray(proxies[index][::_STEP, ::_STEP].reshape(-1, 3))

    table = Table(
        f"Consistency, {len(pairs)} pairs of frames of one scene under other light and exposure",
        ("way of carrying", "mean CIEDE2000 between the two results"),
    )
    table.add("as they came", round(between(pixels), 2))
    fixed = Pools.of([Measured(s, e, n) for s, e, n in zip(samples, lights, setups, strict=True)], Look())
    shared = plan_shared(fixed, aim, Look())
    table.add("one fixed table", round(between(lambda i: map_to_gamut(apply_plan(shared, pixels(i)))), 2))
    for name, method in METHODS.items():
        table.add(name, round(between(lambda i, m=method: np.clip(m(pixels(i), target), 0, 1)), 2))  # type: ignore[misc]
    for pull in PULLS:
        look = Look(pull=pull)

        def ours(i: int, look: Look = look) -> Linear:
            return map_to_gamut(apply_plan(plan_in_series(fixed, i, lights[i], aim, look), pixels(i)))

        table.add(f"Nuvett, pull {pull}", round(between(ours), 2))
    return [table]
