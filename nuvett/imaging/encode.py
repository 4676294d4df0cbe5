"""Pixel arrays to finished files: JPEG, PNG, TIFF, WebP and AVIF with profile and resolution."""

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

import pyvips

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.spaces.rgb import Space
from nuvett.imaging.icc import profile_bytes
from nuvett.imaging.opened import image_of
from nuvett.imaging.plain_jpeg import encode_whole

USUAL_QUALITY = 92
_USUAL_DPI, _MILLIMETRES = 72.0, 25.4
_WHOLE_COLOUR = 90  # quality from which colour is kept at full resolution


class Format(StrEnum):
    """Delivery formats as the command line and delivery settings spell them."""

    JPEG = "jpeg"
    PNG = "png"
    PNG16 = "png16"
    TIFF = "tiff"
    TIFF16 = "tiff16"
    WEBP = "webp"
    AVIF = "avif"


@dataclass(frozen=True)
class FormatFacts:
    """What a format is: words for people, file suffix, bits a channel, media type, whether a quality is chosen."""

    title: str
    suffix: str
    depth: int
    media_type: str
    has_quality: bool = False


FORMATS: dict[Format, FormatFacts] = {
    Format.JPEG: FormatFacts("JPEG", ".jpg", 8, "image/jpeg", has_quality=True),
    Format.PNG: FormatFacts("PNG, 8 bit", ".png", 8, "image/png"),
    Format.PNG16: FormatFacts("PNG, 16 bit", ".png", 16, "image/png"),
    Format.TIFF: FormatFacts("TIFF, 8 bit", ".tif", 8, "image/tiff"),
    Format.TIFF16: FormatFacts("TIFF, 16 bit", ".tif", 16, "image/tiff"),
    Format.WEBP: FormatFacts("WebP", ".webp", 8, "image/webp", has_quality=True),
    Format.AVIF: FormatFacts("AVIF", ".avif", 8, "image/avif", has_quality=True),
}


def usual_format(source: str, bits: int) -> Format:
    """The delivery format that resembles a source format most."""
    if source in ("jpeg", "heic"):
        return Format.JPEG
    if source in ("tiff", "raw"):
        return Format.TIFF16
    if source == "png":
        return Format.PNG16 if bits == 16 else Format.PNG
    return Format.WEBP


def _options(fmt: Format, quality: int) -> dict[str, object]:
    whole = "off" if quality >= _WHOLE_COLOUR else "auto"
    if fmt in (Format.PNG, Format.PNG16):
        return {"compression": 3, "keep": "icc"}
    if fmt is Format.WEBP:
        return {"Q": quality, "keep": "icc"}
    if fmt is Format.AVIF:
        return {"Q": quality, "compression": "av1", "effort": 3, "subsample_mode": whole, "keep": "icc"}
    return {"compression": "deflate", "predictor": "horizontal", "resunit": "inch", "keep": "icc"}


def encode(
    pixels: Pixels,
    fmt: Format,
    quality: int = USUAL_QUALITY,
    space: Space | None = None,
    dpi: float | None = None,
) -> bytes:
    """File bytes of pixels (H, W, 3), uint8 or uint16 as the format's depth asks.

    `space` embeds its profile; dpi : pixels an inch, none for a usual number.
    """
    if fmt is Format.JPEG:
        profile = profile_bytes(space) if space is not None else b""
        return encode_whole(pixels, quality, quality >= _WHOLE_COLOUR, profile, dpi or _USUAL_DPI)
    resolution = (dpi or _USUAL_DPI) / _MILLIMETRES
    image = image_of(pixels).copy(xres=resolution, yres=resolution)
    if space is not None:
        image.set_type(pyvips.GValue.blob_type, "icc-profile-data", profile_bytes(space))
    image.set_type(pyvips.GValue.gint_type, "orientation", 1)
    return bytes(image.write_to_buffer(FORMATS[fmt].suffix, **_options(fmt, quality)))


def encode_within(
    pixels: Pixels, fmt: Format, most: int, best: int, space: Space | None = None, dpi: float | None = None
) -> bytes:
    """As `encode`, at the highest quality up to `best` whose file has `most` bytes or fewer; else at quality 1."""
    made = encode(pixels, fmt, best, space, dpi)
    low, high = 1, best
    if len(made) <= most:
        return made
    found = b""
    while high - low > 1:
        middle = (low + high) // 2
        made = encode(pixels, fmt, middle, space, dpi)
        if len(made) <= most:
            low, found = middle, made
        else:
            high = middle
    return found or encode(pixels, fmt, 1, space, dpi)


def write_developed(pixels: Pixels, path: Path, description: str) -> None:
    """Write 16-bit pixels (H, W, 3) as the TIFF that is kept of a raw file: as they are, for it is read often."""
    image = image_of(pixels).copy()
    image.set_type(pyvips.GValue.gstr_type, "image-description", description)
    image.tiffsave(str(path), compression="none")
