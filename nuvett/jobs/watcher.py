"""Watching folders beside the tasks of a worker: one worker of all does it."""

import asyncio
import logging
import uuid

import watchfiles
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from nuvett.core.errors import NuvettError
from nuvett.services.platform.locks import Lock
from nuvett.services.platform.studio import Studio
from nuvett.services.series.watching import Seen, look_into_all, watched_paths

log = logging.getLogger("nuvett.watcher")
_BUSY, _CALM = 0.5, 5.0  # seconds until folders are looked into again, while files settle and otherwise
_STEP = 50  # milliseconds in which changes are gathered


async def watch_folders(studio: Studio) -> None:
    """Watch until cancelled. While another worker does it, wait for that one to end."""
    while True:
        try:
            await _watch_alone(studio)
        except (SQLAlchemyError, NuvettError, OSError) as error:
            log.warning("Folders are not watched just now: %s", error)
        except Exception:  # whatever it is, watching goes on
            log.exception("Folders are not watched just now")
        await asyncio.sleep(_CALM)


async def _watch_alone(studio: Studio) -> None:
    with studio.database.engine.connect() as connection:
        held = await asyncio.to_thread(
            lambda: connection.scalar(text("SELECT pg_try_advisory_lock(:lock)"), {"lock": Lock.WATCHING.value})
        )
        connection.commit()
        waiting: dict[uuid.UUID, Seen] = {}
        while held:
            busy = await asyncio.to_thread(look_into_all, studio, waiting)
            await _until_something_changes(studio, _BUSY if busy else _CALM)


async def _until_something_changes(studio: Studio, most: float) -> None:
    paths = await asyncio.to_thread(watched_paths, studio)
    if not paths or most < _CALM:
        await asyncio.sleep(most)
        return
    stop = asyncio.Event()

    async def first() -> None:
        async for _ in watchfiles.awatch(*paths, step=_STEP, stop_event=stop, recursive=True):
            return

    try:
        await asyncio.wait_for(first(), most)
    except TimeoutError:
        pass
    except Exception as error:  # names that its library cannot read; folders are looked into all the same
        log.warning("Changes in folders are not told at once: %s", error)
        await asyncio.sleep(most)
    stop.set()
