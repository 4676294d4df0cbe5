"""What is told to an open page for as long as something moves."""

import json
import time
from collections.abc import AsyncIterator
from dataclasses import asdict

import anyio
from anyio import to_thread

from nuvett.core.errors import NuvettError
from nuvett.services.platform.studio import Studio
from nuvett.services.series.catalogue import find_series
from nuvett.services.upkeep.moving import Moving, moving_of

_EVERY, _ALIVE, _LONGEST = 0.6, 15.0, 300.0  # seconds: between looks, between signs of life, and until it is begun anew


async def told_while_it_moves(studio: Studio, slug: str, part: str) -> AsyncIterator[str]:
    """How far work on a part of a series is, as server-sent events, whenever that changed; `rest` once it is over."""

    def look() -> Moving:
        with studio.database.session() as session:
            return moving_of(session, studio, find_series(session, slug), part)

    begun = said = time.monotonic()
    before: Moving | None = None
    while time.monotonic() - begun < _LONGEST and not studio.stopping.is_set():
        try:
            now = await to_thread.run_sync(look)
        except NuvettError:  # the series is gone, or the database for a while: the page asks again by itself
            return
        if now != before:
            before, said = now, time.monotonic()
            yield f"data: {json.dumps(asdict(now))}\n\n"
        elif time.monotonic() - said > _ALIVE:
            said = time.monotonic()
            yield ": still there\n\n"
        if not now.moves:
            yield "event: rest\ndata: {}\n\n"
            return
        await anyio.sleep(_EVERY)
