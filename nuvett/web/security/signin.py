"""Signing in, for a copy that listens beyond its own machine: one password, and sessions in a cookie."""

from http.cookies import CookieError, SimpleCookie
from urllib.parse import quote, urlsplit

from starlette.datastructures import Headers
from starlette.responses import JSONResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from nuvett.settings import Settings
from nuvett.web.security.guard import KNOWN

COOKIE = "nuvett_session"
SIGN_IN = "/sign-in"
_OPEN = (SIGN_IN, "/static/", "/alive", "/ready", "/metrics")
_LOOPBACK = ("127.0.0.1", "::1", "localhost")


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
    """ASGI middleware that lets nobody past whom the guard does not know; all of it lies behind."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        headers = Headers(scope=scope) if scope["type"] == "http" else None
        if headers is None or scope["path"].startswith(_OPEN) or scope[KNOWN]:
            await self._app(scope, receive, send)
            return
        await _turned_away(scope, headers)(scope, receive, send)


def _turned_away(scope: Scope, headers: Headers) -> Response:
    if scope["method"] == "GET" and "text/html" in headers.get("accept", ""):
        asked = scope["path"] + (f"?{scope['query_string'].decode('latin-1')}" if scope["query_string"] else "")
        return RedirectResponse(f"{SIGN_IN}?next={quote(asked, safe='/')}", 303, {"cache-control": "no-store"})
    return JSONResponse({"message": "Sign in first: reload the page."}, 401, {"cache-control": "no-store"})
