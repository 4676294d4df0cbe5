"""The web server of one process."""

import gc
import socket
from threading import Thread

import uvicorn

from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from nuvett.web.app import make_app
from nuvett.web.context import compile_templates
from nuvett.web.security.protocol import PunctualProtocol

_GRACE = 5  # seconds that open requests are given when it stops


class _Server(uvicorn.Server):
    """A server that says so once it answers."""

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        await super().startup(sockets)
        if self.started:
            print(f"Nuvett is ready: http://{self.config.host}:{self.config.port}/  (Ctrl-C stops it)", flush=True)


def serve_pages(settings: Settings, studio: Studio, port: int) -> None:
    """Answer requests until a signal comes."""
    config = uvicorn.Config(
        make_app(settings, studio),
        host=settings.host,
        port=port,
        http=PunctualProtocol,
        log_level="warning",
        server_header=False,
        proxy_headers=bool(settings.proxies),
        forwarded_allow_ips=list(settings.proxies),
        timeout_graceful_shutdown=_GRACE,
        limit_concurrency=settings.connections or None,
    )
    Thread(target=compile_templates, daemon=True).start()
    gc.collect()
    gc.freeze()  # what was loaded stays, and need not be looked through again and again
    _Server(config).run()
