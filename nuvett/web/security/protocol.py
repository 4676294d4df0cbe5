"""HTTP connections that do not wait for ever: a request whose beginning stays away is hung up on."""

import asyncio
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

_BEGIN_SECONDS = 20.0  # in which the first line and the headers of a request have to arrive


class PunctualProtocol(H11Protocol):
    """Uvicorn's own protocol, with a limit on how long a request's headers may take."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._wait_for_headers()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.conn.their_state is h11.IDLE:
            self._wait_for_headers()
        else:
            self._calm()

    def connection_lost(self, error: Exception | None) -> None:
        self._calm()
        super().connection_lost(error)

    def _wait_for_headers(self) -> None:
        if self._late is None:
            self._late = self.loop.call_later(_BEGIN_SECONDS, self._hang_up)

    def _hang_up(self) -> None:
        self._late = None
        if self.conn.their_state is h11.IDLE and not self.transport.is_closing():
            self.transport.close()

    def _calm(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None
