"""Errors to HTTP, in one map."""

import logging

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from nuvett.core import errors
from nuvett.logs import logged_as
from nuvett.services.platform.checkup import set_aside
from nuvett.web.context import context_of
from nuvett.web.security.naming import HEADER, NAME

log = logging.getLogger("nuvett.web")

STATUS: tuple[tuple[type[errors.NuvettError], int], ...] = (
    (errors.NotFoundError, 404),
    (errors.MissingBlobError, 404),
    (errors.ConflictError, 409),
    (errors.TooLargeError, 413),
    (errors.StoreError, 503),
    (errors.StoreAbsentError, 503),
    (errors.DiskFullError, 507),
    (errors.NuvettError, 422),
)
_TITLES = {
    404: "Nothing here",
    409: "Changed elsewhere",
    413: "Too large",
    422: "Not possible",
    503: "Not reachable",
    507: "The disk is full",
}


def status_of(error: errors.NuvettError) -> int:
    """HTTP status of one of our errors."""
    return next(status for kind, status in STATUS if isinstance(error, kind))


def _answer(request: Request, status: int, message: str) -> Response:
    if "text/html" not in request.headers.get("accept", ""):
        return JSONResponse({"message": message}, status)
    title = _TITLES.get(status, "Something went wrong")
    page: HTMLResponse = context_of(request).page("fault.html", "fault", status, title=title, message=message)
    return page


def add_handlers(app: FastAPI) -> None:
    """Answer every error with a sentence: JSON for scripts, a page for people."""

    @app.exception_handler(errors.MissingBlobError)
    async def missing(request: Request, error: errors.MissingBlobError) -> Response:
        """Set aside what uses the file, and show the page again without it."""
        log.error("Blob %s is missing or damaged", error.name)
        changed = await run_in_threadpool(set_aside, request.app.state.studio, error.name)
        if changed and request.method == "GET" and "text/html" in request.headers.get("accept", ""):
            return RedirectResponse(str(request.url), 303)
        return _answer(request, status_of(error), error.message)

    @app.exception_handler(errors.NuvettError)
    async def ours(request: Request, error: errors.NuvettError) -> Response:
        return _answer(request, status_of(error), error.message)

    @app.exception_handler(RequestValidationError)
    async def invalid(request: Request, error: RequestValidationError) -> Response:
        return _answer(request, 422, "The request holds a value that is not possible here; nothing was changed.")

    @app.exception_handler(HTTPException)
    async def plain(request: Request, error: HTTPException) -> Response:
        message = str(errors.NotFoundError()) if error.status_code == 404 else str(error.detail)
        return _answer(request, error.status_code, message)

    @app.exception_handler(Exception)
    async def unexpected(request: Request, error: Exception) -> Response:
        name = request.scope.get(NAME, "")  # answered outside of all that names requests
        with logged_as(request=name):
            log.exception("Unexpected error at %s", request.url.path, exc_info=error)
        answer = _answer(request, 500, "Something went wrong here, and it was noted. Nothing was changed.")
        answer.headers[HEADER] = name
        return answer
