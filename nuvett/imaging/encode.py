"""Pixel arrays to finished files: JPEG, PNG, TIFF and WebP with profile, resolution and EXIF."""

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import numpy as np
import pyvips

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.icc import profile_bytes
from nuvett.imaging.tiff_exif import with_exif

_USUAL_DPI, _MILLIMETRES = 72.0, 25.4


class Format(StrEnum):
    """Delivery formats as the command line and delivery settings spell them."""

    JPEG = "jpeg"
    PNG = "png"
    PNG16 = "png16"
    TIFF16 = "tiff16"
    WEBP = "webp"


@dataclass(frozen=True)
class FormatFacts:
    """What a format is: words for people, file suffix, bits a channel, media type."""

    title: str
    suffix: str
    depth: int
    media_type: str


FORMATS: dict[Format, FormatFacts] = {
    Format.JPEG: FormatFacts("JPEG", ".jpg", 8, "image/jpeg"),
    Format.PNG: FormatFacts("PNG, 8 bit", ".png", 8, "image/png"),
    Format.PNG16: FormatFacts("PNG, 16 bit", ".png", 16, "image/png"),
    Format.TIFF16: FormatFacts("TIFF, 16 bit", ".tif", 16, "image/tiff"),
    Format.WEBP: FormatFacts("WebP", ".webp", 8, "image/webp"),
}


def usual_format(source: str, bits: int) -> Format:
    """The delivery format that resembles a source format most."""
    if source == "jpeg":
        return Format.JPEG
    if source == "tiff":
        return Format.TIFF16
    if source == "png":
        return Format.PNG16 if bits == 16 else Format.PNG
    return Format.WEBP


def _options(fmt: Format, quality: int, exif: bool) -> dict[str, object]:
    keep = "icc:exif" if exif else "icc"
    if fmt is Format.JPEG:
        mode = "off" if quality >= 90 else "auto"
        # Without an EXIF block the library writes no resolution either, so there is always one that says that.
        return {"Q": quality, "subsample_mode": mode, "keep": "icc:exif"}
    if fmt in (Format.PNG, Format.PNG16):
        return {"compression": 3, "keep": keep}
    if fmt is Format.WEBP:
        return {"Q": quality, "keep": keep}
    return {"compression": "deflate", "predictor": "horizontal", "resunit": "inch", "keep": "icc"}


def _image(pixels: Pixels, fmt: Format, space: Space | None, facts: FileFacts) -> pyvips.Image:
    # From the array's own memory: `new_from_array` would copy it.
    flat = np.ascontiguousarray(pixels)
    kind = "ushort" if flat.dtype == np.uint16 else "uchar"
    image = pyvips.Image.new_from_memory(flat.data, flat.shape[1], flat.shape[0], 3, kind)
    image = image.copy(interpretation="rgb16" if FORMATS[fmt].depth == 16 else "srgb")
    if space is not None:
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile_bytes(space))
    resolution = (facts.dpi or _USUAL_DPI) / _MILLIMETRES
    image = image.copy(xres=resolution, yres=resolution)
    if facts.exif:
        image.set_type(pyvips.GValue.blob_type, "exif-data", facts.exif)
    image.set_type(pyvips.GValue.gint_type, "orientation", 1)
    return image


def encode(
    pixels: Pixels, fmt: Format, quality: int = 92, space: Space | None = None, facts: FileFacts | None = None
) -> bytes:
    """File bytes of pixels (H, W, 3), uint8 or uint16 as the format's depth asks.

    `space` embeds its profile, `facts` are written as they stand.
    """
    facts = facts or FileFacts()
    image = _image(pixels, fmt, space, facts)
    data = bytes(image.write_to_buffer(FORMATS[fmt].suffix, **_options(fmt, quality, facts.exif is not None)))
    return with_exif(data, facts.exif) if fmt is Format.TIFF16 and facts.exif else data


def write_file(
    path: Path,
    pixels: Pixels,
    fmt: Format,
    quality: int = 92,
    space: Space | None = None,
    facts: FileFacts | None = None,
) -> None:
    """Write pixels as a file that appears whole or not at all."""
    partial = path.with_name(f".{path.name}.part{FORMATS[fmt].suffix}")
    try:
        partial.write_bytes(encode(pixels, fmt, quality, space, facts))
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
