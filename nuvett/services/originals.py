"""Originals at full size, for looking at parts of them: decoded once, then read from the disk where they are asked for.

A picture of 160 megapixels takes half a gigabyte; several decoded at once, or kept in memory, would leave none.
"""

import logging
import tempfile
from threading import Lock

import numpy as np

from nuvett.core.errors import InvalidChangeError
from nuvett.core.render import Pixels
from nuvett.imaging.decode import Limits, decode
from nuvett.services.caches import Cache
from nuvett.store.blobs import BlobStore

log = logging.getLogger("nuvett.originals")
_ON_DISK = 2e9  # bytes of decoded pictures kept on the disk


class Originals:
    """Pixels of originals by their blobs. One is decoded at a time; they lie in files that end with this process."""

    def __init__(self, blobs: BlobStore, limits: Limits) -> None:
        self._blobs, self._limits = blobs, limits
        self._files = Cache(_ON_DISK)
        self._decoding = Lock()

    def part(self, original: str, box: tuple[int, int, int, int]) -> Pixels:
        """Pixels of x, y, width, height of a picture, as much as lies inside it.

        Raises InvalidChangeError for a place outside it, and as `decode`.
        """
        x, y, width, height = box
        part = self.whole(original)[y : y + height, x : x + width]
        if part.size == 0:
            raise InvalidChangeError("That place lies outside the picture.")
        return np.ascontiguousarray(part)

    def whole(self, original: str) -> Pixels:
        """All pixels (H, W, 3), which lie on the disk: copy no more of them than is needed."""
        return self._files.get(original, lambda: self._decoded(original))

    def _decoded(self, original: str) -> Pixels:
        with self._decoding:
            with self._blobs.local(original) as path:
                pixels = decode(path, self._limits).pixels
            try:
                return _on_disk(pixels)
            except OSError as error:
                log.warning("A decoded picture could not be kept on the disk: %s", error)
                return pixels


def _on_disk(pixels: Pixels) -> Pixels:
    """The same pixels in a file without a name, which is gone when nobody reads them any more."""
    with tempfile.TemporaryFile() as file:
        np.ascontiguousarray(pixels).tofile(file)
        file.flush()
        return np.memmap(file, dtype=pixels.dtype, mode="r", shape=pixels.shape)
