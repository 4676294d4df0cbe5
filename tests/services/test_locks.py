"""Two windows at once: whatever changes a series, its look or a frame's trim holds that row until it is done."""

import uuid
from collections.abc import Callable
from contextlib import suppress

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.errors import NuvettError, StoreError
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.white import WhiteStep
from nuvett.services.looks import carrying, looks, trims, trims_of_many
from nuvett.services.looks.carrying import Carried
from nuvett.services.platform.studio import Studio
from nuvett.services.references import reading_history, targets
from nuvett.services.series import arranging, catalogue
from nuvett.services.threads import questions, threads
from nuvett.store import models
from tests.services.books import set_draft

Change = Callable[[Session, Studio, models.SeriesRow], object]


def arrange(session: Session, studio: Studio, series: models.SeriesRow) -> None:
    with arranging.arranged(session, studio, series, "joined"):
        pass


def read(session: Session, _: Studio, series: models.SeriesRow) -> None:
    with reading_history.recorded(session, series, "weighed"):
        pass


def first(session: Session, series: models.SeriesRow) -> models.FrameRow:
    return catalogue.ready_frames(session, series.id)[0]


NOBODY = uuid.uuid4()
OF_SERIES: dict[str, Change] = {
    "arranged": arrange,
    "arrangement undone": lambda s, t, series: arranging.walk_arrangement(s, t, series, False),
    "carried": lambda s, t, series: carrying.carry(s, series),
    "carried as": lambda s, t, series: carrying.carry_as(s, series, Carried({}, None)),
    "carried anew": lambda s, t, series: carrying.renew(s, series),
    "carrying undone": lambda s, t, series: carrying.walk_carry(s, series, False),
    "read": read,
    "reading undone": lambda s, t, series: reading_history.walk_references(s, t, series, False),
    "target named": lambda s, t, series: targets.name_target(s, series, "dusk"),
    "thread begun": lambda s, t, series: threads.start_thread(s, series, "jug"),
    "thread renamed": lambda s, t, series: threads.change_thread(s, series, NOBODY, name="jug"),
    "thread dropped": lambda s, t, series: threads.drop_thread(s, t, series, NOBODY),
    "place left out": lambda s, t, series: threads.keep_place(s, t, series, (NOBODY, NOBODY), None),
    "question refused": lambda s, t, series: questions._refuse(s, series, (NOBODY, NOBODY), "no"),
    "threads undone": lambda s, t, series: threads.walk_threads(s, t, series, False),
}
OF_LOOK: dict[str, Change] = {
    "look changed": lambda s, t, series: looks.change_look(
        s, series, Look.of(WhiteStep(warmth=9)), catalogue.look_of(s, series).revision
    ),
    "carried": lambda s, t, series: carrying.carry(s, series),
}
TRIMMED = Trim.of(ExposureStep(exposure=0.4))
OF_FRAME: dict[str, Change] = {
    "trim kept": lambda s, t, series: trims_of_many.keep_trim(s, first(s, series), TRIMMED, ""),
    "trim set": lambda s, t, series: trims.set_trim(s, series, first(s, series), TRIMMED, 1),
}


def is_held(studio: Studio, kind: type[models.SeriesRow | models.LookRow | models.FrameRow], row: uuid.UUID) -> bool:
    """Whether a row is locked against every other change; what merely points to it, or changes a number, is none."""
    query = select(kind.id).where(kind.id == row).with_for_update(nowait=True, read=True, key_share=True)
    try:
        with studio.database.session() as other:
            other.execute(query).one()
    except StoreError:
        return True
    return False


def held_by(
    studio: Studio, slug: str, change: Change, kind: type[models.SeriesRow | models.LookRow | models.FrameRow]
) -> bool:
    set_draft(studio, slug, Look())
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        row = {
            models.SeriesRow: series.id,
            models.LookRow: catalogue.look_of(session, series).id,
            models.FrameRow: first(session, series).id,
        }[kind]
        assert not is_held(studio, kind, row)
        with suppress(NuvettError):
            change(session, studio, series)
        found = is_held(studio, kind, row)
        session.rollback()
    return found


@pytest.mark.parametrize("name", OF_SERIES)
def test_a_change_of_a_series_holds_it(studio: Studio, slug: str, name: str) -> None:
    assert held_by(studio, slug, OF_SERIES[name], models.SeriesRow)


@pytest.mark.parametrize("name", OF_LOOK)
def test_a_change_of_a_look_holds_it(studio: Studio, slug: str, name: str) -> None:
    assert held_by(studio, slug, OF_LOOK[name], models.LookRow)


@pytest.mark.parametrize("name", OF_FRAME)
def test_a_change_of_a_trim_holds_its_frame(studio: Studio, slug: str, name: str) -> None:
    assert held_by(studio, slug, OF_FRAME[name], models.FrameRow)
