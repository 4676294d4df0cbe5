"""The application factory."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

import anyio
from anyio import to_thread
from fastapi import FastAPI
from starlette.datastructures import Headers
from starlette.staticfiles import StaticFiles

from nuvett.services.entry.sessions import Attempts, Sessions
from nuvett.services.platform.memory import hand_back_freed
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from nuvett.web import faults
from nuvett.web.context import make_templates
from nuvett.web.heavy import in_turn, make_limiter
from nuvett.web.routes import (
    beside,
    by_setup,
    carry,
    clips,
    events,
    gather,
    handover,
    health,
    kept,
    lifting,
    lookbook,
    many,
    pages,
    pair_looks,
    palettes,
    pictures,
    read,
    shape,
    shelf,
    signing,
    threads,
    trials,
    trim,
    upkeep,
)
from nuvett.web.security.guard import Guard
from nuvett.web.security.naming import NamedRequests
from nuvett.web.security.signin import Gate, session_of

_HAND_BACK = 20.0  # seconds


async def _hand_back_now_and_then() -> None:
    """Let the allocator give back what pictures have freed, for as long as pages are answered."""
    while True:
        await anyio.sleep(_HAND_BACK)
        await to_thread.run_sync(hand_back_freed)


def make_app(settings: Settings, studio: Studio) -> FastAPI:
    """An application on a studio that the caller keeps and closes."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.studio = studio
        app.state.templates = make_templates()
        app.state.heavy, app.state.turns, app.state.signing = make_limiter(), in_turn(), in_turn()
        app.state.sessions, app.state.attempts = Sessions(studio.database), Attempts(studio.database)
        async with anyio.create_task_group() as beside:
            beside.start_soon(_hand_back_now_and_then)
            yield
            beside.cancel_scope.cancel()

    app = FastAPI(title="Nuvett", lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None)
    stages = (shelf, events, gather, read, clips, palettes, shape, carry, trim, lifting, many, handover)
    looks = (pair_looks, lookbook, kept, trials, health, by_setup, beside, threads)
    # Addresses are tried in this order: pictures are asked for most, and some of looks lie below wider ones of stages.
    for module in (pictures, *looks, *stages, pages, upkeep, signing):
        app.router.routes.extend(module.router.routes)
    app.mount("/static", StaticFiles(directory=Path(__file__).parent / "static"), name="static")
    faults.add_handlers(app)
    if settings.password:
        app.add_middleware(Gate)

    async def known(headers: Headers) -> bool:
        if not settings.password:
            return True
        return await to_thread.run_sync(app.state.sessions.holds, session_of(headers))

    app.add_middleware(Guard, hosts=settings.hosts, body_bytes=settings.upload_bytes, known=known)
    app.add_middleware(NamedRequests)
    return app
