"""`python -m nuvett.jobs.watch`: looks into watched folders alone, on a machine that has them and does no other work.

Workers that reach the folders do so too; of all of these processes one does it at a time.
"""

import asyncio
import signal

from nuvett.jobs.watcher import watch_folders
from nuvett.logs import set_up_logs
from nuvett.services.platform.installation import recognise
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings


async def watch(settings: Settings) -> None:
    """Watch until a signal comes."""
    studio = Studio.of(settings)
    await asyncio.to_thread(recognise, studio)
    watching = asyncio.create_task(watch_folders(studio))
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, watching.cancel)
    await asyncio.wait([watching])
    studio.database.close()


if __name__ == "__main__":
    set_up_logs(Settings().log, "watch")
    asyncio.run(watch(Settings()))
