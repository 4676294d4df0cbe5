"""Whole jobs on plain files, without a database: what the command line offers."""

import hashlib
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum
from pathlib import Path
from typing import Any

import numpy as np

from nuvett.core.drift.drift import Yardstick
from nuvett.core.errors import NuvettError, OutputExistsError, PairError
from nuvett.core.even.even_light import EvenLight
from nuvett.core.even.setups import find_setups, rough_light
from nuvett.core.even.shared import Seen
from nuvett.core.even.together import even_setup
from nuvett.core.geometry.lens import LensCorrection
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import Sample
from nuvett.core.plan.compile import compile_plan
from nuvett.core.plan.frame_plan import FramePlan, Group
from nuvett.core.plan.tables import TableOperation
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.planning import aim_of, even_only
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, drift_of, even_series, seed_of, shooting_order
from nuvett.core.planning.warnings import newly_clipped
from nuvett.core.reading.reading import Target
from nuvett.core.spaces.rgb import Space
from nuvett.core.table.held import HeldTable
from nuvett.core.table.infer import Inference, infer_table
from nuvett.core.table.pairs import lay_over
from nuvett.core.types import Floats, OKLab
from nuvett.imaging.decode import decode, read_header
from nuvett.imaging.decoders.by_vips import DEVELOPED, source_space
from nuvett.imaging.decoders.raw import SUFFIXES as RAW_SUFFIXES
from nuvett.imaging.encode import FORMATS, Format, usual_format, write_developed
from nuvett.imaging.lens_database import usual_correction
from nuvett.imaging.opened import Header, Limits
from nuvett.imaging.tables import format_of, table_text
from nuvett.services.files.measuring import MeasuredFile, measure_file, small_encoded
from nuvett.services.files.rendering import LookedAt, looked_at
from nuvett.services.files.writing import Rendering, Written, write_picture


@dataclass(frozen=True)
class Output:
    """Where and how pictures are written.

    format, space : none for those of the source; overwrite : whether files that are there are replaced
    """

    folder: Path
    written: Written = field(default_factory=Written)
    format: Format | None = None
    space: Space | None = Space.SRGB
    overwrite: bool = False


@dataclass(frozen=True)
class Photo:
    """A photo to work on: its file, and the finished picture that a camera wrote beside a raw one."""

    path: Path
    beside: Path | None = None


class Lenses(StrEnum):
    """Which photos have undone what a known lens did to them: raw files as usual, all, or none."""

    USUAL = "usual"
    ALL = "all"
    NONE = "none"


@dataclass(frozen=True)
class Aside:
    """What a match takes beside the photos and the look.

    trim : taken by every photo after the look
    base : picture whose light all photos are evened to; none evens each set-up to its own middle
    cube : where to write the table that all photos share (pull 0); none for no table
    """

    base: Path | None = None
    cube: Path | None = None
    trim: Trim | None = None
    lenses: Lenses = Lenses.USUAL


@dataclass(frozen=True)
class Outcome:
    """What became of one photo: where it was written and what to report of it, or what went wrong."""

    source: Path
    written: Path | None = None
    report: dict[str, Any] | None = None
    error: str | None = None


def paired(paths: Sequence[Path]) -> list[Photo]:
    """Photos of files: a raw file and a finished picture of its name beside it are one, as a camera writes them.

    Raises OutputExistsError for others that would be written under one name.
    """
    photos: dict[str, Photo] = {}
    for path in paths:
        other = photos.get(path.stem)
        if other is None:
            photos[path.stem] = Photo(path)
            continue
        raws = [one for one in (other.path, path) if one.suffix.lower() in RAW_SUFFIXES]
        if other.beside is not None or len(raws) != 1 or other.path.parent != path.parent:
            raise OutputExistsError(
                f"{path} and {other.path} would be written under one name; do them one after the other."
            )
        (finished,) = (one for one in (other.path, path) if one not in raws)
        photos[path.stem] = Photo(raws[0], finished)
    return list(photos.values())


Progress = Callable[[], None]
"""Called once after each photo."""


def _refuse_existing(path: Path, overwrite: bool) -> None:
    if path.exists() and not overwrite:
        raise OutputExistsError(f"{path.name} exists already; pass --overwrite to replace it.")


def write_through(plan: FramePlan, photo: Photo, output: Output, limits: Limits, seen: LookedAt | None = None) -> Path:
    """Render one photo under a plan and write it under its own stem. Raises OutputExistsError, and as `decode`."""
    header = read_header(photo.path, limits)
    fmt = output.format or usual_format(header.format, header.bits)
    space = output.space or source_space(photo.path)
    path = output.folder / (photo.path.stem + FORMATS[fmt].suffix)
    _refuse_existing(path, output.overwrite)
    output.folder.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f".{path.name}.part{FORMATS[fmt].suffix}")
    try:
        with _pixels_of(photo, header, limits) as pixels:
            asked = Rendering(pixels, photo.path, plan, (header.width, header.height), seen)
            write_picture(asked, replace(output.written, format=fmt, space=space), limits, partial)
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    return path


@contextmanager
def _pixels_of(photo: Photo, header: Header, limits: Limits) -> Iterator[Path]:
    """The file that a photo's pixels are decoded from: a raw one is developed first, as the application does."""
    if not header.raw:
        yield photo.path
        return
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "developed.tif"
        write_developed(decode(photo.path, limits, None, photo.beside).pixels, path, DEVELOPED)
        yield path


def write_table(path: Path, table: Floats, overwrite: bool, comments: tuple[str, ...] = ()) -> None:
    """Write a table, in the format its name asks for, whole or not at all. Raises OutputExistsError, TableError."""
    _refuse_existing(path, overwrite)
    text = table_text(table, format_of(path), path.stem, comments)
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f".{path.name}.part")
    partial.write_text(text)
    partial.replace(path)


def _each(photos: Sequence[Photo], work: Callable[[Photo], Outcome], progress: Progress) -> list[Outcome]:
    """Work through photos; one that fails is reported and the others go on."""
    outcomes = []
    for photo in photos:
        try:
            outcomes.append(work(photo))
        except NuvettError as error:
            outcomes.append(Outcome(photo.path, error=error.message))
        except OSError as error:
            outcomes.append(Outcome(photo.path, error=f"The file could not be used: {error.strerror or error}."))
        progress()
    return outcomes


def light_report(even: EvenLight) -> dict[str, float | str]:
    """Even light as reports give it: EV, percent, percent, 0 to 1, and what it rests on."""
    return {
        "exposure_ev": round(even.exposure, 4),
        "warmth": round(even.warmth, 3),
        "tint": round(even.tint, 3),
        "confidence": round(even.confidence, 3),
        "doubt_ev": round(even.doubt, 3),
        "because": even.words,
    }


def even_files(
    photos: list[Photo],
    base: Path,
    shares: tuple[float, float],
    output: Output,
    limits: Limits,
    lenses: Lenses,
    progress: Progress = lambda: None,
) -> list[Outcome]:
    """Even the light of each photo to a base picture.

    shares : of exposure and of white that are taken, 0 to 1. Raises FileError for the base.
    """
    held = measure_file(base, limits).seen
    entries, failed = _measure_all(photos, limits, lenses)
    lights = _lights_by(held, entries, base.name)
    index = {entry.photo.path: i for i, entry in enumerate(entries)}

    def work(photo: Photo) -> Outcome:
        start = time.perf_counter()
        found, entry = lights[index[photo.path]], entries[index[photo.path]]
        plan = even_only(found.at(*shares), found.camera).through_lens(entry.lens)
        written = write_through(plan, photo, output, limits)
        report = {"even": light_report(found), **entry.report, "seconds": round(time.perf_counter() - start, 3)}
        return Outcome(photo.path, written, report)

    return _in_order(_each([entry.photo for entry in entries], work, progress) + failed, photos)


def _lights_by(base: Seen, entries: "list[_Entry]", name: str) -> list[EvenLight]:
    """Even light of measured photos to a base picture, all solved together."""
    return even_setup([base, *(e.measured.seen for e in entries)], name, 0)[1:]


def _in_order(outcomes: list[Outcome], photos: list[Photo]) -> list[Outcome]:
    places = [photo.path for photo in photos]
    return sorted(outcomes, key=lambda o: places.index(o.source))


def apply_table_files(
    photos: list[Photo], table: Floats, strength: float, output: Output, limits: Limits, progress: Progress
) -> list[Outcome]:
    """Apply a lookup table (S, S, S, 3) that works on encoded sRGB to each photo, at a strength of 0 to 1.

    It is a plan like any other, so that colours of wider spaces go through it as they do in the application.
    """
    operation = TableOperation(table=HeldTable.of(table), amount=strength)
    plan = FramePlan(groups=(Group(name="look", operations=(operation,)),))

    def work(photo: Photo) -> Outcome:
        start = time.perf_counter()
        written = write_through(plan, photo, output, limits)
        return Outcome(photo.path, written, {"seconds": round(time.perf_counter() - start, 3)})

    return _each(photos, work, progress)


def drift_files(photos: list[Photo], target: Target, limits: Limits, progress: Progress) -> list[Outcome]:
    """Drift of each photo, as it is, from a target."""
    yardstick = Yardstick.of(OKLab(np.asarray(target.statistics.cloud)))

    def work(photo: Photo) -> Outcome:
        measured = measure_file(photo.path, limits, None, photo.beside)
        drift = drift_of(None, measured.sample, Seeing(measured.proportion), yardstick)
        return Outcome(photo.path, report={"drift": drift.model_dump()})

    return _each(photos, work, progress)


def infer_from_files(pairs: list[tuple[Path, Path]], limits: Limits) -> Inference:
    """A table worked out from before/after files. Raises FileError and its kinds, PairError."""
    pictures = []
    for before_path, after_path in pairs:
        before, after = (small_encoded(decode(path, limits)) for path in (before_path, after_path))
        try:
            laid = lay_over(before, after)
        except PairError as error:
            raise PairError(f"{before_path.name} and {after_path.name}: {error.message}") from error
        pictures.append((laid.before, laid.after))
    return infer_table(pictures)


@dataclass(frozen=True)
class _Entry:
    """A photo that was measured; lens : what it did, to be undone."""

    photo: Photo
    measured: MeasuredFile
    lens: LensCorrection | None

    @property
    def sample(self) -> Sample:
        """Its sample, with the light that the lens took."""
        header, sample = self.measured.picture.header, self.measured.sample
        return sample if self.lens is None else sample.lit(self.lens, (header.width, header.height))

    @property
    def report(self) -> dict[str, str]:
        """What is said of its lens, where something is undone."""
        return {"lens": self.lens.words} if self.lens else {}

    @property
    def taken(self) -> datetime | None:
        return self.measured.facts.taken

    @property
    def seed(self) -> int:
        with self.photo.path.open("rb") as stream:
            return seed_of(hashlib.file_digest(stream, "sha256").hexdigest())


def _measure_all(photos: list[Photo], limits: Limits, lenses: Lenses) -> tuple[list[_Entry], list[Outcome]]:
    """Measure every photo, keeping samples but no pixels; those that cannot be read are outcomes already."""
    entries: list[_Entry] = []

    def work(photo: Photo) -> Outcome:
        measured = measure_file(photo.path, limits, None, photo.beside).without_pixels()
        header = measured.picture.header
        undone = lenses is Lenses.ALL or (lenses is Lenses.USUAL and header.raw)
        lens = usual_correction(measured.facts, (header.width, header.height), undone)
        entries.append(_Entry(photo, measured, lens))
        return Outcome(photo.path)

    outcomes = _each(photos, work, lambda: None)
    return entries, [o for o in outcomes if o.error]


def match_files(
    photos: list[Photo],
    target: Target,
    look: Look,
    output: Output,
    limits: Limits,
    aside: Aside,
    progress: Progress = lambda: None,
) -> list[Outcome]:
    """Carry a target to a series of photo files. Raises OutputExistsError for the table, FileError for the base."""
    base, cube = aside.base, aside.cube
    if cube is not None:
        format_of(cube)
        _refuse_existing(cube, output.overwrite)
    entries, failed = _measure_all(photos, limits, aside.lenses)
    if not entries:
        return failed
    entries = [entries[i] for i in shooting_order([e.taken for e in entries], [e.photo.path.stem for e in entries])]
    seen = [e.measured.seen for e in entries]
    setups = find_setups([e.taken for e in entries], [rough_light(frame.sample, frame.exposure) for frame in seen])
    if base is None:
        lights = even_series(seen, setups)
    else:
        lights = _lights_by(measure_file(base, limits).seen, entries, base.name)
    measured = [
        Measured(e.sample, light, number, e.measured.proportion)
        for e, light, number in zip(entries, lights, setups, strict=True)
    ]
    run = SeriesRun(Pools.of(measured, look), aim_of(target), look)
    yardstick = Yardstick.of(OKLab(np.asarray(target.statistics.cloud)))
    index = {entry.photo.path: i for i, entry in enumerate(entries)}

    def work(photo: Photo) -> Outcome:
        start = time.perf_counter()
        i = index[photo.path]
        own = Own(lights[i], aside.trim or Trim(), entries[i].measured.faces_seen, entries[i].seed)
        plan = run.plan(i, own).through_lens(entries[i].lens)
        seen = _seen(photo, plan, limits)
        written = write_through(plan, photo, output, limits, seen)
        seeing = Seeing(measured[i].proportion, seen.weights() if seen else ())
        return Outcome(
            photo.path, written, _match_report(plan, measured[i], seeing, yardstick, start) | entries[i].report
        )

    outcomes = _each([e.photo for e in entries], work, progress)
    if cube is not None:
        write_table(cube, compile_plan(run.shared()), output.overwrite)
    return _in_order(outcomes + failed, photos)


def _seen(photo: Photo, plan: FramePlan, limits: Limits) -> LookedAt | None:
    """A photo as the areas of its plan look at it; none where there are no areas."""
    if not plan.layers:
        return None
    return looked_at(decode(photo.path, limits, None, photo.beside), [layer.area for layer in plan.layers], plan)


def _match_report(
    plan: FramePlan, frame: Measured, seeing: Seeing, yardstick: Yardstick, start: float
) -> dict[str, Any]:
    return {
        "even": light_report(frame.even),
        "drift_before": drift_of(None, frame.sample, seeing, yardstick).model_dump(),
        "drift_after": drift_of(plan, frame.sample, seeing, yardstick).model_dump(),
        "steepest_slope": round(plan.steepest_slope, 3),
        "newly_clipped": round(newly_clipped(frame.sample.colours, plan), 5),
        "seconds": round(time.perf_counter() - start, 3),
    }
