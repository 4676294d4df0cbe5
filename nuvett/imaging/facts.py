"""Facts that files carry beside their pixels (EXIF, XMP, IPTC): read, and put into finished files.

ExifTool does both. It is kept open as one process, because starting it takes longer than what it does.
"""

import atexit
import json
import math
import re
import tempfile
from collections.abc import Iterator
from concurrent.futures import Future
from contextlib import contextmanager
from datetime import datetime
from enum import StrEnum
from functools import cache
from pathlib import Path
from queue import SimpleQueue
from threading import Thread
from typing import Any

import exiftool

from nuvett.core.errors import FileError
from nuvett.core.spaces.rgb import Space
from nuvett.core.types import Document

_READ = (
    "-DateTimeOriginal",
    "-CreateDate",
    "-ModifyDate",
    "-ExposureTime#",
    "-ISO#",
    "-FNumber#",
    "-FocalLength#",
    "-ScaleFactor35efl#",
    "-SubjectDistance#",
    "-BaselineExposure#",
    "-Make",
    "-Model",
    "-LensMake",
    "-LensModel",
    "-LensID",
    "-Lens",
)
_PLACE = (
    *("GPS:all", "XMP-exif:GPS*", "XMP-iptcExt:Location*", "XMP-iptcCore:Location", "XMP-iptcCore:CountryCode"),
    *("XMP-photoshop:City", "XMP-photoshop:State", "XMP-photoshop:Country"),
    *(
        "IPTC:City",
        "IPTC:Sub-location",
        "IPTC:Province-State",
        "IPTC:Country-PrimaryLocation*",
        "IPTC:ContentLocation*",
    ),
)
# Of camera and lens, the owner's name, the picture's own number, and the maker's note, which holds more of them.
_SERIALS = ("*SerialNumber*", "OwnerName", "CameraOwnerName", "ImageUniqueID", "MakerNotes", "XMP-aux:all")
_ABOUT_THE_FILE = (
    *("Orientation", "ColorSpace", "XResolution", "YResolution", "ResolutionUnit", "ImageWidth", "ImageHeight"),
    *("ThumbnailImage", "PreviewImage", "IFD1:all", "IFD2:all", "SubIFD*:all", "InteropIFD:all", "XMP-xmpMM:all"),
    # What a raw file says of its own numbers, and what a program did to it, is true of no other file.
    *("DNG*", "*Matrix*", "BlackLevel*", "WhiteLevel*", "CFA*", "AsShot*", "LinearizationTable", "XMP-crs:all"),
)
_RIGHTS = (
    *("EXIF:Artist", "EXIF:Copyright", "IPTC:By-line", "IPTC:CopyrightNotice"),
    *("XMP-dc:Creator", "XMP-dc:Rights", "XMP-xmpRights:all"),
)
_WITH_IPTC = (".jpg", ".jpeg", ".tif", ".tiff")  # the formats that have a place for it


class Keep(StrEnum):
    """Which facts of the original a finished file carries."""

    ALL = "all"
    NO_PLACE = "no-place"
    COPYRIGHT = "copyright"
    NONE = "none"


KEEP_WORDS = {
    Keep.ALL: "All that the original says",
    Keep.NO_PLACE: "All but place and serial numbers",
    Keep.COPYRIGHT: "Artist and copyright alone",
    Keep.NONE: "None",
}


class Credits(Document):
    """What is written into every finished file of a series, beside the facts of its original; empty for nothing."""

    creator: str = ""
    rights: str = ""
    caption: str = ""


class NoFactsToolError(FileError):
    """Facts of pictures cannot be read here: ExifTool is missing. Install libimage-exiftool-perl."""


class FileFacts(Document):
    """What a picture file says of how it was taken; none and empty where it does not say.

    taken : by the camera's clock, without a zone; the time of digitising or of the file stands in for it
    exposure : log2 of seconds times ISO over the f-number's square
    focal : mm; aperture : f-number; crop : focal length in terms of 36 × 24 mm over its own; distance : metres
    baseline : EV that a raw file asks to be added to its light
    """

    taken: datetime | None = None
    exposure: float | None = None
    camera_maker: str = ""
    camera: str = ""
    lens_maker: str = ""
    lens: str = ""
    focal: float | None = None
    aperture: float | None = None
    crop: float | None = None
    distance: float | None = None
    baseline: float = 0


class _Speaker(Thread):
    """The one thread that speaks with the process: on Linux it ends with the thread that began it."""

    def __init__(self) -> None:
        super().__init__(daemon=True, name="facts")
        self._tool = exiftool.ExifTool(common_args=["-charset", "filename=utf8", "-charset", "exif=utf8", "-m"])
        self._asked: SimpleQueue[tuple[tuple[str, ...], Future[str]]] = SimpleQueue()

    def ask(self, words: tuple[str, ...]) -> str:
        answer: Future[str] = Future()
        self._asked.put((words, answer))
        return answer.result()

    def run(self) -> None:
        while True:
            words, answer = self._asked.get()
            try:
                if not self._tool.running:
                    self._tool.run()
                answer.set_result(str(self._tool.execute(*words)))
            except Exception as error:  # whoever asked deals with it
                answer.set_exception(error)

    def end(self) -> None:
        if self._tool.running:
            self._tool.terminate()


@cache
def _speaker() -> _Speaker:
    speaker = _Speaker()
    speaker.start()
    atexit.register(speaker.end)
    return speaker


@contextmanager
def _nameable(path: Path) -> Iterator[str]:
    """A path that can stand on a line of its own."""
    whole = str(path.resolve())
    if whole.isprintable():
        yield whole
        return
    with tempfile.TemporaryDirectory() as folder:
        link = Path(folder) / f"picture{path.suffix if path.suffix.isprintable() else ''}"
        link.symlink_to(path.resolve())
        yield str(link)


def _asked(*words: str) -> str:
    try:
        return _speaker().ask(words)
    except (FileNotFoundError, exiftool.exceptions.ExifToolException) as error:
        raise NoFactsToolError from error


def read_facts(path: Path) -> FileFacts:
    """Facts of a picture file; empty ones where it holds none, or they cannot be read. Raises NoFactsToolError."""
    with _nameable(path) as name:
        answer = _asked("-j", "-fast", *_READ, name)
    try:
        (said,) = json.loads(answer)
    except ValueError:
        return FileFacts()
    seconds, iso, stop = (_positive(said.get(tag)) for tag in ("ExposureTime", "ISO", "FNumber"))
    return FileFacts(
        taken=_taken(said),
        exposure=math.log2(seconds * iso / stop**2) if seconds and iso and stop else None,
        camera_maker=_named(said.get("Make")),
        camera=_named(said.get("Model")),
        lens_maker=_named(said.get("LensMake")),
        lens=next((w for tag in ("LensModel", "LensID", "Lens") if (w := _named(said.get(tag)))), ""),
        focal=_positive(said.get("FocalLength")),
        aperture=stop,
        crop=_positive(said.get("ScaleFactor35efl")),
        distance=_positive(said.get("SubjectDistance")),
        baseline=_number(said.get("BaselineExposure")) or 0.0,
    )


def _words(value: object) -> str:
    return re.sub(r"\s+", " ", str(value or "")).strip()


def _named(value: object) -> str:
    text = _words(value)
    return "" if text.startswith("Unknown") else text[:120]


def _number(value: object) -> float | None:
    try:
        number = float(str(value))
    except ValueError:
        return None
    return number if math.isfinite(number) else None


def _positive(value: object) -> float | None:
    number = _number(value)
    return number if number is not None and number > 0 else None


def _taken(said: dict[str, Any]) -> datetime | None:
    for tag in ("DateTimeOriginal", "CreateDate", "ModifyDate"):
        try:
            return datetime.strptime(str(said.get(tag))[:19], "%Y:%m:%d %H:%M:%S")
        except ValueError:
            continue
    return None


def write_facts(
    target: Path,
    original: Path | None,
    keep: Keep,
    size: tuple[int, int],
    space: Space = Space.SRGB,
    credits: Credits | None = None,
) -> None:
    """Put chosen facts of an original into a finished, upright file of a size (width, height) in pixels.

    The pixels, the profile and the resolution of the file stay as they are. Facts that are too damaged to be copied
    are left out. Raises FileError when the file cannot hold what was filled in, and NoFactsToolError.
    """
    filled = _filled(credits or Credits(), target.suffix.lower() in _WITH_IPTC)
    copied = original is not None and keep is not Keep.NONE
    if not copied and not filled:
        return
    true = [
        *("-IFD0:Orientation#=1", f"-ExifIFD:ColorSpace#={1 if space is Space.SRGB else 65535}"),
        *(f"-ExifIFD:ExifImage{side}={n}" for side, n in zip(("Width", "Height"), size, strict=True)),
    ]
    with _nameable(target) as name:
        if copied and original is not None:
            with _nameable(original) as source:
                said = [] if keep is Keep.COPYRIGHT else true
                if _written(*_copying(source, keep), *said, *filled, name):
                    return
        if filled and not _written(*filled, name):
            raise FileError("Creator, rights and caption could not be written into the finished file.")


def _copying(source: str, keep: Keep) -> list[str]:
    if keep is Keep.COPYRIGHT:
        return ["-tagsFromFile", source, *(f"-{tag}" for tag in _RIGHTS)]
    left_out = (*_ABOUT_THE_FILE, *((*_PLACE, *_SERIALS) if keep is Keep.NO_PLACE else ()))
    return ["-tagsFromFile", source, "-EXIF:all", "-XMP:all", "-IPTC:all", *(f"--{tag}" for tag in left_out)]


def _filled(credits: Credits, iptc: bool) -> list[str]:
    places = {
        credits.creator: ("IFD0:Artist", "XMP-dc:Creator", "IPTC:By-line"),
        credits.rights: ("IFD0:Copyright", "XMP-dc:Rights", "IPTC:CopyrightNotice"),
        credits.caption: ("IFD0:ImageDescription", "XMP-dc:Description", "IPTC:Caption-Abstract"),
    }
    words = [
        f"-{tag}={_words(text)}"
        for text, tags in places.items()
        for tag in tags
        if text.strip() and (iptc or not tag.startswith("IPTC"))
    ]
    return [*words, "-IPTC:CodedCharacterSet=UTF8"] if words and iptc else words


def _written(*words: str) -> bool:
    """Whether a file was changed, or needed none, as asked."""
    answer = _asked("-overwrite_original", *words)
    return "1 image files updated" in answer or "1 image files unchanged" in answer
