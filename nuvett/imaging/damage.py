"""Damage that a JPEG's decoder goes on past: what it makes of such a file is a picture, but not the one that was taken.

The decoder warns of it when the coded data end early, or do not end where they should. What it cannot tell is damage
that happens to read as other valid codes and comes out even.
"""

import re
from pathlib import Path

import simplejpeg

from nuvett.core.errors import TruncatedFileError

_END = b"\xff\xd9"
_SPARE = re.compile(r"(\d+) extraneous bytes before marker 0x([0-9a-f]{2})")
_NOT_READ = ("colorspace", "color space")  # of CMYK, which this decoder does not convert


def check_jpeg(path: Path) -> None:
    """Raises TruncatedFileError for a JPEG whose coded data are damaged.

    The picture is decoded at an eighth of its size, which reads all of the data. Spare bytes that cameras leave between
    parts of a file, or as zeros before its end, are no damage.
    """
    data = path.read_bytes()
    try:
        simplejpeg.decode_jpeg(data, "GRAY", strict=True, min_height=1, min_width=1, min_factor=8)
    except ValueError as error:
        told = str(error)
        if any(words in told.lower() for words in _NOT_READ):
            return
        spare = _SPARE.search(told)
        if spare is None or (spare[2] == "d9" and _spare_before_end(data, int(spare[1])).strip(b"\0")):
            raise TruncatedFileError from error


def _spare_before_end(data: bytes, count: int) -> bytes:
    end = data.rfind(_END)
    return data[max(0, end - count) : end]
