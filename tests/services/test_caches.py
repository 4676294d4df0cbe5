"""Caches weigh bytes, make a value asked for twice at once only once, and keep nothing alive for another's sake."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from nuvett.services.caching.caches import Cache, Caches, weight_of


def test_the_least_used_goes_when_the_bytes_pass_the_limit() -> None:
    cache = Cache(2_500)
    for name in ("first", "second"):
        cache.get(name, lambda: np.zeros(1_000, np.uint8))
    cache.get("first", lambda: pytest.fail("it is kept"))
    cache.get("third", lambda: np.zeros(1_000, np.uint8))
    assert cache.peek("second") is None and cache.peek("first") is not None and cache.peek("third") is not None
    assert 2_000 <= cache.bytes <= 2_500
    cache.get("huge", lambda: bytes(10_000))
    assert cache.peek("huge") is None and cache.peek("first") is not None


def test_a_value_weighs_all_that_hangs_on_it() -> None:
    array = np.zeros((100, 3), np.float32)
    assert 1_200 <= weight_of(array) < 1_500
    assert weight_of({"a": [array, array], "b": (b"x" * 500,)}) > 2_900
    shares = Caches(100)
    shares.facts.get("one", lambda: [array] * 4, 7)
    assert shares.facts.bytes == 7 and shares.pictures.bytes == 0


def test_a_value_asked_for_twice_at_once_is_made_once() -> None:
    cache, made, begun = Cache(1e6), [], threading.Event()

    def make() -> str:
        begun.set()
        made.append(time.monotonic())
        time.sleep(0.1)
        return "value"

    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(lambda _: cache.get("key", make), range(8))) == ["value"] * 8
    assert len(made) == 1


def test_a_maker_that_fails_leaves_the_next_asker_to_try() -> None:
    cache = Cache(1e6)
    with pytest.raises(ZeroDivisionError):
        cache.get("key", lambda: 1 / 0)
    assert cache.get("key", lambda: "made") == "made"
