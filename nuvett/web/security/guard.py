"""What every request must pass: known host, no cross-site write, bounded body; and the headers every answer carries."""

import asyncio
from collections.abc import Awaitable, Callable
from contextlib import suppress
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import PlainTextResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from nuvett.core.errors import NuvettError

_SAFE = {"GET", "HEAD", "OPTIONS"}
_PLAIN_BODY = 1_000_000  # bytes of a body that is no file; looks and samplings have a few thousand
_STRANGER_BODY = 8_000  # bytes of a body of somebody who has not signed in: a password and where to go on to
_BODY_SECONDS = 30.0  # for which a body may stay silent while it is sent
_BODY_SLACK = 100_000  # form fields and part headers around an uploaded file
POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "img-src 'self' blob: data:",
        "font-src 'self'",
        "connect-src 'self'",
        "form-action 'self'",
        "base-uri 'none'",
        "frame-ancestors 'none'",
    )
)
_HEADERS = {
    "content-security-policy": POLICY,
    "x-content-type-options": "nosniff",
    "referrer-policy": "same-origin",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}


class BodyTooLarge(Exception):
    """The request's body passed the limit while it was read."""


class BodyTooSlow(Exception):
    """The request's body stayed away for too long."""


_TOO_SLOW = "The request did not arrive in time. Nothing was changed."


def _too_large(most: int) -> str:
    size = f"{most / 1e6:.0f} MB" if most >= 1e6 else f"{most / 1e3:.0f} kB"
    return f"What was sent is larger than {size}, the limit set here."


def host_name(value: str) -> str:
    """Host of a Host header without its port, in small letters; IPv6 keeps its brackets."""
    value = value.lower()
    return value[: value.index("]") + 1] if value.startswith("[") and "]" in value else value.split(":", 1)[0]


def is_cross_site(headers: Headers) -> bool:
    """Whether a browser says that a request comes from another site (Fetch Metadata, else the Origin header)."""
    site = headers.get("sec-fetch-site")
    if site is not None:
        return site not in ("same-origin", "none")
    origin = headers.get("origin")
    return origin is not None and urlsplit(origin).netloc.lower() != headers.get("host", "").lower()


Known = Callable[[Headers], Awaitable[bool]]
KNOWN = "nuvett.known"
"""Where a request's scope says whether it comes from somebody who may be here."""


class Guard:
    """ASGI middleware around the whole application. known : whether a request comes from somebody who may be here."""

    def __init__(self, app: ASGIApp, hosts: tuple[str, ...], body_bytes: int, known: Known) -> None:
        self._app, self._hosts, self._most = app, tuple(host.lower() for host in hosts), body_bytes + _BODY_SLACK
        self._known = known

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = self._stranger(headers, scope)
        if refusal is None:
            try:
                scope[KNOWN] = await self._known(headers)
                refusal = self._too_much(scope, headers)
            except NuvettError as error:  # where sessions are kept cannot be reached
                refusal = PlainTextResponse(error.message, 503)
        if refusal is not None:
            refusal.headers.update(_HEADERS)
            await refusal(scope, receive, send)
            return
        await self._limited(scope, receive, send)

    def _stranger(self, headers: Headers, scope: Scope) -> PlainTextResponse | None:
        if host_name(headers.get("host", "")) not in self._hosts:
            return PlainTextResponse("This address is not one that this application answers to.", 421)
        if scope["method"] not in _SAFE and is_cross_site(headers):
            return PlainTextResponse("The request came from another site and was refused.", 403)
        return None

    def _too_much(self, scope: Scope, headers: Headers) -> PlainTextResponse | None:
        length, most = headers.get("content-length", "0"), self._most_of(scope, headers)
        if length.isdecimal() and int(length) > most:
            return PlainTextResponse(_too_large(most), 413)
        return None

    def _most_of(self, scope: Scope, headers: Headers) -> int:
        """Bytes that a body may have: files come as forms of several parts, and all else is small."""
        if not scope[KNOWN]:
            return _STRANGER_BODY
        is_form = headers.get("content-type", "").lower().startswith("multipart/form-data")
        return self._most if is_form else _PLAIN_BODY

    async def _limited(self, scope: Scope, receive: Receive, send: Send) -> None:
        seen, started, whole = 0, False, False
        refusal: PlainTextResponse | None = None
        most = self._most_of(scope, Headers(scope=scope))

        async def counted() -> Message:
            nonlocal seen, whole, refusal
            try:
                message = await (receive() if whole else asyncio.wait_for(receive(), _BODY_SECONDS))
            except TimeoutError as error:
                refusal = PlainTextResponse(_TOO_SLOW, 408, {**_HEADERS, "connection": "close"})
                raise BodyTooSlow from error
            whole = whole or not message.get("more_body", False)
            seen += len(message.get("body", b""))
            if seen > most:
                refusal = PlainTextResponse(_too_large(most), 413, dict(_HEADERS))
                raise BodyTooLarge
            return message

        async def signed(message: Message) -> None:
            nonlocal started
            if refusal is not None and not started:
                return  # the application's own answer to the broken body; ours follows
            if message["type"] == "http.response.start":
                started = True
                answer = MutableHeaders(raw=message.setdefault("headers", []))
                for name, value in _HEADERS.items():
                    answer.setdefault(name, value)
                if answer.get("content-type", "").startswith("text/html"):
                    answer.setdefault("cache-control", "no-store")
            await send(message)

        with suppress(BodyTooLarge, BodyTooSlow):
            await self._app(scope, counted, signed)
        if refusal is not None and not started:
            await refusal(scope, receive, send)
