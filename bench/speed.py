"""Speed and memory, as ratios and times measured side by side in one run."""

import itertools
import multiprocessing
import os
import tempfile
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from statistics import median

import cv2
import numpy as np
import pyvips

from bench.pictures import DEMO, load, rendered, stills
from bench.report import Table
from nuvett.core.drawing.drawing import compile_stages
from nuvett.core.even.even_light import EvenLight
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import placed_sample, stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.compile import compile_plan, compile_shaped
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.planning import aim_of, aim_of_statistics, plan_frame
from nuvett.core.reading.family import Family
from nuvett.core.reading.reading import Reading, Target, Weighed, blend, read
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space
from nuvett.core.steps.tone import ToneStep
from nuvett.core.types import Linear
from nuvett.imaging.clips import ClipReader, read_clip
from nuvett.imaging.decode import decode
from nuvett.imaging.encode import FORMATS, Format, encode
from nuvett.imaging.opened import Limits
from nuvett.imaging.proxy import measuring_proxy, view
from nuvett.services.engine.arrays import dump_sample
from nuvett.services.engine.facts import Aimed, Facts, FrameFacts
from nuvett.services.engine.wall import Show, build_wall
from nuvett.services.engine.workbench import Workbench
from nuvett.services.files.rendering import THREADS, LookedAt, looked_at, render_file
from nuvett.store.blobs import BlobStore

_REPEATS = 5
_LARGE = (4000, 6000)  # 24 megapixels
_LIMITS = Limits()
_FILES = 4


def timed(work: Callable[[], object], repeats: int = _REPEATS) -> float:
    """Median seconds of a call, after one call that does not count."""
    work()
    found = []
    for _ in range(repeats):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return median(found)


def usual_plan() -> FramePlan:
    """The plan of a usual look on a demo frame."""
    source, target = (stratified_sample(p.proxy) for p in (rendered()[0], stills()[0]))
    aim = aim_of_statistics(measure(linear_to_oklab(target)))
    return plan_frame(measure(linear_to_oklab(source)), aim, Look(), EvenLight(gains=(1.1, 1, 0.95)))


def large_jpeg(folder: Path) -> Path:
    """A 24-megapixel JPEG enlarged from a demo frame, with fine noise so that it costs what a photograph costs."""
    frame = cv2.resize(load(DEMO / "frames" / "AT-0101.jpg"), _LARGE[::-1], interpolation=cv2.INTER_CUBIC)
    noise = np.random.default_rng(1).integers(-6, 7, frame.shape, np.int16)
    path = folder / "large.jpg"
    path.write_bytes(encode(np.clip(frame + noise, 0, 255).astype(np.uint8), Format.JPEG, 92))
    return path


def deliver(path: Path, plan: FramePlan) -> bytes:
    """What a delivery does with one file."""
    made = render_file(path, _LIMITS, lambda domain: compile_stages(plan, domain), FORMATS[Format.JPEG].depth)
    return encode(made.pixels, Format.JPEG, 92, Space.SRGB, made.dpi)


def prepared(path: Path, plan: FramePlan, fmt: Format = Format.JPEG) -> Callable[[], bytes]:
    """A delivery of a frame of which is known already what the worker knows since it was measured."""
    seen = looked_at(decode(path, _LIMITS), [layer.area for layer in plan.layers], plan)
    weights, small = seen.weights(), seen.small()

    def deliver() -> bytes:
        known = LookedAt(lambda: small, lambda: weights)
        stages = lambda domain: compile_stages(plan, domain, threads=THREADS)  # noqa: E731
        made = render_file(path, _LIMITS, stages, FORMATS[fmt].depth, None, known)
        return encode(made.pixels, fmt, 92, Space.SRGB, made.dpi)

    return deliver


def bare(path: Path) -> bytes:
    """Decode and encode of the same file and nothing else."""
    image = pyvips.Image.new_from_file(str(path), access="sequential")
    return bytes(image.write_to_buffer(".jpg", Q=92, subsample_mode="off"))


def _several(work: Callable[[], bytes], at_once: int) -> None:
    with ThreadPoolExecutor(at_once) as pool:
        list(pool.map(lambda _: len(work()), range(_FILES)))


def _peak_of_delivery(path: str, plan_text: str, files: int) -> float:
    plan = FramePlan.model_validate_json(plan_text)
    with ThreadPoolExecutor(2) as pool:
        list(pool.map(lambda _: len(deliver(Path(path), plan)), range(files)))
    # Not getrusage: its peak is inherited from the process that started this one.
    peak = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM"))
    return int(peak.split()[1]) / 1024


def delivery_table(folder: Path) -> Table:
    """Delivery as the worker does it against bare decode and encode of the same files; peak memory."""
    path, plan = large_jpeg(folder), usual_plan()
    table = Table("Delivery of 24-megapixel JPEGs", ("measure", "value", "aim"))
    # Turn by turn, so that a machine that slows down for a while slows both.
    rounds = []
    for _ in range(_REPEATS):
        plain = timed(lambda: _several(lambda: bare(path), 1), 1)
        rounds.append((plain, timed(lambda: _several(lambda: deliver(path, plan), 2), 1)))
    table.add(f"decode + encode of {_FILES} files alone, s", round(median(p for p, _ in rounds), 3), "")
    table.add(f"delivery of {_FILES} files, two at once, s", round(median(o for _, o in rounds), 3), "")
    table.add("ratio, median of rounds", round(median(o / p for p, o in rounds), 2), "at most 2.5, better 2.0")
    os.environ["MALLOC_ARENA_MAX"] = "2"  # as the start command sets it for the worker
    context = multiprocessing.get_context("spawn")
    for files in (2, 6, 16):
        with context.Pool(1) as pool:
            peak = pool.apply(_peak_of_delivery, (str(path), plan.model_dump_json(), files))
        table.add(f"peak memory of a worker after {files} files, two at once, MB", round(peak), "under 700")
    return table


def step_table(folder: Path) -> Table:
    """Times of the single steps that make dragging live."""
    table = Table("Steps, ms", ("step", "ms", "aim"))
    pixels = load(DEMO / "frames" / "AT-0101.jpg")
    proxy = measuring_proxy(pixels, Space.SRGB)
    sample = stratified_sample(proxy)
    frame = measure(linear_to_oklab(sample))
    aim = aim_of(blend([Weighed(reading=read(stills()[0].proxy), tone=1, colour=1)]))
    gains = EvenLight(gains=(1.1, 1, 0.95))
    plan = plan_frame(frame, aim, Look(), gains)
    measuring = timed(lambda: measure(linear_to_oklab(stratified_sample(proxy))))
    table.add("measuring a frame from its proxy", round(1000 * measuring, 1), "under 60")
    table.add("planning a frame", round(1000 * timed(lambda: plan_frame(frame, aim, Look(), gains)), 1), "under 30")
    compiling = timed(lambda: compile_shaped(plan, threads=THREADS))
    table.add("compiling a 33-point table", round(1000 * compiling, 1), "under 12")
    table.add("compiling a 65-point table", round(1000 * timed(lambda: compile_plan(plan, 65)), 1), "")
    table.add("reading a reference anew after moving a patch", round(1000 * timed(_moved_patch(proxy)), 1), "under 120")
    forward, back = _clip_steps()
    table.add("stepping a clip forward, 960 x 402", round(1000 * forward, 1), "under 150")
    table.add("jumping in a clip, 960 x 402", round(1000 * back, 1), "")
    bench, frames = demo_workbench(folder, 1)
    target = made_target()
    looks = iter(Look.of(ToneStep(amount=50 + n / 10)) for n in range(100))

    def preview() -> bytes:
        found = bench.planner.plan(frames, 0, Aimed(next(looks), target, "target"))
        return bench.pictures.preview(frames[0], found, 1280)

    table.add("preview at 1280 px after a change", round(1000 * timed(preview), 1), "under 60")
    return table


def _moved_patch(proxy: Linear) -> Callable[[], Reading]:
    """Reading with a patch that lies elsewhere each time, two families and a part left out."""
    places = itertools.cycle(np.linspace(0, 0.3, 7))
    amber = Family(colour=(0.75, 0.03, 0.11), tolerance=60)
    out = Patch(kind="outline", points=((0.4, 0.4), (0.6, 0.4), (0.5, 0.7)), leave_out=True)

    def once() -> Reading:
        x = float(next(places))
        sampled = Sampling(
            patches=(Patch.rectangle(x, 0.1, 0.7, 0.8), out), families=(amber, Family(colour=(0.4, 0, 0)))
        )
        return read(proxy, sampled)

    return once


def _clip_steps() -> tuple[float, float]:
    """Seconds for the next frame of the demo's clip, and for one far away."""
    path = DEMO / "clips" / "salt-road.webm"
    reader = ClipReader(path, read_clip(path))
    numbers = itertools.count(60)
    far = itertools.cycle([300, 20, 190, 80, 350])
    reader.frame(59)
    return timed(lambda: reader.frame(next(numbers))), timed(lambda: reader.frame(next(far)))


def made_target() -> Target:
    """A target of the first still."""
    return blend([Weighed(reading=read(stills()[0].proxy), tone=1, colour=1)])


def demo_workbench(folder: Path, count: int) -> tuple[Workbench, Facts]:
    """A workbench with frames of the demo on it, repeated with slight changes until there are enough."""
    blobs = BlobStore(str(folder / "blobs"))
    frames = Facts()
    paths = sorted((DEMO / "frames").glob("*.jpg"))
    setups = [uuid.uuid4() for _ in range(7)]
    for n in range(count):
        pixels = load(paths[n % len(paths)])
        if n >= len(paths):
            pixels = np.ascontiguousarray(np.clip(pixels.astype(np.int16) + n % 5 + 1, 0, 255).astype(np.uint8))
        sample = placed_sample(measuring_proxy(pixels, Space.SRGB))
        kept = encode(view(pixels, Space.SRGB), Format.JPEG, 95)
        (folder / "view.jpg").write_bytes(kept)
        own = uuid.uuid4()
        frames.append(
            FrameFacts(
                id=own,
                first=own,
                original=blobs.put_file(folder / "view.jpg")[0],
                pixels=blobs.put_file(folder / "view.jpg")[0],
                view=blobs.put_file(folder / "view.jpg")[0],
                sample=blobs.put(dump_sample(sample))[0],
                domain=Space.SRGB,
                width=1200,
                height=800,
                setup=setups[n * 7 // count],
                even=EvenLight(),
                trim=Trim(),
            )
        )
    return Workbench(blobs, None, _LIMITS, 512), frames


def wall_table(folder: Path) -> Table:
    """The wall of 50 frames after a change of the look: planned, measured, and every tile rendered."""
    table = Table("Wall of 50 frames after a change", ("measure", "s", "aim"))
    bench, frames = demo_workbench(folder, 50)
    target = made_target()
    looks = iter(Look.of(ToneStep(amount=50 + n / 10)) for n in range(100))

    def change() -> None:
        wall = build_wall(bench, frames, Aimed(next(looks), target, "target"), Show.LOOK)
        plans = [bench.plans.find(item.shown.plan if item.shown else "") for item in wall.items]
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            list(pool.map(lambda item, plan: bench.pictures.preview(item.frame, plan, 400), wall.items, plans))

    table.add("plans, measures and tiles", round(timed(change, 3), 2), "under 1")
    return table


def run() -> list[Table]:
    """All speed tables."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        return [delivery_table(folder), step_table(folder), wall_table(folder)]
