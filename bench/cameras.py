"""From the camera to the client: developing raw files, what undoing a lens adds, and workers that help each other."""

import multiprocessing
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from statistics import median

import cv2
import numpy as np
import rawpy
from sqlalchemy import func, select

from bench.pictures import DEMO, load
from bench.report import Table
from bench.speed import large_jpeg, timed, usual_plan
from nuvett.core.drawing.drawing import compile_stages
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.types import Encoded01, Linear
from nuvett.imaging.decode import decode, open_picture
from nuvett.imaging.decoders.by_vips import DEVELOPED
from nuvett.imaging.encode import Format, encode, write_developed
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.glimpse import glimpse
from nuvett.imaging.lens_database import correction_by, find_lens
from nuvett.imaging.opened import Development, Limits
from nuvett.imaging.views import encoded_view
from nuvett.services.delivery import deliveries
from nuvett.services.delivery.delivery_settings import read_settings
from nuvett.services.files.measuring import measure_file
from nuvett.services.files.rendering import THREADS, LookedAt, looked_at, render_file
from nuvett.services.looks import carrying
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue, gathering
from nuvett.settings import Settings
from nuvett.store import models
from nuvett.store.migrating import migrate
from tools.cluster import Cluster
from tools.raw_files import Shot, write_dng

_PROJECT = Path(__file__).resolve().parent.parent
_LIMITS = Limits()
_ROUNDS, _FILES, _CODED = 5, 16, 8
_OWN = FileFacts(camera_maker="Tidewrack", camera="Maker One", lens="Tidewrack 35 mm F2", focal=35, aperture=4)
_NEUTRAL = Development(start="neutral", highlights="cut")


def _large_raw(folder: Path, jpeg: Path) -> Path:
    pixels = decode(jpeg, _LIMITS).pixels
    path = folder / "large.dng"
    preview = np.asarray(cv2.resize(pixels, (1200, 800), interpolation=cv2.INTER_AREA), np.uint8)
    write_dng(path, to_linear(Encoded01((pixels / 255).astype(np.float32))), Shot(light=(0.8, 1, 0.5)), preview)
    return path


def _library_alone(path: Path) -> None:
    with rawpy.imread(str(path)) as raw:
        raw.postprocess(
            gamma=(1, 1),
            no_auto_bright=True,
            output_bps=16,
            use_camera_wb=True,
            output_color=rawpy.ColorSpace.Rec2020,
            highlight_mode=rawpy.HighlightMode.ReconstructDefault,
        )


def _delivered(path: Path, plan: FramePlan, seen: LookedAt | None = None) -> None:
    made = render_file(path, _LIMITS, lambda domain: compile_stages(plan, domain, threads=THREADS), 8, None, seen)
    encode(made.pixels, Format.JPEG, 92, Space.SRGB, made.dpi)


def raw_table(folder: Path, jpeg: Path) -> Table:
    """Developing once, delivering after that, and how near colours come."""
    table = Table("Raw files of 24 megapixels", ("measure", "value", "aim"))
    raw, developed, plain = _large_raw(folder, jpeg), folder / "developed.tif", folder / "plain.tif"

    def develop() -> None:
        write_developed(open_picture(raw, _LIMITS).whole().pixels, developed, DEVELOPED)

    rounds = [(timed(lambda: _library_alone(raw), 1), timed(develop, 1)) for _ in range(_ROUNDS)]
    table.add("the library alone, s", round(median(a for a, _ in rounds), 2), "")
    table.add("developed, rendered as the camera did, and kept, s", round(median(b for _, b in rounds), 2), "")
    table.add("ratio, median of rounds", round(median(b / a for a, b in rounds), 2), "at most 1.3")
    pixels = decode(jpeg, _LIMITS).pixels.astype(np.uint16) * 257
    write_developed(pixels, plain, "a plain picture")
    plan = usual_plan()
    pairs = [
        (timed(lambda: _delivered(plain, plan), 1), timed(lambda: _delivered(developed, plan), 1))
        for _ in range(_ROUNDS)
    ]
    table.add("delivery of a 16-bit TIFF, s", round(median(a for a, _ in pairs), 2), "")
    table.add("delivery of the developed raw file over it", round(median(b / a for a, b in pairs), 2), "as quick")
    for name in ("AT-0101", "AT-0115", "AT-0125"):
        linear = to_linear(Encoded01((load(DEMO / "frames" / f"{name}.jpg") / 255).astype(np.float32)))
        write_dng(folder / "small.dng", linear, Shot(light=(0.8, 1, 0.5)))
        found = decode(folder / "small.dng", _LIMITS, _NEUTRAL).pixels
        made = to_linear(Encoded01((found / 65535).astype(np.float32)), Space.SCENE)
        scale = np.median(made[..., 1] / np.maximum(linear[..., 1], 1e-3))
        off = float(difference(Linear(np.asarray(made / scale, np.float32)), linear).mean())
        table.add(f"colour of {name} developed, mean CIEDE2000", round(off, 2), "at most 1.5")
    return table


def arriving_table(folder: Path, jpeg: Path) -> Table:
    """A frame that arrives: until it is seen, and until it is measured, on one core."""
    table = Table("A frame of 24 megapixels that arrives", ("measure", "value", "aim"))
    raw = _large_raw(folder, jpeg)

    def measured(path: Path) -> None:
        encoded_view(measure_file(path, _LIMITS).picture)

    def of_core(path: Path) -> float:
        start = time.process_time()
        measured(path)
        return time.process_time() - start

    measured(jpeg)
    table.add("a JPEG seen small, s", round(timed(lambda: glimpse(jpeg, _LIMITS, 240)), 3), "")
    table.add("a raw file seen small, s", round(timed(lambda: glimpse(raw, _LIMITS, 240)), 3), "at most 1.0")
    table.add("JPEGs measured a second of a core", round(1 / median(of_core(jpeg) for _ in range(_ROUNDS)), 2), 2.4)
    table.add("a raw file developed and measured, s", round(timed(lambda: measured(raw), 3), 2), "at most 3.5")
    return table


def own_lens() -> LensCorrection:
    """What the demo's own lens does to 24 megapixels."""
    known = find_lens(_OWN)
    lens = correction_by(known.key, _OWN, (6000, 4000)) if known else None
    if lens is None:
        raise SystemExit("The demo's own lens is not known.")
    return lens


def lens_table(folder: Path, jpeg: Path) -> Table:
    """What undoing a lens adds to a delivery, measured turn by turn."""
    table = Table("What undoing a lens adds to a delivery of 24 megapixels, %", ("with", "more", "aim at most"))
    lens = own_lens()
    plan, picture = usual_plan(), decode(jpeg, _LIMITS)
    seen = looked_at(picture, [], plan)
    works: dict[str, Callable[[], None]] = {}
    for name, own in (
        ("distortion", lens.model_copy(update={"dark": (0.0, 0.0, 0.0), "red": (1.0, 0, 0), "blue": (1.0, 0, 0)})),
        ("distortion and fringes", lens.model_copy(update={"dark": (0.0, 0.0, 0.0)})),
        ("all three", lens),
    ):
        with_lens = plan.model_copy(update={"lens": own})
        works[name] = lambda used=with_lens: _delivered(jpeg, used, seen)  # type: ignore[misc]
    found: dict[str, list[float]] = {name: [] for name in works}
    for _ in range(_ROUNDS):
        alone = timed(lambda: _delivered(jpeg, plan, seen), 1)
        for name, work in works.items():
            found[name].append(timed(work, 1) / alone - 1)
    for name, shares in found.items():
        table.add(name, round(100 * median(shares)), 25 if name == "all three" else "")
    return table


@contextmanager
def _studio(folder: Path) -> Iterator[Studio]:
    parent = Path("/var/lib/postgresql") if os.geteuid() == 0 else folder
    cluster = Cluster(parent / f"nuvett-bench-{os.getpid()}", folder / "passwords")
    try:
        cluster.start(durable=False)
        settings = Settings(database=cluster.database("workers"), blobs=str(folder / "blobs"))
        studio = Studio.of(settings)
        migrate(studio.database)
        yield studio
        studio.database.close()
    finally:
        cluster.remove()


@contextmanager
def _workers(studio: Studio, cores: list[int]) -> Iterator[list[subprocess.Popen[bytes]]]:
    """Worker processes, each bound to a core of its own."""
    environment = os.environ | {
        "NUVETT_DATABASE": studio.settings.database,
        "NUVETT_BLOBS": studio.settings.blobs,
        "MALLOC_ARENA_MAX": "2",
    }
    command = [sys.executable, "-m", "nuvett.jobs"]
    started = [
        subprocess.Popen(["taskset", "-c", str(core), *command], cwd=_PROJECT, env=environment) for core in cores
    ]
    try:
        time.sleep(4)  # they have loaded what they need
        yield started
    finally:
        for process in started:
            process.terminate()
        for process in started:
            process.wait(30)


def _until(studio: Studio, done: Callable[[], bool], seconds: float = 300) -> None:
    end = time.monotonic() + seconds
    while not done():
        if time.monotonic() > end:
            raise SystemExit("The workers did not come to an end in time.")
        time.sleep(0.05)


def _series(studio: Studio, jpeg: Path, cores: list[int]) -> None:
    data = jpeg.read_bytes()
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Large")
        for n in range(_FILES):
            path = jpeg.with_name(f"L-{n}.jpg")
            path.write_bytes(data + bytes([n]))
            gathering.add_file(session, studio, series, path)
        with (DEMO / "stills" / "still_1_teal_amber.jpg").open("rb") as stream:
            new_references.add_reference(session, studio, series, "teal.jpg", stream)

    def measured() -> bool:
        with studio.database.session() as session:
            ready = select(func.count()).where(models.FrameRow.even.is_not(None))
            read = select(func.count()).where(models.ReferenceRow.state == "ready")
            return (session.scalar(ready), session.scalar(read)) == (_FILES, 1)

    with _workers(studio, cores):
        _until(studio, measured)
    with studio.database.session() as session:
        carrying.carry(session, catalogue.find_series(session, "large"))


def _delivery(studio: Studio, cores: list[int]) -> tuple[float, float]:
    """Files a second from the first to the last one made, and the largest memory of a worker in MB."""
    with _workers(studio, cores) as running:
        with studio.database.session() as session:
            series = catalogue.find_series(session, "large")
            ordered = deliveries.order_delivery(session, studio, series, read_settings({})).id

        def over() -> bool:
            with studio.database.session() as session:
                return session.get_one(models.DeliveryRow, ordered).state == "done"

        _until(studio, over)
        most = max(_peak(process.pid) for process in running)
    with studio.database.session() as session:
        delivery = session.get_one(models.DeliveryRow, ordered)
        ends = [file.finished for file in delivery.files if file.finished]
        if not delivery.started or len(ends) != _FILES:
            raise SystemExit("Not all files were made.")
        return _FILES / (max(ends) - delivery.started).total_seconds(), most


def coded(jpeg: str) -> None:
    """Decode and encode a file some times, and print how many times a second; for `_machine`."""
    start = time.perf_counter()
    for _ in range(_CODED):
        encode(decode(Path(jpeg), _LIMITS).pixels, Format.JPEG, 92, Space.SRGB, None)
    print(_CODED / (time.perf_counter() - start))


def _machine(jpeg: Path, cores: list[int]) -> float:
    """Files a second of processes that only decode and encode, share nothing, and have a core each."""
    command = [sys.executable, "-c", "import sys; from bench.cameras import coded; coded(sys.argv[1])", str(jpeg)]
    started = [
        subprocess.Popen(["taskset", "-c", str(core), *command], cwd=_PROJECT, stdout=subprocess.PIPE, text=True)
        for core in cores
    ]
    return sum(float(process.communicate()[0]) for process in started)


def _peak(pid: int) -> float:
    lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith("VmHWM")).split()[1]) / 1024


def workers_table(folder: Path, jpeg: Path) -> Table:
    """Files a second of one worker on one core, and of two on two, with the real queue."""
    cores = multiprocessing.cpu_count()
    title = f"Workers that help each other with {_FILES} files, each on a core of its own; this machine has {cores}"
    table = Table(title, ("measure", "value", "aim"))
    with _studio(folder) as studio:
        _series(studio, jpeg, list(range(min(2, cores))))
        both = [0, 1 % cores]
        rounds = [(_delivery(studio, [0]), _delivery(studio, both)) for _ in range(_ROUNDS)]
        given = [_machine(jpeg, both) / _machine(jpeg, [0]) for _ in range(_ROUNDS)]
    table.add("one worker, files of 24 megapixels a second", round(median(one[0] for one, _ in rounds), 2), "")
    table.add("two workers", round(median(two[0] for _, two in rounds), 2), "")
    table.add("ratio, median of rounds", round(median(two[0] / one[0] for one, two in rounds), 2), "at least 1.7")
    table.add("decode and encode alone, two processes over one: what the machine gave", round(median(given), 2), "")
    most = max(max(one[1], two[1]) for one, two in rounds)
    table.add("largest memory of a worker, MB", round(most), "under 700")
    return table


def run() -> list[Table]:
    """All tables."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        folder.chmod(0o711)
        jpeg = large_jpeg(folder)
        tables = [arriving_table(folder, jpeg), raw_table(folder, jpeg), lens_table(folder, jpeg)]
        return [*tables, workers_table(folder, jpeg)]
