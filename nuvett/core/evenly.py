"""Some of many that lie evenly among them."""

from collections.abc import Sequence
from typing import TypeVar

T = TypeVar("T")


def evenly(things: Sequence[T], most: int) -> Sequence[T]:
    """At most so many of things, each as far after the one before, the first among them; all where they are so few."""
    return things[:: max(1, -(-len(things) // most))]
