"""Signing in and out, where a password is asked for."""

from typing import Annotated

from fastapi import APIRouter, Form, Query
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from nuvett.core.errors import NotFoundError
from nuvett.services.entry.passwords import is_password
from nuvett.web.context import Context, Means
from nuvett.web.heavy import one_attempt
from nuvett.web.security.signin import COOKIE, SIGN_IN, safe_next, session_of

router = APIRouter()
_LONGEST = 1000
_MAX_WAITING = 8  # attempts that wait for their turn; more are turned away without looking at a password


def _page(context: Context, asked: str, status: int = 200, problem: str = "") -> HTMLResponse:
    made = context.page("sign_in.html", "signing", status, next=safe_next(asked), problem=problem)
    made.headers["cache-control"] = "no-store"
    return made


@router.get(SIGN_IN)
def show(context: Means, next: Annotated[str, Query()] = "/") -> HTMLResponse:
    if not context.studio.settings.password:
        raise NotFoundError
    return _page(context, next)


@router.post(SIGN_IN)
@one_attempt
def sign_in(
    context: Means,
    password: Annotated[str, Form(max_length=_LONGEST)] = "",
    next: Annotated[str, Form()] = "/",
) -> Response:
    state, settings = context.request.app.state, context.studio.settings
    if not settings.password:
        raise NotFoundError
    address = context.request.client.host if context.request.client else ""
    if state.signing.statistics().tasks_waiting > _MAX_WAITING:
        return _page(context, next, 429, "Many are signing in just now. Try again in a moment.")
    wait = state.attempts.wait(address)
    if wait > 0:
        return _page(context, next, 429, f"Too many attempts. Try again in {wait:.0f} seconds.")
    if not is_password(password, settings.password):
        state.attempts.failed(address)
        return _page(context, next, 403, "That is not the password.")
    state.attempts.succeeded(address)
    answer = RedirectResponse(safe_next(next), 303, {"cache-control": "no-store"})
    secure = settings.tls or context.request.url.scheme == "https"
    answer.set_cookie(COOKIE, state.sessions.begin(), httponly=True, samesite="strict", secure=secure, path="/")
    return answer


@router.post("/sign-out")
def sign_out(context: Means) -> Response:
    context.request.app.state.sessions.end(session_of(context.request.headers))
    answer = RedirectResponse(SIGN_IN if context.studio.settings.password else "/", 303)
    answer.delete_cookie(COOKIE, path="/")
    return answer
