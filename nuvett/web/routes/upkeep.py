"""The installation as a whole: whether it lives and is ready, its numbers, and a page on how it fares."""

import hmac

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, PlainTextResponse, Response
from prometheus_client import CONTENT_TYPE_LATEST

from nuvett.services.upkeep.state import remedies, state_of, why_not_ready
from nuvett.web.context import Means
from nuvett.web.security.signin import session_of
from nuvett.web.views.numbers import prometheus_text

router = APIRouter()
_NEVER = {"cache-control": "no-store"}


@router.get("/alive")
def alive() -> PlainTextResponse:
    """That the process answers at all."""
    return PlainTextResponse("alive", headers=_NEVER)


@router.get("/ready")
def ready(context: Means) -> JSONResponse:
    """Whether requests can be answered: the database and the store of pictures are there."""
    because = why_not_ready(context.studio)
    return JSONResponse({"ready": not because, "because": because}, 503 if because else 200, _NEVER)


@router.get("/metrics")
def metrics(context: Means, request: Request) -> Response:
    """Numbers in Prometheus' text format, for whoever has signed in or carries the key."""
    settings = context.studio.settings
    if settings.password and not request.app.state.sessions.holds(session_of(request.headers)):
        given = request.headers.get("authorization", "").removeprefix("Bearer ")
        if not settings.metrics_key or not hmac.compare_digest(given.encode(), settings.metrics_key.encode()):
            return PlainTextResponse("The key of NUVETT_METRICS_KEY is missing.", 401, _NEVER)
    return Response(prometheus_text(state_of(context.studio)), media_type=CONTENT_TYPE_LATEST, headers=_NEVER)


@router.get("/installation")
def installation(context: Means) -> HTMLResponse:
    state = state_of(context.studio)
    return context.page("installation.html", "installation", state=state, remedies=remedies(state))
