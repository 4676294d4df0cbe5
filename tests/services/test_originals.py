"""Parts of originals at full size are the decoded pixels, read from the disk and decoded once."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from nuvett.core.errors import InvalidChangeError, MissingBlobError
from nuvett.imaging.decode import decode
from nuvett.imaging.opened import Limits
from nuvett.services.engine import originals
from nuvett.services.engine.originals import Originals
from nuvett.store.blobs import BlobStore


@pytest.fixture
def kept(tmp_path: Path, photo: np.ndarray) -> tuple[Originals, str, np.ndarray]:
    """A picture of several strips that lies on its side, kept as a blob, and its upright pixels."""
    exif = Image.Exif()
    exif[0x0112] = 6
    Image.fromarray(np.tile(photo, (2, 3, 1))).save(tmp_path / "a.jpg", exif=exif, quality=95)
    blobs = BlobStore(str(tmp_path / "blobs"))
    return (
        Originals(blobs, Limits()),
        blobs.put_file(tmp_path / "a.jpg")[0],
        decode(tmp_path / "a.jpg", Limits()).pixels,
    )


def test_a_part_is_what_a_whole_decode_has_there(kept: tuple[Originals, str, np.ndarray]) -> None:
    found, name, whole = kept
    assert whole.shape[0] > whole.shape[1] and whole.shape[0] > 2 * 256
    assert np.array_equal(found.part(name, (100, 500, 64, 300)), whole[500:800, 100:164])
    assert found.part(name, (whole.shape[1] - 10, 0, 64, 64)).shape == (64, 10, 3)
    assert isinstance(found.whole(name), np.memmap)
    with pytest.raises(InvalidChangeError):
        found.part(name, (whole.shape[1], 0, 10, 10))
    with pytest.raises(MissingBlobError):
        found.part("0" * 64, (0, 0, 1, 1))


def test_a_picture_is_decoded_once_and_shown_though_the_disk_is_full(
    kept: tuple[Originals, str, np.ndarray], monkeypatch: pytest.MonkeyPatch
) -> None:
    found, name, whole = kept
    opened: list[Path] = []
    plain = originals.open_picture

    def counted(path: Path, limits: Limits) -> object:
        opened.append(path)
        return plain(path, limits)

    monkeypatch.setattr(originals, "open_picture", counted)
    for x in (0, 50, 90):
        found.part(name, (x, 0, 20, 20))
    assert len(opened) == 1

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(originals, "_on_disk", full)
    fresh = Originals(found._blobs, Limits())
    assert np.array_equal(fresh.part(name, (0, 0, 20, 20)), whole[:20, :20])
