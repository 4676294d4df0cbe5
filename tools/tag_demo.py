"""Writes into the demo's frames what a camera would: shutter, aperture and ISO that give each frame's exposure.

    python -m tools.tag_demo

Pixels are left as they are: only the EXIF segment of each JPEG is replaced. Times are kept.
"""

import json
import struct
from pathlib import Path

from PIL import Image
from PIL.ExifTags import IFD, Base
from PIL.TiffImagePlugin import IFDRational

DEMO = Path(__file__).resolve().parent.parent / "demo"
_STOP, _ISO = 4, 200
_OFFSET = -6.0  # EV from the manifest's exposure to seconds that a hand-held camera would use
_MICROSECONDS = 1_000_000


def exif_block(path: Path, exposure_ev: float) -> bytes:
    """EXIF block of a picture with its exposure in it, `exposure_ev` in stops from some common level."""
    seconds = 2 ** (exposure_ev + _OFFSET) * _STOP**2 / _ISO
    with Image.open(path) as picture:
        exif = picture.getexif()
        details = exif.get_ifd(IFD.Exif)
        details[Base.ExposureTime] = IFDRational(round(seconds * _MICROSECONDS), _MICROSECONDS)
        details[Base.FNumber] = IFDRational(_STOP * 10, 10)
        details[Base.ISOSpeedRatings] = _ISO
        return exif.tobytes()


def with_exif(jpeg: bytes, exif: bytes) -> bytes:
    """A JPEG with its EXIF segment replaced, or given one."""
    at, kept = 2, b""
    while jpeg[at] == 0xFF and jpeg[at + 1] in range(0xE0, 0xF0):
        size = struct.unpack(">H", jpeg[at + 2 : at + 4])[0] + 2
        if not (jpeg[at + 1] == 0xE1 and jpeg[at + 4 : at + 8] == b"Exif"):
            kept += jpeg[at : at + size]
        at += size
    segment = b"\xff\xe1" + struct.pack(">H", len(exif) + 2) + exif
    return jpeg[:2] + kept + segment + jpeg[at:]


def main() -> None:
    """Tag all frames."""
    for entry in json.loads((DEMO / "manifest.json").read_text())["frames"]:
        path = DEMO / entry["file"]
        path.write_bytes(with_exif(path.read_bytes(), exif_block(path, entry["exposure_ev"])))


if __name__ == "__main__":
    main()
