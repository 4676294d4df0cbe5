"""Every request has a name, which its answer and all that is logged of it carry."""

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from nuvett.logs import Timed, logged_as, request_id

HEADER, NAME = "x-request-id", "nuvett.request"


class NamedRequests:
    """ASGI middleware around everything: names requests, and logs how each ended."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        name, timed = request_id(Headers(scope=scope).get(HEADER, "")), Timed()
        status = 500  # where nothing was answered

        async def named(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                MutableHeaders(raw=message.setdefault("headers", [])).setdefault(HEADER, name)
            await send(message)

        scope[NAME] = name
        with logged_as(request=name):
            try:
                await self._app(scope, receive, named)
            finally:
                timed.over("request", method=scope["method"], path=scope["path"], status=status)
