"""Putting an EXIF block into a finished TIFF: its directories are appended, and the first directory written anew.

A TIFF keeps facts of the picture in its own first directory (TIFF 6.0, section 2), with pointers to the EXIF and GPS
directories (EXIF 2.32, 4.6.3). The picture's data stay where they are.
"""

import struct

_SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4}
_POINTERS = (0x8769, 0x8825, 0xA005)
_HEAD = b"Exif\0\0"
Entries = dict[int, bytes]


def _entries(data: bytes, at: int) -> Entries:
    """Entries of twelve bytes by tag, of the directory at a place."""
    (count,) = struct.unpack_from("<H", data, at)
    rows = (data[at + 2 + 12 * i : at + 14 + 12 * i] for i in range(count))
    return {struct.unpack_from("<H", row)[0]: row for row in rows}


def _moved(data: bytes, at: int, by: int, out: bytearray) -> Entries:
    """Entries of a directory of a block that is appended `by` bytes into a file.

    Directories below it are put right in `out`, a copy of the block.
    """
    moved: Entries = {}
    for tag, row in _entries(data, at).items():
        kind, count, value = struct.unpack_from("<HII", row, 2)
        if tag in _POINTERS:
            below = _moved(data, value, by, out)
            out[value : value + 2 + 12 * len(below)] = struct.pack("<H", len(below)) + b"".join(below.values())
        if tag in _POINTERS or _SIZES.get(kind, 1) * count > 4:
            row = struct.pack("<HHII", tag, kind, count, value + by)
        moved[tag] = row
    return moved


def with_exif(tiff: bytes, exif: bytes) -> bytes:
    """A little-endian TIFF with the facts of a little-endian EXIF block in it. Raises ValueError for another kind."""
    block = exif.removeprefix(_HEAD)
    if tiff[:4] != b"II*\0" or block[:4] != b"II*\0":
        raise ValueError("both the TIFF and its facts have to be little-endian")
    (first,) = struct.unpack_from("<I", tiff, 4)
    place = len(tiff) + len(tiff) % 2
    moved_block = bytearray(block)
    added = _moved(block, struct.unpack_from("<I", block, 4)[0], place, moved_block)
    entries = added | _entries(tiff, first)  # what the file says of its own pixels goes before
    directory = struct.pack("<H", len(entries)) + b"".join(entries[tag] for tag in sorted(entries)) + bytes(4)
    end = place + len(moved_block) + len(moved_block) % 2
    body = tiff[:4] + struct.pack("<I", end) + tiff[8:]
    return body.ljust(place, b"\0") + bytes(moved_block).ljust(end - place, b"\0") + directory
