"""Memory of tasks, counted, so that several large pictures wait for each other instead of filling the machine;
and handed back to the system before the next asks for its own.
"""

import ctypes
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from threading import Condition

from nuvett.imaging.opened import Header

_BYTES_EACH = {8: 7.0, 16: 15.0}  # measured: decoded, as linear proxy and on the way, for each pixel
_RAW_BYTES = 22.0


def bytes_of(header: Header) -> int:
    """Bytes that decoding and rendering a picture take at their peak."""
    each = _RAW_BYTES if header.raw else _BYTES_EACH[16 if header.bits > 8 else 8]
    return int(header.width * header.height * each)


class MemoryBudget:
    """Bytes that tasks of one process may hold together. One that asks for more than all of them works alone."""

    def __init__(self, most: int) -> None:
        self._most, self._held = most, 0
        self._turn = Condition()

    @contextmanager
    def hold(self, asked: int) -> Iterator[None]:
        """Wait until so many bytes are free, and hold them."""
        wanted = min(asked, self._most)
        with self._turn:
            self._turn.wait_for(lambda: self._held + wanted <= self._most)
            self._held += wanted
        try:
            yield
        finally:
            with self._turn:
                self._held -= wanted
                self._turn.notify_all()


def hand_back_freed() -> None:
    """Let the allocator give back what lies free in it. Where it cannot be asked to, nothing is done.

    Large pictures leave gaps that the next ones do not fit into, so that without this a worker grows for many files.
    """
    trim = _trim()
    if trim is not None:
        trim(0)


@cache
def _trim() -> Callable[[int], int] | None:
    return getattr(ctypes.CDLL(None), "malloc_trim", None)  # glibc's
