"""Connections are hung up on where a request does not begin, and a request hears of it when whoever asked leaves."""

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
import uvicorn
from starlette.types import Receive, Scope, Send

from nuvett.web.security import protocol

_BEGIN = 0.4


class Slow:
    """An application that answers as soon as a body is whole, or at "/wait" once whoever asked has left."""

    def __init__(self) -> None:
        self.left = threading.Event()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return
        while (message := await receive())["type"] == "http.request":
            if not message.get("more_body") and scope["path"] != "/wait":
                await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"2")]})
                await send({"type": "http.response.body", "body": b"ok"})
                return
        self.left.set()


@pytest.fixture
def slow(monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[Slow, int]]:
    monkeypatch.setattr(protocol, "_BEGIN_SECONDS", _BEGIN)
    made = Slow()
    listening = socket.create_server(("127.0.0.1", 0))
    server = uvicorn.Server(uvicorn.Config(made, http=protocol.PunctualProtocol, log_level="error", lifespan="off"))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]})
    thread.start()
    yield made, listening.getsockname()[1]
    server.should_exit = True
    thread.join()
    listening.close()


@contextmanager
def calling(port: int) -> Iterator[socket.socket]:
    with socket.create_connection(("127.0.0.1", port), timeout=10) as line:
        yield line


def answered(line: socket.socket) -> bytes:
    told = b""
    while not told.endswith(b"ok"):
        told += line.recv(1000) or pytest.fail("hung up on")
    return told


@pytest.mark.parametrize("said", [b"", b"GET / HTTP/1.1\r\nHost: a\r\n"])
def test_a_request_that_does_not_begin_is_hung_up_on(slow: tuple[Slow, int], said: bytes) -> None:
    with calling(slow[1]) as line:
        began = time.monotonic()
        line.sendall(said)
        assert line.recv(100) == b"" and time.monotonic() - began > _BEGIN / 2


def test_a_body_may_take_longer_and_so_may_the_next_request_on_the_line(slow: tuple[Slow, int]) -> None:
    with calling(slow[1]) as line:
        line.sendall(b"POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 4\r\n\r\nab")
        time.sleep(1.5 * _BEGIN)
        line.sendall(b"cd")
        assert b"200 OK" in answered(line)
        time.sleep(_BEGIN / 2)
        line.sendall(b"GET / HTTP/1.1\r\nHost: a\r\n\r\n")
        assert b"200 OK" in answered(line)


def test_a_request_hears_that_whoever_asked_has_left(slow: tuple[Slow, int]) -> None:
    application, port = slow
    with calling(port) as line:
        line.sendall(b"GET /wait HTTP/1.1\r\nHost: a\r\n\r\n")
        assert not application.left.wait(0.2)
    assert application.left.wait(5)
