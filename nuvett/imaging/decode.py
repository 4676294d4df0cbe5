"""Picture files to pixels: the decoders in the order in which they are asked, and what is said of them."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from nuvett.core.errors import EmptyFileError, TooLargeError, UnreadableFileError
from nuvett.imaging.decoders import by_vips, phones, raw
from nuvett.imaging.kinds import is_raw
from nuvett.imaging.opened import Development, Header, Limits, Opened, Picture


@dataclass(frozen=True)
class Decoder:
    """One way of decoding. `titles` are its formats in words, `suffixes` what their names usually end in.

    claims : whether an open file, read from its beginning, is for it
    header, pixels : what the file says of itself; the file ready to be decoded, raw ones developed
    """

    titles: tuple[str, ...]
    suffixes: tuple[str, ...]
    claims: Callable[[BinaryIO], bool]
    header: Callable[[Path, Limits], Header]
    pixels: Callable[[Path, Limits, Development, Path | None], Opened]


DECODERS = (
    Decoder(("raw files of cameras",), raw.SUFFIXES, is_raw, raw.read_header, raw.open_file),
    Decoder(
        ("HEIC",),
        (".heic", ".heif"),
        phones.claims,
        phones.read_header,
        lambda path, limits, _how, _beside: phones.open_file(path, limits),
    ),
    Decoder(
        ("JPEG", "PNG", "TIFF", "WebP", "AVIF"),
        (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".avif"),
        lambda _: True,
        by_vips.read_header,
        lambda path, limits, _how, _beside: by_vips.open_file(path, limits),
    ),
)
_TITLES = [title for decoder in reversed(DECODERS) for title in decoder.titles]
ACCEPTED = f"{', '.join(_TITLES[:-1])} and {_TITLES[-1]}"
"""All formats that are read, in words."""

ACCEPT = ",".join(["image/*", *(suffix for decoder in DECODERS for suffix in decoder.suffixes)])
"""What a file chooser offers."""


def _decoder_of(path: Path, limits: Limits) -> Decoder:
    size = path.stat().st_size
    if size == 0:
        raise EmptyFileError
    if size > limits.bytes:
        raise TooLargeError(
            f"The file has {size / 1e6:.0f} MB; this installation accepts up to {limits.bytes / 1e6:.0f} MB."
        )
    with path.open("rb") as file:
        for decoder in DECODERS:
            file.seek(0)
            if decoder.claims(file):
                return decoder
    raise UnreadableFileError


@contextmanager
def _saying_what_is_accepted() -> Iterator[None]:
    try:
        yield
    except UnreadableFileError as error:
        raise UnreadableFileError(f"This is not a picture that can be read. Accepted: {ACCEPTED}.") from error


def read_header(path: Path, limits: Limits) -> Header:
    """Header of a picture file.

    Raises EmptyFileError, UnreadableFileError, TruncatedFileError, TooLargeError, or FileError for a picture of fewer
    pixels than can be measured, or of a kind that cannot be read.
    """
    decoder = _decoder_of(path, limits)
    with _saying_what_is_accepted():
        return decoder.header(path, limits)


def open_picture(
    path: Path, limits: Limits, development: Development | None = None, companion: Path | None = None
) -> Opened:
    """Open a picture file. Raises as `read_header`, and TruncatedFileError when a turned picture misses pixels.

    development, companion : how a raw file is developed, and a finished picture that the camera wrote beside it
    """
    decoder = _decoder_of(path, limits)
    with _saying_what_is_accepted():
        return decoder.pixels(path, limits, development or Development(), companion)


def decode(
    path: Path, limits: Limits, development: Development | None = None, companion: Path | None = None
) -> Picture:
    """Decode a picture file at full size. Raises as `open_picture`, and TruncatedFileError when pixels are missing."""
    return open_picture(path, limits, development, companion).whole()
