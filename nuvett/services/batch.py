"""Whole jobs on plain files, without a database: what the command line offers."""

import hashlib
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from pathlib import Path
from typing import Any

import numpy as np

from nuvett.core.drawing.drawing import Stages, compile_stages
from nuvett.core.drawing.renderer import Renderer
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
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.planning import aim_of, even_only
from nuvett.core.planning.series import Measured, Own, Pools, SeriesRun, drift_of, even_series, seed_of, shooting_order
from nuvett.core.reading.reading import Target
from nuvett.core.spaces.rgb import Space
from nuvett.core.table.infer import Inference, infer_table
from nuvett.core.table.pairs import lay_over
from nuvett.core.types import Floats, OKLab
from nuvett.imaging.decode import decode, read_header
from nuvett.imaging.encode import FORMATS, Format, encode, usual_format
from nuvett.imaging.facts import Keep, write_facts
from nuvett.imaging.lens_database import usual_correction
from nuvett.imaging.opened import Limits
from nuvett.imaging.tables import format_of, table_text
from nuvett.services.measuring import MeasuredFile, measure_file, small_encoded
from nuvett.services.rendering import LookedAt, looked_at, newly_clipped, render_file


@dataclass(frozen=True)
class Output:
    """How pictures are written: folder, format (none: as the source), quality, long edge, space, overwriting."""

    folder: Path
    format: Format | None = None
    quality: int = 92
    size: int | None = None
    space: Space = Space.SRGB
    overwrite: bool = False
    facts: Keep = Keep.ALL


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


Progress = Callable[[], None]
"""Called once after each photo."""


def write_through(
    stages_for: Callable[[Space], Stages],
    source: Path,
    output: Output,
    limits: Limits,
    seen: LookedAt | None = None,
) -> Path:
    """Render one file and write it under its own stem. Raises OutputExistsError, and as `decode`."""
    header = read_header(source, limits)
    fmt = output.format or usual_format(header.format, header.bits)
    path = output.folder / (source.stem + FORMATS[fmt].suffix)
    if path.exists() and not output.overwrite:
        raise OutputExistsError(f"{path.name} exists already; pass --overwrite to replace it.")
    output.folder.mkdir(parents=True, exist_ok=True)
    made = render_file(source, limits, stages_for, FORMATS[fmt].depth, output.size, seen)
    partial = path.with_name(f".{path.name}.part{FORMATS[fmt].suffix}")
    try:
        partial.write_bytes(encode(made.pixels, fmt, output.quality, output.space, made.dpi))
        write_facts(partial, source, output.facts, made.size, output.space)
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    return path


def write_table(path: Path, table: Floats, overwrite: bool, comments: tuple[str, ...] = ()) -> None:
    """Write a table, in the format its name asks for, whole or not at all. Raises OutputExistsError, TableError."""
    if path.exists() and not overwrite:
        raise OutputExistsError(f"{path.name} exists already; pass --overwrite to replace it.")
    text = table_text(table, format_of(path), path.stem, comments)
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f".{path.name}.part")
    partial.write_text(text)
    partial.replace(path)


def _each(photos: list[Path], work: Callable[[Path], Outcome], progress: Progress) -> list[Outcome]:
    """Work through photos; one that fails is reported and the others go on."""
    outcomes = []
    for photo in photos:
        try:
            outcomes.append(work(photo))
        except NuvettError as error:
            outcomes.append(Outcome(photo, error=error.message))
        except OSError as error:
            outcomes.append(Outcome(photo, error=f"The file could not be used: {error.strerror or error}."))
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
    photos: list[Path],
    base: Path,
    strength: float,
    output: Output,
    limits: Limits,
    lenses: Lenses,
    progress: Progress = lambda: None,
) -> list[Outcome]:
    """Even the light of each photo to a base picture; strength 0 to 1. Raises FileError for the base."""
    held = measure_file(base, limits).seen
    entries, failed = _measure_all(photos, limits, lenses)
    lights = _lights_by(held, entries, base.name)
    index = {entry.path: i for i, entry in enumerate(entries)}

    def work(photo: Path) -> Outcome:
        start = time.perf_counter()
        found, entry = lights[index[photo]], entries[index[photo]]
        plan = even_only(found.at(strength), found.camera).through_lens(entry.lens)
        written = write_through(lambda domain: compile_stages(plan, domain, output.space), photo, output, limits)
        report = {"even": light_report(found), **entry.report, "seconds": round(time.perf_counter() - start, 3)}
        return Outcome(photo, written, report)

    return _in_order(_each(list(index), work, progress) + failed, photos)


def _lights_by(base: Seen, entries: "list[_Entry]", name: str) -> list[EvenLight]:
    """Even light of measured photos to a base picture, all solved together."""
    return even_setup([base, *(e.measured.seen for e in entries)], name, 0)[1:]


def _in_order(outcomes: list[Outcome], photos: list[Path]) -> list[Outcome]:
    return sorted(outcomes, key=lambda o: photos.index(o.source))


def apply_table_files(
    photos: list[Path], table: Floats, output: Output, limits: Limits, progress: Progress
) -> list[Outcome]:
    """Apply a lookup table (S, S, S, 3) that works on encoded sRGB to each photo."""
    stages = Stages(Renderer(table))

    def work(photo: Path) -> Outcome:
        start = time.perf_counter()
        written = write_through(lambda _: stages, photo, output, limits)
        return Outcome(photo, written, {"seconds": round(time.perf_counter() - start, 3)})

    return _each(photos, work, progress)


def drift_files(photos: list[Path], target: Target, limits: Limits, progress: Progress) -> list[Outcome]:
    """Drift of each photo, as it is, from a target."""
    yardstick = Yardstick.of(OKLab(np.asarray(target.statistics.cloud)))

    def work(photo: Path) -> Outcome:
        measured = measure_file(photo, limits)
        drift = drift_of(None, measured.sample, Seeing(measured.proportion), yardstick)
        return Outcome(photo, report={"drift": drift.model_dump()})

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

    path: Path
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
        with self.path.open("rb") as stream:
            return seed_of(hashlib.file_digest(stream, "sha256").hexdigest())


def _measure_all(photos: list[Path], limits: Limits, lenses: Lenses) -> tuple[list[_Entry], list[Outcome]]:
    """Measure every photo, keeping samples but no pixels; those that cannot be read are outcomes already."""
    entries: list[_Entry] = []

    def work(photo: Path) -> Outcome:
        measured = measure_file(photo, limits).without_pixels()
        header = measured.picture.header
        undone = lenses is Lenses.ALL or (lenses is Lenses.USUAL and header.raw)
        lens = usual_correction(measured.facts, (header.width, header.height), undone)
        entries.append(_Entry(photo, measured, lens))
        return Outcome(photo)

    outcomes = _each(photos, work, lambda: None)
    return entries, [o for o in outcomes if o.error]


def match_files(
    photos: list[Path],
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
        if cube.exists() and not output.overwrite:
            raise OutputExistsError(f"{cube.name} exists already; pass --overwrite to replace it.")
    entries, failed = _measure_all(photos, limits, aside.lenses)
    if not entries:
        return failed
    entries = [entries[i] for i in shooting_order([e.taken for e in entries], [e.path.stem for e in entries])]
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
    index = {entry.path: i for i, entry in enumerate(entries)}

    def work(photo: Path) -> Outcome:
        start = time.perf_counter()
        i = index[photo]
        own = Own(lights[i], aside.trim or Trim(), entries[i].measured.faces_seen, entries[i].seed)
        plan = run.plan(i, own).through_lens(entries[i].lens)
        seen = _seen(photo, plan, limits)
        written = write_through(lambda domain: compile_stages(plan, domain, output.space), photo, output, limits, seen)
        seeing = Seeing(measured[i].proportion, seen.weights() if seen else ())
        return Outcome(photo, written, _match_report(plan, measured[i], seeing, yardstick, start) | entries[i].report)

    outcomes = _each([e.path for e in entries], work, progress)
    if cube is not None:
        write_table(cube, compile_plan(run.shared()), output.overwrite)
    return _in_order(outcomes + failed, photos)


def _seen(photo: Path, plan: FramePlan, limits: Limits) -> LookedAt | None:
    """A photo as the areas of its plan look at it; none where there are no areas."""
    if not plan.layers:
        return None
    return looked_at(decode(photo, limits), [layer.area for layer in plan.layers], plan)


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
