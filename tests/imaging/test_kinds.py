"""Files that look like pictures: raw files, odd TIFFs, damaged JPEGs and scripts for the clip decoder are refused."""

from pathlib import Path

import numpy as np
import pytest
import tifffile

from nuvett.core.errors import FileError, TruncatedFileError
from nuvett.imaging.clips import NoVideoError, read_clip
from nuvett.imaging.damage import check_jpeg
from nuvett.imaging.decode import decode, read_header
from nuvett.imaging.decoders.raw import UnknownCameraError
from nuvett.imaging.kinds import LabTiffError, OddTiffError
from nuvett.imaging.opened import Limits
from tests.conftest import DEMO

PIXELS = np.random.default_rng(1).integers(0, 255, (40, 60, 3)).astype(np.uint8)
JPEG = (DEMO / "frames" / "AT-0101.jpg").read_bytes()


def test_of_a_raw_file_the_small_picture_in_it_is_never_taken_and_an_unknown_one_is_refused(
    tmp_path: Path,
) -> None:
    path = tmp_path / "a.dng"
    with tifffile.TiffWriter(path) as writer:
        writer.write(PIXELS, photometric="rgb", subfiletype=1, subifds=1)
        writer.write(np.zeros((160, 240), np.uint16), photometric=32803)
    header = read_header(path, Limits())
    assert header.raw and header.width == 240
    for start in (b"IIU\0" + bytes(900), b"FUJIFILMCCD-RAW 0201" + bytes(900), b"II*\0\x10\0\0\0CR\2\0" + bytes(900)):
        path.write_bytes(start)
        for reads in (read_header, decode):
            with pytest.raises(UnknownCameraError, match="DNG"):
                reads(path, Limits())


def test_a_tiff_with_a_smaller_copy_of_itself_is_no_raw_file(tmp_path: Path) -> None:
    with tifffile.TiffWriter(tmp_path / "a.tif") as writer:
        writer.write(PIXELS, photometric="rgb", subifds=1)
        writer.write(PIXELS[::2, ::2], photometric="rgb", subfiletype=1)
    assert read_header(tmp_path / "a.tif", Limits()).width == 60


@pytest.mark.parametrize(
    ("kind", "photometric", "error"),
    [
        ("u1", 8, LabTiffError),
        ("u2", 8, LabTiffError),
        ("f4", 8, LabTiffError),
        ("f8", 2, OddTiffError),
        ("u4", 2, OddTiffError),
        ("c8", 1, OddTiffError),
        ("f4", 2, None),
        ("u2", 2, None),
    ],
)
def test_tiffs_are_read_right_or_refused(
    kind: str, photometric: int, error: type[FileError] | None, tmp_path: Path
) -> None:
    data = PIXELS[..., 0] if photometric == 1 else PIXELS
    tifffile.imwrite(tmp_path / "a.tif", (data / 255).astype(kind), photometric=photometric)
    if error is None:
        assert read_header(tmp_path / "a.tif", Limits()).height == 40
        return
    with pytest.raises(error):
        read_header(tmp_path / "a.tif", Limits())


def test_a_jpeg_with_damaged_codes_is_noticed_and_spare_bytes_are_not(tmp_path: Path) -> None:
    path, rng, noticed = tmp_path / "a.jpg", np.random.default_rng(1), 0
    for _ in range(20):
        damaged = bytearray(JPEG)
        at = int(rng.integers(len(JPEG) // 4, len(JPEG) - 2000))
        damaged[at : at + 60] = rng.integers(0, 255, 60).astype(np.uint8).tobytes()
        path.write_bytes(damaged)
        try:
            check_jpeg(path)
        except TruncatedFileError:
            noticed += 1
    assert noticed >= 12
    for harmless in (JPEG, JPEG + b"written after the end", JPEG[:-2] + bytes(40) + JPEG[-2:]):
        path.write_bytes(harmless)
        check_jpeg(path)


@pytest.mark.parametrize(
    "text",
    [
        "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n{}\n#EXT-X-ENDLIST\n",
        "ffconcat version 1.0\nfile '{}'\n",
        "<?xml version='1.0'?><MPD><Period><BaseURL>{}</BaseURL></Period></MPD>",
        "v=0\no=- 0 0 IN IP4 127.0.0.1\nm=video 5004 RTP/AVP 96\n",
    ],
)
def test_text_that_would_have_the_clip_decoder_open_another_file_is_refused(text: str, tmp_path: Path) -> None:
    other = tmp_path / "other.webm"
    other.write_bytes((DEMO / "clips" / "salt-road.webm").read_bytes())
    (tmp_path / "clip.webm").write_text(text.format(other))
    with pytest.raises(NoVideoError):
        read_clip(tmp_path / "clip.webm")
