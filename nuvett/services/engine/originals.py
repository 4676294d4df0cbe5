"""Originals at full size, for looking at parts of them: decoded once, then read from the disk where they are asked for.

A picture of 160 megapixels takes half a gigabyte; several decoded at once, or kept in memory, would leave none.
"""

import logging
import tempfile
from threading import Lock

import numpy as np

from nuvett.core.drawing.renderer import Pixels
from nuvett.core.errors import InvalidChangeError
from nuvett.imaging.decode import decode, open_picture
from nuvett.imaging.opened import Limits, Opened
from nuvett.services.caching.caches import Cache
from nuvett.store.blobs import BlobStore

log = logging.getLogger("nuvett.originals")
_STRIP_ROWS = 256
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
        with self._decoding, self._blobs.local(original) as path:
            try:
                return _on_disk(open_picture(path, self._limits))
            except OSError as error:
                log.warning("A decoded picture could not be kept on the disk: %s", error)
                return decode(path, self._limits).pixels


def _on_disk(opened: Opened) -> Pixels:
    """Pixels of a picture, strip by strip, in a file without a name that is gone when nobody reads it any more."""
    with tempfile.TemporaryFile() as file:
        for _, strip in opened.strips(_STRIP_ROWS):
            file.write(np.ascontiguousarray(strip).data)
        file.flush()
        return np.memmap(file, dtype=opened.kind, mode="r", shape=opened.shape)
