"""Memory that work has freed, handed back to the system before the next asks for its own."""

import ctypes
from collections.abc import Callable
from functools import cache


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
