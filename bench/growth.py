"""What a frame costs where a series is long: plans asked for again, and the wall of all frames."""

import tempfile
import time
import uuid
from dataclasses import replace
from pathlib import Path
from statistics import median

import numpy as np

from bench.report import Table
from bench.speed import demo_workbench, made_target, timed
from nuvett.core.look.look import Look
from nuvett.core.types import Linear
from nuvett.imaging.opened import Limits
from nuvett.services.engine.arrays import dump_sample
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.wall import Show, build_wall
from nuvett.services.engine.workbench import Workbench
from nuvett.store.blobs import BlobStore

_MEGABYTES = 512  # as settings have it
_IN_A_SETUP, _OWN = 25, 12  # frames; of the demo, each of which stands for many with slight changes
_LENGTHS = (36, 200, 1000)


def growth_table(folder: Path) -> Table:
    """Asking for kept plans of every frame of a request: what a frame costs must not grow with the series."""
    table = Table("Plans asked for again, by the length of the series", ("frames", "ms a frame"))
    bench, frames = demo_workbench(folder, 20)
    aimed = Aimed(Look(), made_target(), "target")
    for count in (200, 2000):
        kept = [frames[i % len(frames)] for i in range(count)]
        first = Facts(kept)
        for index in range(len(frames)):
            bench.planner.plan(first, index, aimed)

        def ask(kept: list[FrameFacts] = kept) -> None:
            request = Facts(kept)
            for index in range(len(request)):
                bench.planner.plan(request, index, aimed)

        table.add(count, round(timed(ask, 3) * 1000 / count, 4))
    return table


def _long_series(folder: Path, count: int) -> tuple[Workbench, Facts]:
    """A workbench and a series of so many frames, each with a sample of its own."""
    made, base = demo_workbench(folder, _OWN)
    blobs = BlobStore(str(folder / "blobs"))
    samples = [made.sources.sample(frame) for frame in base]
    setups = [uuid.uuid4() for _ in range(-(-count // _IN_A_SETUP))]
    frames = Facts()
    for n in range(count):
        own, sample = uuid.uuid4(), samples[n % _OWN]
        darker = Linear((sample.colours * np.float32(1 - 1e-4 * (n // _OWN + 1))).astype(np.float32))
        kept = blobs.put(dump_sample(replace(sample, colours=darker)))[0]
        frames.append(replace(base[n % _OWN], id=own, first=own, sample=kept, setup=setups[n // _IN_A_SETUP]))
    return Workbench(blobs, None, Limits(), _MEGABYTES), frames


def long_wall_table(folder: Path) -> Table:
    """Plans and measures of a whole wall: when nothing of it is known, and asked for once more."""
    columns = ("frames", "for the first time, s", "again, s", "again, ms a frame")
    table = Table("The wall of a whole series, by its length", columns)
    aimed = Aimed(Look(), made_target(), "target")
    for count in _LENGTHS:
        bench, frames = _long_series(folder / str(count), count)
        took = []
        for _ in range(4):
            start = time.perf_counter()
            build_wall(bench, Facts(frames), aimed, Show.LOOK)
            took.append(time.perf_counter() - start)
        again = median(took[1:])
        table.add(count, round(took[0], 2), round(again, 3), round(1000 * again / count, 2))
    return table


def run() -> list[Table]:
    """All tables."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for count in _LENGTHS:
            (folder / str(count)).mkdir()
        return [growth_table(folder), long_wall_table(folder)]
