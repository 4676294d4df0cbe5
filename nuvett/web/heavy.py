"""Requests that compute run on threads of their own, few of them, so that pages and scripts answer meanwhile.

Whoever asked may have left by the time that it is their turn, or before it ends: nothing is computed for them then.
"""

import asyncio
import os
from collections.abc import Awaitable, Callable
from dataclasses import replace
from functools import partial, wraps
from threading import Event
from typing import ParamSpec, TypeVar

from anyio import CapacityLimiter, to_thread
from fastapi import Request

from nuvett.core.errors import StoppingError
from nuvett.web.context import Context

P = ParamSpec("P")
T = TypeVar("T")


_LOOKS = 0.3  # seconds between looks at whether somebody still waits for an answer


class Leaving(Event):
    """Set once nobody waits for an answer any more, or as what it stands on is."""

    def __init__(self, stopping: Event) -> None:
        super().__init__()
        self._stopping = stopping

    def is_set(self) -> bool:
        return super().is_set() or self._stopping.is_set()


def make_limiter() -> CapacityLimiter:
    """As many computing requests at once as there are cores, and two at least."""
    return CapacityLimiter(max(2, os.cpu_count() or 1))


def in_turn() -> CapacityLimiter:
    """One at a time: for many small pictures, of which the first is wanted before the others begin."""
    return CapacityLimiter(1)


def heavy(endpoint: Callable[P, T]) -> Callable[P, Awaitable[T]]:
    """A route that computes; its first parameter is called `context`."""
    return _on_threads(endpoint, "heavy")


def heavy_in_turn(endpoint: Callable[P, T]) -> Callable[P, Awaitable[T]]:
    """A route that computes, one request after the other."""
    return _on_threads(endpoint, "turns")


def one_attempt(endpoint: Callable[P, T]) -> Callable[P, Awaitable[T]]:
    """A route that looks at a password: one at a time, on a thread that nothing else computes on."""
    return _on_threads(endpoint, "signing")


def _on_threads(endpoint: Callable[P, T], limiter: str) -> Callable[P, Awaitable[T]]:
    @wraps(endpoint)
    async def run(*arguments: P.args, **named: P.kwargs) -> T:
        context = named["context"]
        assert isinstance(context, Context)
        found: CapacityLimiter = getattr(context.request.app.state, limiter)
        leaving = Leaving(context.studio.stopping)
        named["context"] = replace(context, studio=replace(context.studio, stopping=leaving))
        watching = asyncio.create_task(_watch(context.request, leaving))
        try:
            work = partial(_unless_left, leaving, partial(endpoint, *arguments, **named))
            return await to_thread.run_sync(work, limiter=found)
        finally:
            watching.cancel()

    return run


async def _watch(request: Request, leaving: Event) -> None:
    while not await request.is_disconnected():
        await asyncio.sleep(_LOOKS)
    leaving.set()


def _unless_left(leaving: Event, work: Callable[[], T]) -> T:
    if leaving.is_set():
        raise StoppingError
    return work()
