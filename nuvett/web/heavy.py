"""Requests that compute run on threads of their own, few of them, so that pages and scripts answer meanwhile."""

import os
from collections.abc import Awaitable, Callable
from functools import partial, wraps
from typing import ParamSpec, TypeVar

from anyio import CapacityLimiter, to_thread

from nuvett.web.context import Context

P = ParamSpec("P")
T = TypeVar("T")


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
        return await to_thread.run_sync(partial(endpoint, *arguments, **named), limiter=found)

    return run
