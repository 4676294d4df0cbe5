"""Facts that files carry beside their pixels (EXIF 2.32, CIPA DC-008): read, chosen from, made true of a new file."""

import struct
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from pathlib import Path

from PIL.Image import Exif

_HEAD = b"Exif\0\0"
_EXIF_IFD, _GPS_IFD, _INTEROP_IFD = 0x8769, 0x8825, 0xA005
_WIDTH, _HEIGHT, _ORIENTATION, _THUMBNAIL = 0x0100, 0x0101, 0x0112, (0x0201, 0x0202)
_PIXEL_WIDTH, _PIXEL_HEIGHT = 0xA002, 0xA003
_RESOLUTION = (0x011A, 0x011B, 0x0128)  # across, down, unit
_ARTIST, _COPYRIGHT = 0x013B, 0x8298
_DATE, _ORIGINAL, _DIGITISED = 0x0132, 0x9003, 0x9004

# What of a TIFF's first directory is about the picture rather than about how the file holds it.
_OF_THE_PICTURE = (0x010E, 0x010F, 0x0110, 0x0131, _DATE, _ARTIST, 0x013C, _COPYRIGHT, _EXIF_IFD, _GPS_IFD)

# Serial numbers of camera and lens, the owner's name, the picture's own number, and the maker's note, which holds more.
_SERIALS = (0xA430, 0xA431, 0xA435, 0xA420, 0x927C, 0xC62F)


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


@dataclass(frozen=True)
class FileFacts:
    """What a picture file says beside its pixels.

    exif : its EXIF block; dpi : pixels an inch, none where it does not say
    """

    exif: bytes | None = None
    dpi: float | None = None

    def chosen(self, keep: Keep, size: tuple[int, int]) -> "FileFacts":
        """What a finished, upright file of a size in pixels says of it."""
        return FileFacts(facts_for(self.exif, keep, size), self.dpi)


def read_facts(data: bytes | None) -> Exif | None:
    """Facts of an EXIF block; none when there is none, or it cannot be read."""
    if not data:
        return None
    facts = Exif()
    try:
        facts.load(data if data.startswith(_HEAD) else _HEAD + data)
        for directory in (_EXIF_IFD, _GPS_IFD):
            facts.get_ifd(directory)
    except (SyntaxError, ValueError, KeyError, IndexError, struct.error, TypeError, OverflowError):
        return None
    return facts


def tiff_facts(path: Path) -> bytes | None:
    """EXIF block with what a TIFF says of its picture; none when it says nothing, or cannot be read."""
    whole, kept = Exif(), _new()
    try:
        with path.open("rb") as file:
            whole.load_from_fp(file)
            for tag in _OF_THE_PICTURE:
                if tag in (_EXIF_IFD, _GPS_IFD):
                    kept.get_ifd(tag).update(whole.get_ifd(tag))
                elif tag in whole:
                    kept[tag] = whole[tag]
        return kept.tobytes() if len(kept) or kept.get_ifd(_EXIF_IFD) else None
    except (SyntaxError, ValueError, KeyError, IndexError, struct.error, TypeError, OverflowError, OSError):
        return None


def taken(facts: Exif | None) -> datetime | None:
    """When the picture was taken, without a zone; the time of digitising or of the file stands in for it."""
    if facts is None:
        return None
    exif = facts.get_ifd(_EXIF_IFD)
    for value in (exif.get(_ORIGINAL), exif.get(_DIGITISED), facts.get(_DATE)):
        try:
            return datetime.strptime(str(value).strip("\0 ")[:19], "%Y:%m:%d %H:%M:%S")
        except ValueError:
            continue
    return None


def facts_for(data: bytes | None, keep: Keep, size: tuple[int, int]) -> bytes | None:
    """EXIF block for a finished, upright file of a size in pixels, with chosen facts of the original's block.

    None when nothing is kept.
    """
    facts = None if keep is Keep.NONE else read_facts(data)
    if facts is None:
        return None
    made, exif = _new(), facts.get_ifd(_EXIF_IFD)
    if keep is Keep.COPYRIGHT:
        _copy(facts, made, (_ARTIST, _COPYRIGHT))
        return made.tobytes() if len(made) else None
    directories = (_EXIF_IFD, _GPS_IFD, _INTEROP_IFD)
    about_the_file = (_WIDTH, _HEIGHT, *_THUMBNAIL, *_RESOLUTION, *directories)
    _copy(facts, made, [tag for tag in facts if tag not in about_the_file])
    made[_ORIENTATION] = 1
    dropped = (_INTEROP_IFD, *(_SERIALS if keep is Keep.NO_PLACE else ()))
    made.get_ifd(_EXIF_IFD).update({tag: value for tag, value in exif.items() if tag not in dropped})
    made.get_ifd(_EXIF_IFD).update({_PIXEL_WIDTH: size[0], _PIXEL_HEIGHT: size[1]})
    if keep is Keep.NO_PLACE:
        for tag in _SERIALS:
            made.pop(tag, None)
    elif facts.get_ifd(_GPS_IFD):
        made.get_ifd(_GPS_IFD).update(facts.get_ifd(_GPS_IFD))
    try:
        return made.tobytes()
    except (ValueError, TypeError, struct.error, OverflowError):
        return None


def _new() -> Exif:
    made = Exif()
    made.endian = "<"  # as the files that it goes into
    return made


def _copy(source: Exif, made: Exif, tags: Iterable[int]) -> None:
    for tag in tags:
        if tag in source:
            made[tag] = source[tag]
