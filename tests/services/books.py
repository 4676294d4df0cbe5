"""What tests of the lookbook do to it: keep a look, use it, walk back."""

import uuid

from sqlalchemy.orm import Session

from nuvett.core.book.files import Labels
from nuvett.core.book.kept import USUAL_PARTS, Use
from nuvett.core.look.look import Look
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.white import WhiteStep
from nuvett.services.engine.facts import Aimed
from nuvett.services.lookbook import kept_looks, uses
from nuvett.services.lookbook.kept_looks import KeptParts
from nuvett.services.looks import carrying, looks
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue, gathering
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models
from tests.conftest import DEMO, drain
from tests.services.conftest import FRAMES

WARM = Look.of(WhiteStep(warmth=20), ExposureStep(exposure=0.5), ToneStep(amount=40))


def set_draft(studio: Studio, slug: str, look: Look) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        looks.change_look(session, series, look, catalogue.look_of(session, series).revision)


def keep(studio: Studio, slug: str, name: str, parts: tuple[str, ...] = USUAL_PARTS, **chosen: uuid.UUID) -> uuid.UUID:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        return kept_looks.keep_look(session, series, Labels(name=name), KeptParts(parts, **chosen)).id


def another(studio: Studio, title: str, frames: int = 2, still: str = "still_2_pale_pastel.jpg") -> str:
    """Another series, with a reference of its own unless none is named."""
    with studio.database.session() as session:
        series = catalogue.start_series(session, title)
        for path in FRAMES[:frames]:
            gathering.add_file(session, studio, series, path)
        if still:
            with (DEMO / "stills" / still).open("rb") as stream:
                new_references.add_reference(session, studio, series, still, stream)
        slug = series.slug
    drain(studio)
    return slug


def draft(studio: Studio, slug: str) -> Aimed:
    with studio.database.session() as session:
        found = looks.draft_of(session, catalogue.find_series(session, slug))
    assert found is not None
    return found


def use(studio: Studio, slug: str, look_id: uuid.UUID, how: Use | None = None) -> str:
    asked = uses.meant(studio, slug, look_id, None, how or Use())
    with studio.database.session() as session:
        return uses.use_here(session, catalogue.find_series(session, slug), asked)


def walk(studio: Studio, slug: str, forward: bool) -> str:
    with studio.database.session() as session:
        return looks.walk_look(session, catalogue.find_series(session, slug), forward)[1]


def carry_now(session: Session, series: models.SeriesRow) -> carrying.CarryState:
    """Where carrying a series' look stands."""
    return carrying.carry_state(session, series, series_facts(session, series))
