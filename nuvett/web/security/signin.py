"""Signing in, for a copy that listens beyond its own machine: one password, sessions in a cookie, few attempts."""

import secrets
import time
from collections import OrderedDict
from http.cookies import CookieError, SimpleCookie
from threading import Lock
from urllib.parse import quote, urlsplit

from starlette.datastructures import Headers
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from nuvett.settings import Settings

COOKIE = "nuvett_session"
SIGN_IN = "/sign-in"
_LASTS = 12 * 3600.0  # seconds that a session lasts unused
_MOST_SESSIONS = 1000
_FREE_ATTEMPTS, _FIRST_WAIT, _LONGEST_WAIT = 5, 30.0, 900.0  # attempts without a pause, and seconds of the pauses
_MOST_ADDRESSES = 10_000
_OPEN = (SIGN_IN, "/static/", "/alive", "/ready", "/metrics")
_LOOPBACK = ("127.0.0.1", "::1", "localhost")


class Sessions:
    """Sessions by their secret names, the longest unused let go first; gone when the application stops."""

    def __init__(self) -> None:
        self._used: OrderedDict[str, float] = OrderedDict()
        self._lock = Lock()

    def begin(self) -> str:
        """A new session's name."""
        name = secrets.token_urlsafe(32)
        with self._lock:
            self._used[name] = time.monotonic()
            while len(self._used) > _MOST_SESSIONS:
                self._used.popitem(last=False)
        return name

    def holds(self, name: str) -> bool:
        """Whether a session goes on; it goes on from now."""
        now = time.monotonic()
        with self._lock:
            used = self._used.get(name)
            if used is None or now - used > _LASTS:
                self._used.pop(name, None)
                return False
            self._used[name] = now
            self._used.move_to_end(name)
            return True

    def end(self, name: str) -> None:
        with self._lock:
            self._used.pop(name, None)


class Attempts:
    """Failed attempts by address: after a few, each must wait twice as long as the one before."""

    def __init__(self) -> None:
        self._failed: OrderedDict[str, tuple[int, float]] = OrderedDict()
        self._lock = Lock()

    def wait(self, address: str) -> float:
        """Seconds until an address may try again."""
        with self._lock:
            return max(0.0, self._failed.get(address, (0, 0.0))[1] - time.monotonic())

    def failed(self, address: str) -> None:
        with self._lock:
            count = self._failed.pop(address, (0, 0.0))[0] + 1
            over = count - _FREE_ATTEMPTS
            pause = min(_FIRST_WAIT * 2**over, _LONGEST_WAIT) if over >= 0 else 0.0
            self._failed[address] = (count, time.monotonic() + pause)
            while len(self._failed) > _MOST_ADDRESSES:
                self._failed.popitem(last=False)

    def succeeded(self, address: str) -> None:
        with self._lock:
            self._failed.pop(address, None)


def refusal_to_listen(settings: Settings) -> str:
    """Why a copy with these settings must not be started, in words; nothing when it may."""
    if settings.host in _LOOPBACK:
        return ""
    if not settings.password.startswith("$argon2"):
        return (
            f"Listening on {settings.host} would let everybody on the network in. Set NUVETT_PASSWORD to what "
            "`./run cli password` prints, or leave NUVETT_HOST as it is."
        )
    if set(settings.hosts) <= set(Settings.model_fields["hosts"].default):
        return (
            f"Listening on {settings.host} needs NUVETT_HOSTS: the names under which browsers ask for it, "
            'for example ["photos.example.org"].'
        )
    return ""


def session_of(headers: Headers) -> str:
    """Name of the session in a request's cookie; empty without one."""
    try:
        morsel = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return ""
    return morsel.value if morsel else ""


def safe_next(path: str) -> str:
    """A path of this application to go on to, whatever was asked for."""
    parts = urlsplit(path)
    plain = path.startswith("/") and not path.startswith(("//", "/\\")) and not parts.scheme and not parts.netloc
    return path if plain else "/"


class Gate:
    """ASGI middleware that lets nobody past without a session; all pages, pictures and changes lie behind it."""

    def __init__(self, app: ASGIApp, sessions: Sessions) -> None:
        self._app, self._sessions = app, sessions

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        headers = Headers(scope=scope) if scope["type"] == "http" else None
        if headers is None or scope["path"].startswith(_OPEN) or self._sessions.holds(session_of(headers)):
            await self._app(scope, receive, send)
            return
        await _turned_away(scope, headers)(scope, receive, send)


def _turned_away(scope: Scope, headers: Headers) -> Response:
    if scope["method"] == "GET" and "text/html" in headers.get("accept", ""):
        asked = scope["path"] + (f"?{scope['query_string'].decode('latin-1')}" if scope["query_string"] else "")
        return RedirectResponse(f"{SIGN_IN}?next={quote(asked, safe='/')}", 303, {"cache-control": "no-store"})
    return JSONResponse({"message": "Sign in first: reload the page."}, 401, {"cache-control": "no-store"})
