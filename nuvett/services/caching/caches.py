"""What was computed, kept while memory lasts: caches that weigh bytes, under one setting."""

from collections.abc import Callable, Hashable, Mapping
from contextlib import suppress
from dataclasses import fields, is_dataclass
from threading import Event, Lock
from typing import Any, TypeVar

import numpy as np
from cachetools import LRUCache
from pydantic import BaseModel

T = TypeVar("T")
_OBJECT = 120  # bytes that any value of Python's takes at the least, roughly
# Shares of the memory: a long series, all of which a wall asks for, has to have room in facts, or each of them is made
# again in the middle of a request. Few pictures are looked at at once, and pools would push many facts out.
_PICTURES, _POOLS, _MATCHES = 0.35, 0.05, 0.1


def weight_of(value: object) -> int:
    """Bytes that a value keeps in memory, roughly: its arrays, bytes and texts, and something for every object."""
    if isinstance(value, float | int | None):
        return _OBJECT  # most values by far, so asked first
    if isinstance(value, np.ndarray):
        return int(value.nbytes) + _OBJECT
    if isinstance(value, bytes | str):
        return len(value) + _OBJECT
    if isinstance(value, Mapping):
        return _OBJECT + sum(weight_of(v) for v in value.values())
    if isinstance(value, list | tuple | set | frozenset):
        return _OBJECT + sum(weight_of(v) for v in value)
    if isinstance(value, BaseModel):
        return _OBJECT + sum(weight_of(v) for v in value.__dict__.values())
    if is_dataclass(value):
        return _OBJECT + sum(weight_of(getattr(value, f.name)) for f in fields(value))
    return _OBJECT


class Cache:
    """Values by key, the least used let go when their bytes pass a limit; for use by several threads.

    A value asked for twice at once is made once: the second asker waits for the first.
    """

    def __init__(self, most_bytes: float) -> None:
        self._kept: LRUCache[Hashable, tuple[Any, int]] = LRUCache(most_bytes, lambda entry: entry[1])
        self._lock = Lock()
        self._making: dict[Hashable, Event] = {}

    def peek(self, key: Hashable) -> Any:
        """The value under a key, none when there is none."""
        with self._lock:
            entry = self._kept.get(key)
        return None if entry is None else entry[0]

    def put(self, key: Hashable, value: object, weight: int | None = None) -> None:
        """Keep a value under a key, in place of what was there; it weighs its own bytes unless told otherwise."""
        weighed = weight_of(value) if weight is None else weight
        with self._lock, suppress(ValueError):
            self._kept[key] = (value, weighed)

    def get(self, key: Hashable, make: Callable[[], T], weight: int | None = None) -> T:
        """The value under a key, made if need be; it weighs its own bytes unless told otherwise."""
        while True:
            with self._lock:
                if key in self._kept:
                    return self._kept[key][0]  # type: ignore[no-any-return]
                busy = self._making.get(key)
                if busy is None:
                    done = self._making[key] = Event()
                    break
            busy.wait()
        try:
            value = make()
            weighed = weight_of(value) if weight is None else weight
            with self._lock, suppress(ValueError):  # larger than the whole cache: handed out, not kept
                self._kept[key] = (value, weighed)
        finally:
            with self._lock:
                del self._making[key]
            done.set()
        return value

    @property
    def bytes(self) -> float:
        """Bytes kept."""
        return float(self._kept.currsize)


class Caches:
    """The caches of one process.

    pictures : pictures and arrays; facts : plans and measures of frames; pools : statistics of whole series
    matches : what frames of a set-up share, for when another of them is named the hero
    """

    def __init__(self, megabytes: float) -> None:
        whole = megabytes * 1e6
        self.pictures, self.pools = Cache(whole * _PICTURES), Cache(whole * _POOLS)
        self.matches = Cache(whole * _MATCHES)
        self.facts = Cache(whole * (1 - _PICTURES - _POOLS - _MATCHES))
