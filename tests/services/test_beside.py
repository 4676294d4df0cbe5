"""Finished frames beside each other: in any state, told apart, and one difference taken over by some amount."""

import pytest

from nuvett.core.book.kept import USUAL_PARTS
from nuvett.core.errors import InvalidChangeError, NotFoundError
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.white import WhiteStep
from nuvett.services.lookbook import beside, book, kept_looks
from nuvett.services.lookbook.beside import BesideFrame, BesideRequest
from nuvett.services.lookbook.kept_looks import KeptParts
from nuvett.services.looks import carrying
from nuvett.services.looks.trims import walk_trim
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.services.series.frame_facts import trim_of
from tests.services.books import draft, keep, set_draft, walk


@pytest.fixture
def pair(studio: Studio, slug: str) -> tuple[BesideRequest, BesideRequest]:
    """Two frames that follow a look, the second of them trimmed lighter and warmer."""
    set_draft(studio, slug, Look())
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        carrying.carry(session, series)
        first, second = catalogue.ready_frames(session, series.id)[:2]
        keep_trim(session, second, Trim.of(ExposureStep(exposure=0.7), WhiteStep(warmth=25)), "")
        return BesideRequest(first.id), BesideRequest(second.id)


def stand(studio: Studio, slug: str, asked: BesideRequest) -> BesideFrame:
    with studio.database.session() as session:
        return beside.standing(session, slug, asked)


def test_frames_stand_in_any_state_and_are_told_apart(
    studio: Studio, slug: str, pair: tuple[BesideRequest, BesideRequest]
) -> None:
    first, second = (stand(studio, slug, one) for one in pair)
    words = [one.words for one in beside.told(studio.bench, first, second).differences]
    assert "warmer" in words or "lighter" in words
    same = stand(studio, slug, BesideRequest(pair[1].frame, "v1"))
    finished = beside.told(studio.bench, second, same)
    assert finished.differences == (), "as it is finished is as it is carried"
    came = stand(studio, slug, BesideRequest(pair[1].frame, "original"))
    assert came.plan(studio.bench) is None and beside.told(studio.bench, second, came).differences
    with pytest.raises(InvalidChangeError):
        stand(studio, slug, BesideRequest(pair[0].frame, "v9"))
    with pytest.raises(NotFoundError):
        stand(studio, slug, BesideRequest(catalogue_id(studio, slug)))


def test_one_frame_stands_under_kept_looks_and_their_versions(
    studio: Studio, slug: str, pair: tuple[BesideRequest, BesideRequest]
) -> None:
    frame = pair[0].frame
    set_draft(studio, slug, Look.of(WhiteStep(warmth=40)))
    look = keep(studio, slug, "Warmer")
    set_draft(studio, slug, Look())
    plain, warm = (stand(studio, slug, BesideRequest(frame, state)) for state in ("draft", f"kept {look}"))
    assert "warmer" in [one.words for one in beside.told(studio.bench, plain, warm).differences]
    set_draft(studio, slug, Look.of(WhiteStep(warmth=-40)))
    with studio.database.session() as session:
        row = book.find_kept(session, look)
        kept_looks.revise_from(session, catalogue.find_series(session, slug), row, KeptParts(USUAL_PARTS), 1)
        states = [state for state in beside.kept_states(session) if str(look) in state[0]]
    assert states == [(f"kept {look}", "Warmer"), (f"kept {look} 1", "Warmer, version 1")]
    newest, first = (stand(studio, slug, BesideRequest(frame, state)) for state, _ in states)
    keys = [one.plan(studio.bench).key for one in (first, warm, newest)]
    assert keys[0] == keys[1] != keys[2]
    with pytest.raises(NotFoundError):
        stand(studio, slug, BesideRequest(frame, f"kept {look} 7"))
    with pytest.raises(InvalidChangeError):
        stand(studio, slug, BesideRequest(frame, "kept 7"))


def catalogue_id(studio: Studio, slug: str) -> object:
    with studio.database.session() as session:
        return catalogue.find_series(session, slug).id


@pytest.mark.parametrize(("share", "low", "high"), [(1, 0.75, 1.25), (0.5, 0.3, 0.7)])
def test_a_frame_goes_some_of_the_way_by_a_step_of_its_own_trim(
    studio: Studio, slug: str, pair: tuple[BesideRequest, BesideRequest], share: float, low: float, high: float
) -> None:
    def warmth() -> float:
        first, second = (stand(studio, slug, one) for one in pair)
        told = {one.kind: one.amount for one in beside.told(studio.bench, first, second).differences}
        return told.get("warmth", 0.0)

    before = warmth()
    assert before > 0
    words = beside.go(studio, slug, pair, "warmth", share, "trim")
    assert words.startswith("AT-0101: Warmth 0 to ")
    assert low < 1 - warmth() / before < high
    with studio.database.session() as session:
        frame = catalogue.find_frame(session, catalogue.find_series(session, slug), pair[0].frame)
        assert walk_trim(session, frame, False).startswith("Toward AT-0102: Warmth 0 to ") and trim_of(frame).is_none
    with pytest.raises(InvalidChangeError, match="no such difference"):
        beside.go(studio, slug, pair, "gloss", share, "trim")


def test_a_step_for_all_frames_goes_into_what_trims_begin_from(
    studio: Studio, slug: str, pair: tuple[BesideRequest, BesideRequest]
) -> None:
    beside.go(studio, slug, pair, "warmth", 0.5, "look")
    once = draft(studio, slug).look.common.warmth
    assert once > 2
    beside.go(studio, slug, pair, "warmth", 0.5, "look")
    assert draft(studio, slug).look.common.warmth == pytest.approx(2 * once), "added to what is there"
    walk(studio, slug, False)
    assert draft(studio, slug).look.common.warmth == once
