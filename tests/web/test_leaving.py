"""Whoever asked for what takes long may stop it or leave: nothing is worked out for them then."""

import threading
from collections.abc import Callable
from types import SimpleNamespace
from typing import Any

import anyio
import pytest
from starlette.testclient import TestClient

from nuvett.core.errors import StoppingError
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series
from nuvett.web.context import Context
from nuvett.web.heavy import heavy
from tests.conftest import run_apart
from tests.web.test_long_series import filling, short_pages  # noqa: F401


class Asking:
    """A request whose browser goes away once it is told to."""

    def __init__(self, limiter: anyio.CapacityLimiter) -> None:
        self.app, self.left = SimpleNamespace(state=SimpleNamespace(heavy=limiter)), False

    async def is_disconnected(self) -> bool:
        return self.left


def answered(studio: Studio, work: Callable[[Context, Asking], str]) -> str:
    async def ask() -> str:
        request: Any = Asking(anyio.CapacityLimiter(1))

        @heavy
        def route(context: Context) -> str:
            return work(context, request)

        return await route(context=Context(request, studio, None))  # type: ignore[arg-type]

    return run_apart(ask())


def test_nothing_is_begun_for_whoever_left_before_it_was_their_turn(studio: Studio) -> None:
    begun = []

    async def ask() -> None:
        limiter = anyio.CapacityLimiter(1)
        request: Any = Asking(limiter)
        request.left = True

        @heavy
        def route(context: Context) -> None:
            begun.append(context)

        async with anyio.create_task_group() as group:
            await limiter.acquire_on_behalf_of("another request")

            async def give_way() -> None:
                await anyio.sleep(0.2)
                limiter.release_on_behalf_of("another request")

            group.start_soon(give_way)
            with pytest.raises(StoppingError):
                await route(context=Context(request, studio, None))  # type: ignore[arg-type]

    run_apart(ask())
    assert not begun


def test_an_answer_is_worked_out_to_its_end_for_whoever_waits(studio: Studio) -> None:
    def work(context: Context, _: Asking) -> str:
        context.studio.pause()
        return "made"

    assert answered(studio, work) == "made"


def test_work_pauses_for_good_once_whoever_asked_has_left(studio: Studio) -> None:
    paused = threading.Event()

    def work(context: Context, request: Asking) -> str:
        request.left = True
        for _ in range(100):
            context.studio.pause()
            paused.wait(0.1)
        return "made for nobody"

    with pytest.raises(StoppingError):
        answered(studio, work)
    studio.pause()  # others go on


def test_a_wall_can_be_stopped_and_goes_on_when_it_is_asked_to(client: TestClient, slug: str, studio: Studio) -> None:
    def asked() -> str:
        with studio.database.session() as session:
            return find_series(session, slug).wall_asked

    client.put(f"/series/{slug}/look", json={"document": {"strength": 37.25}, "revision": 1})
    wall = " ".join(client.get(f"/series/{slug}/carry/wall?show=draft").text.split())
    assert 'data-fill="off">stop' in wall and asked() == "draft"
    assert client.delete(f"/series/{slug}/carry/filling?stopped=true").status_code == 204 and asked() == ""
    wall = " ".join(client.get(f"/series/{slug}/carry/wall?show=draft&fill=false").text.split())
    assert 'data-fill="on">go on' in wall and "fill=false" in wall and asked() == ""
    known, frames = filling(client, slug)
    assert known < frames and asked() == "draft", "whoever asks how far it is looks at it"
