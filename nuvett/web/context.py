"""What routes are handed: the studio, the templates, and pages rendered with what all of them show."""

import time
from contextlib import AbstractContextManager
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from jinja2 import StrictUndefined
from sqlalchemy.orm import Session

from nuvett.services.platform.incoming import ACCEPT, ACCEPTED
from nuvett.services.platform.installation import absence
from nuvett.services.platform.studio import Studio
from nuvett.services.platform.workers import held_up
from nuvett.services.series.rows import Series
from nuvett.web.views import filters
from nuvett.web.views.keys import KEYS

TEMPLATES = Path(__file__).parent / "templates"
FOREVER = {"cache-control": "private, max-age=31536000, immutable"}
"""For answers whose address names their content."""

_BETWEEN = 0.05  # seconds, five times as long as a template takes
SURROUNDS = ("light", "mid", "dark")


@cache
def make_templates() -> Jinja2Templates:
    """Templates with our filters, compiled as they are asked for, once; a name that is not defined is an error."""
    templates = Jinja2Templates(TEMPLATES)
    templates.env.undefined = StrictUndefined
    templates.env.trim_blocks = templates.env.lstrip_blocks = True
    templates.env.filters.update(filters.FILTERS)
    templates.env.globals.update(accept=ACCEPT, accepted=ACCEPTED)
    return templates


def compile_templates() -> None:
    """Compile all templates, so that no first request of a page waits for its own; requests go first meanwhile."""
    environment = make_templates().env
    for name in environment.list_templates(extensions=["html"]):
        environment.get_template(name)
        time.sleep(_BETWEEN)


@dataclass(frozen=True)
class Context:
    """One request's means."""

    request: Request
    studio: Studio
    templates: Jinja2Templates

    def session(self) -> AbstractContextManager[Session]:
        """A database session that commits at its end."""
        return self.studio.database.session()

    def reading(self) -> AbstractContextManager[Session]:
        """A database session that only reads, as a picture or another light request does."""
        return self.studio.database.reading()

    def held_up(self, session: Session, series: Series) -> str:
        """Why a series' waiting work does not go on, in words; nothing when it does."""
        return held_up(session, series, self.studio.settings.stalled_seconds)

    def page(self, name: str, screen: str, status: int = 200, **values: Any) -> HTMLResponse:
        """A rendered page. `screen` names the stage or page for the stage bar and the list of keys."""
        surround = self.request.cookies.get("surround", "mid")
        shared = {
            "screen": screen,
            "surround": surround if surround in SURROUNDS else "mid",
            "keys": KEYS["everywhere"] + KEYS.get(screen, ()),
            "signs_in": bool(self.studio.settings.password) and screen != "signing",
            "stages": None,
            "series": None,
            "absence": absence(self.studio),
        }
        return self.templates.TemplateResponse(self.request, name, shared | values, status_code=status)

    def text(self, name: str, **values: Any) -> str:
        """A rendered part of a page, to be sent among other things."""
        return self.templates.get_template(name).render(values)

    def part(self, name: str, **values: Any) -> HTMLResponse:
        """A rendered part of a page."""
        return self.templates.TemplateResponse(self.request, name, values)


def context_of(request: Request) -> Context:
    state = request.app.state
    return Context(request, state.studio, state.templates)


async def _means_of(request: Request) -> Context:
    # A coroutine, since what is not one is called on another thread for each request.
    return context_of(request)


Means = Annotated[Context, Depends(_means_of)]
