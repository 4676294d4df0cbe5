"""Raw files, and TIFFs of kinds that are not read: told from other files before anything is decoded."""

import struct
from pathlib import Path
from typing import BinaryIO

from nuvett.core.errors import FileError

_SUBFILE, _BITS, _PHOTOMETRIC, _SUBFILES, _SAMPLE_FORMAT, _DNG_VERSION = 254, 258, 262, 330, 339, 50706
_WANTED = (_SUBFILE, _BITS, _PHOTOMETRIC, _SUBFILES, _SAMPLE_FORMAT, _DNG_VERSION)
_LAB = (8, 9, 10)  # CIE L*a*b*, ICC L*a*b*, ITU L*a*b* (TIFF 6.0, section 23, and its supplements)
_MAX_ENTRIES = 4096
_TYPES = {1: "B", 3: "H", 4: "I", 16: "Q", 13: "I", 18: "Q"}  # bytes, shorts, longs and offsets (TIFF 6.0, section 2)
_RAW_STARTS = (b"IIRO", b"IIRS", b"MMOR", b"IIU\0", b"FUJIFILMCCD-RAW", b"\0MRM", b"FOVb")


class OddTiffError(FileError):
    """This TIFF holds numbers of a kind that is not read. Save it with 8 or 16 bits, or as 32-bit floats."""


class LabTiffError(FileError):
    """This TIFF is in L*a*b*, which is not read. Save it in an RGB space."""


def is_raw(file: BinaryIO) -> bool:
    """Whether an open file, read from its beginning, holds what a camera's sensor saw."""
    start, tags = _beginning(file)
    if start.startswith(_RAW_STARTS) or start[4:12] == b"ftypcrx " or start[8:10] == b"CR":
        return True
    # Raw files of cameras are TIFFs whose first picture is a small one; the large one lies in a subfile.
    return tags is not None and (_DNG_VERSION in tags or (tags.get(_SUBFILE, (0,))[0] & 1 == 1 and _SUBFILES in tags))


def check_tiff(path: Path) -> None:
    """Raises LabTiffError or OddTiffError for TIFFs that a decoder would take for something else."""
    with path.open("rb") as file:
        _, tags = _beginning(file)
    if tags is None:
        return
    if tags.get(_PHOTOMETRIC, (2,))[0] in _LAB:
        raise LabTiffError
    bits, formats = tags.get(_BITS, (1,)), tags.get(_SAMPLE_FORMAT, (1,))
    if any(f > 3 for f in formats) or max(bits) > 32 or (max(bits) > 16 and any(f != 3 for f in formats)):
        raise OddTiffError


def _beginning(file: BinaryIO) -> tuple[bytes, dict[int, tuple[int, ...]] | None]:
    start = file.read(16)
    return start, _first_directory(file, start)


def _first_directory(file: BinaryIO, start: bytes) -> dict[int, tuple[int, ...]] | None:
    """Wanted whole-number tags of a TIFF's first directory; none for anything that is no TIFF, or a damaged one."""
    order = {b"II": "<", b"MM": ">"}.get(start[:2])
    if order is None or len(start) < 16:
        return None
    big = struct.unpack(order + "H", start[2:4])[0] == 43
    if not big and struct.unpack(order + "H", start[2:4])[0] != 42:
        return None
    try:
        if big:
            (at,) = struct.unpack(order + "Q", start[8:16])
            file.seek(at)
            (count,) = struct.unpack(order + "Q", file.read(8))
        else:
            (at,) = struct.unpack(order + "I", start[4:8])
            file.seek(at)
            (count,) = struct.unpack(order + "H", file.read(2))
        entry = 20 if big else 12
        table = file.read(entry * min(count, _MAX_ENTRIES))
        rows = [table[i : i + entry] for i in range(0, len(table) - entry + 1, entry)]
        found = (_values(file, order, row, big) for row in rows)
        return {tag: values for tag, values in found if tag in _WANTED and values}
    except (struct.error, OSError, OverflowError, ValueError):
        return None


def _values(file: BinaryIO, order: str, row: bytes, big: bool) -> tuple[int, tuple[int, ...]]:
    tag, kind = struct.unpack(order + "HH", row[:4])
    count = struct.unpack(order + ("Q" if big else "I"), row[4 : 12 if big else 8])[0]
    code = _TYPES.get(kind)
    if tag not in _WANTED or code is None or not 0 < count <= 64:
        return tag, ()
    size = struct.calcsize(order + code) * count
    data = row[12 if big else 8 :]
    if size > len(data):
        file.seek(struct.unpack(order + ("Q" if big else "I"), data)[0])
        data = file.read(size)
    return tag, struct.unpack(order + code * count, data[:size])
