"""Jobs on plain files, photo by photo, without a database: where files go, and what becomes of each."""

import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from enum import StrEnum
from pathlib import Path
from typing import Any

from nuvett.core.errors import NuvettError, OutputExistsError, PairError
from nuvett.core.plan.frame_plan import FramePlan, Group
from nuvett.core.plan.tables import TableOperation
from nuvett.core.spaces.rgb import Space
from nuvett.core.table.held import HeldTable
from nuvett.core.table.infer import Inference, infer_table
from nuvett.core.table.pairs import lay_over
from nuvett.core.types import Floats
from nuvett.imaging.decode import decode, read_header
from nuvett.imaging.decoders.by_vips import DEVELOPED, source_space
from nuvett.imaging.decoders.raw import SUFFIXES as RAW_SUFFIXES
from nuvett.imaging.encode import FORMATS, Format, usual_format, write_developed
from nuvett.imaging.opened import Header, Limits
from nuvett.imaging.tables import format_of, table_text
from nuvett.services.files.measuring import small_encoded
from nuvett.services.files.rendering import LookedAt
from nuvett.services.files.writing import RenderRequest, Written, write_picture


@dataclass(frozen=True)
class WriteSettings:
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


def refuse_existing(path: Path, overwrite: bool) -> None:
    """Raises OutputExistsError for a file that is there and may not be replaced."""
    if path.exists() and not overwrite:
        raise OutputExistsError(f"{path.name} exists already; pass --overwrite to replace it.")


def write_through(
    plan: FramePlan, photo: Photo, output: WriteSettings, limits: Limits, seen: LookedAt | None = None
) -> Path:
    """Render one photo under a plan and write it under its own stem. Raises OutputExistsError, and as `decode`."""
    header = read_header(photo.path, limits)
    fmt = output.format or usual_format(header.format, header.bits)
    space = output.space or source_space(photo.path)
    path = output.folder / (photo.path.stem + FORMATS[fmt].suffix)
    refuse_existing(path, output.overwrite)
    output.folder.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f".{path.name}.part{FORMATS[fmt].suffix}")
    try:
        with _pixels_of(photo, header, limits) as pixels:
            asked = RenderRequest(pixels, photo.path, plan, (header.width, header.height), seen)
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
    refuse_existing(path, overwrite)
    text = table_text(table, format_of(path), path.stem, comments)
    path.parent.mkdir(parents=True, exist_ok=True)
    partial = path.with_name(f".{path.name}.part")
    partial.write_text(text)
    partial.replace(path)


def each(photos: Sequence[Photo], work: Callable[[Photo], Outcome], progress: Progress) -> list[Outcome]:
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


def in_order(outcomes: list[Outcome], photos: list[Photo]) -> list[Outcome]:
    """Outcomes in the order in which photos were given."""
    places = [photo.path for photo in photos]
    return sorted(outcomes, key=lambda o: places.index(o.source))


def apply_table_files(
    photos: list[Photo], table: Floats, strength: float, output: WriteSettings, limits: Limits, progress: Progress
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

    return each(photos, work, progress)


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
