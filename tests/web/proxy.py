"""A stand-in for the proxy with TLS before the web servers: takes turns, and tells who asked, and over what."""

import itertools
import socket
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager

import httpx2 as httpx
import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

_OWN = {"connection", "content-length", "transfer-encoding", "content-encoding"}


@contextmanager
def proxied(servers: Sequence[str]) -> Iterator[tuple[str, list[str]]]:
    """An address that passes requests on to servers in turn; which of them answered each."""
    turns, answered = itertools.cycle(servers), []

    async def passed(request: Request) -> Response:
        server = next(turns)
        told = {
            "host": request.headers["host"],
            "x-forwarded-for": "192.0.2.9",
            "x-forwarded-proto": "https",
        }
        given = {name: value for name, value in request.headers.items() if name not in _OWN}
        async with httpx.AsyncClient(timeout=60) as client:
            answer = await client.request(
                request.method, f"{server}{request.url.path}", params=request.url.query,
                headers={**given, **told}, content=await request.body(),
            )  # fmt: skip
        answered.append(server)
        made = Response(answer.content, answer.status_code)
        made.raw_headers = [
            (name, value) for name, value in answer.headers.raw if name.decode().lower() not in _OWN
        ] + [(b"content-length", str(len(answer.content)).encode())]
        return made

    app = Starlette(routes=[Route("/{path:path}", passed, methods=["GET", "POST", "PUT", "DELETE"])])
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        server = uvicorn.Server(uvicorn.Config(app, log_level="error"))
        thread = threading.Thread(target=server.run, kwargs={"sockets": [found]}, daemon=True)
        thread.start()
        while not server.started:
            pass
        yield f"http://127.0.0.1:{found.getsockname()[1]}", answered
        server.should_exit = True
        thread.join(10)
