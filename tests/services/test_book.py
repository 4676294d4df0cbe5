"""The lookbook through the services: kept, revised, used, carried, written out and brought in, on a real database."""

import numpy as np
import pytest

from nuvett.core.book.kept import USUAL_PARTS, Kept, MadeOn, Use
from nuvett.core.errors import (
    ConflictError,
    DocumentError,
    InvalidChangeError,
    NotFoundError,
)
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.white import WhiteStep
from nuvett.services.lookbook import book, book_list, kept_looks, starters, uses
from nuvett.services.lookbook.kept_looks import KeptParts
from nuvett.services.lookbook.made_on import differing, made_on
from nuvett.services.looks import carrying, looks, trims
from nuvett.services.platform import history
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.services.series.frame_facts import trim_of
from nuvett.services.shelf import filing
from tests.conftest import drain
from tests.services.books import WARM, another, draft, keep, set_draft, use, walk


def test_a_look_is_kept_with_its_target_and_used_on_another_series_where_undo_takes_all_of_it_back(
    studio: Studio, slug: str
) -> None:
    set_draft(studio, slug, WARM)
    kept = keep(studio, slug, "Evening")
    other = another(studio, "Spring fair")
    set_draft(studio, other, Look.of(ExposureStep(exposure=-1)))
    before = draft(studio, other)
    words = use(studio, other, kept, Use(strength=60))
    assert words == "Evening, version 1 of the lookbook, at 60 %"
    after = draft(studio, other)
    assert after.look.white.warmth == 20 and after.look.strength == 60
    assert after.look.exposure.exposure == -1  # what belongs to a series was not kept, and stays
    assert after.target.model_dump_json() == draft(studio, slug).target.model_dump_json() != before.target
    assert walk(studio, other, forward=False) == words
    back = draft(studio, other)
    assert (back.look, back.target_key) == (before.look, before.target_key)
    walk(studio, other, forward=True)
    assert draft(studio, other).key == after.key
    with studio.database.session() as session:
        series = catalogue.find_series(session, other)
        looks.travel_look(session, series, 1)
        assert looks.draft_of(session, series).target_key == before.target_key  # type: ignore[union-attr]
        looks.travel_look(session, series, 2)
        uses.aim_at_own(session, series)
        assert looks.draft_of(session, series).target_key == before.target_key  # type: ignore[union-attr]
        assert looks.look_at_step(session, series, 2).strength == 60


def test_a_kept_look_outlives_the_series_it_was_kept_from(studio: Studio, slug: str) -> None:
    kept = keep(studio, slug, "Evening")
    other = another(studio, "Spring fair")
    use(studio, other, kept)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        filing.delete_series(session, series)
        filing.remove_for_good(session, studio, series)
    drain(studio)
    with studio.database.session() as session:
        row = book.find_kept(session, kept)
        assert row.thumbnail and studio.blobs.exists(row.thumbnail)
        carrying.carry(session, catalogue.find_series(session, other))
    assert draft(studio, other).target.palette


def test_versions_are_never_changed_and_a_series_says_when_there_is_a_newer_one(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, WARM)
    kept = keep(studio, slug, "Evening")
    other = another(studio, "Spring fair", still="")
    use(studio, other, kept)
    set_draft(studio, slug, WARM.with_step(WhiteStep(warmth=-9)))
    with studio.database.session() as session:
        series, row = catalogue.find_series(session, slug), book.find_kept(session, kept)
        assert kept_looks.revise_from(session, series, row, KeptParts(USUAL_PARTS), 1) == 2
        assert kept_looks.revise_from(session, series, row, KeptParts(USUAL_PARTS), 2) == 2  # nothing differs
        with pytest.raises(ConflictError, match="has a version 2 by now"):
            kept_looks.revise_from(session, series, row, KeptParts(("tone",)), 1)
        assert kept_looks.revise_from(session, series, row, KeptParts(("tone", "aim-tone")), 2) == 3
        said = [version.words for version in book_list.versions(session, kept)]
        assert said[1] == "Warmth 20 to −9 %" and said[0].startswith("without Even light, Zone tints")
        assert book.version_of(session, kept, 1).kept.look.white.warmth == 20
    assert draft(studio, other).look.white.warmth == 20
    with studio.database.session() as session:
        row_of = catalogue.look_of(session, catalogue.find_series(session, other))
        found = uses.origin_of(session, row_of.origin)
        assert found is not None and (found.number, found.newest, found.is_behind) == (1, 3, True)
        with pytest.raises(NotFoundError):
            book.version_of(session, kept, 9)


def test_names_notes_and_groups_are_plain_words_of_a_bounded_length(studio: Studio, slug: str) -> None:
    first, second = keep(studio, slug, "Evening"), keep(studio, slug, "Морской вечер")
    with studio.database.session() as session:
        row = book.find_kept(session, second)
        book.relabel(session, row, {"use_when": "  lamps\n in frame ", "group": "Sea", "favourite": True})
        assert (row.use_when, row.group, row.name) == ("lamps in frame", "Sea", "Морской вечер")
        for changes, words in (
            ({"name": "EVENING"}, "There is a look called EVENING already"),
            ({"name": "   "}, "needs a name"),
            ({"name": "x" * 300}, "name has at most 80 characters; this one has 300"),
            ({"use_when": "y" * 400}, "use when has at most 280"),
            ({"strength": 140}, "strength"),
        ):
            with pytest.raises(InvalidChangeError, match=words):
                book.relabel(session, row, changes)
        assert [e.name for e in book_list.entries(session, book_list.BookFilter(find="LAMPS"))] == ["Морской вечер"]
        assert [e.name for e in book_list.entries(session, book_list.BookFilter(find="100%_"))] == []
        assert [e.name for e in book_list.entries(session, book_list.BookFilter("favourites"))] == ["Морской вечер"]
        assert book_list.counts(session) == book_list.Counts(2, 1, 0, 0, (("Sea", 1),))
        copies = [book.copy_kept(session, book.find_kept(session, first)).name for _ in range(2)]
        assert copies == ["Evening, a copy", "Evening, a copy 2"]
    with pytest.raises(InvalidChangeError, match="called Evening already"):
        keep(studio, slug, "Evening")


def test_a_look_is_put_away_and_back_and_deleted_only_from_there(studio: Studio, slug: str) -> None:
    kept = keep(studio, slug, "Evening")
    with studio.database.session() as session:
        row = book.find_kept(session, kept)
        with pytest.raises(InvalidChangeError, match="Put this look away first"):
            book.delete_kept(session, row)
        book.set_state(row, book.AWAY)
        session.flush()
        assert not book_list.entries(session, book_list.BookFilter())
        assert len(book_list.entries(session, book_list.BookFilter("away"))) == 1
        book.set_state(row, book.KEPT)
        session.flush()
        assert len(book_list.entries(session, book_list.BookFilter())) == 1
        book.set_state(row, book.AWAY)
        book.delete_kept(session, row)
    assert draft(studio, slug)
    with studio.database.session() as session:
        row_of = catalogue.look_of(session, catalogue.find_series(session, slug))
        assert uses.origin_of(session, row_of.origin) is None


def test_starters_come_once_and_are_copied_when_they_are_changed(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        starters.add_starters(session)
        starters.add_starters(session)
        found = book_list.entries(session, book_list.BookFilter(group="Starters"))
        assert len(found) == 12 and all(entry.use_when and entry.came_from and entry.aims for entry in found)
        row = book.find_kept(session, found[0].id)
        with pytest.raises(InvalidChangeError, match="came with the application"):
            book.revise(session, row, Kept(look=Look()), 1)
        copied = book.copy_kept(session, row)
        assert book.revise(session, copied, Kept(look=Look()), 1) == 2
        book.set_state(row, book.AWAY)
        starters.add_starters(session)
        assert (
            len(book_list.entries(session, book_list.BookFilter(group="Starters"))) == 12
        )  # the copy, without the one away
    for entry in found[:3]:
        use(studio, slug, entry.id)
        assert draft(studio, slug).target.palette


def test_named_parts_of_a_look_are_taken_onto_the_draft_with_their_share_of_the_aim(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, Look.of(MonoStep(on=True)))
    kept = keep(studio, slug, "Silver", (*USUAL_PARTS, "exposure"))
    other = another(studio, "Spring fair")
    set_draft(studio, other, WARM)
    own = draft(studio, other)
    words = use(studio, other, kept, Use(parts=("mono", "aim-tone")))
    assert words == "Silver, version 1 of the lookbook: black-and-white, the tone it aims at"
    found = draft(studio, other)
    assert found.look.mono.on and found.look.white.warmth == 20
    theirs = draft(studio, slug).target.statistics.lightness
    assert np.allclose(found.target.statistics.lightness, theirs, atol=1e-6)
    assert found.target_key != own.target_key
    with pytest.raises(DocumentError, match="Trims in common is not in this kept look"):
        use(studio, other, kept, Use(parts=("common",)))


def test_a_kept_look_is_carried_to_chosen_frames_with_the_cut_it_was_kept_with(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        first, second, third = catalogue.ready_frames(session, series.id)[:3]
        trims.set_trim(session, series, first, Trim(geometry=Geometry(straighten=4)), 1)
        carrying.carry(session, series)
        was = looks.draft_of(session, series)
    with pytest.raises(InvalidChangeError, match="Choose the frame"):
        keep(studio, slug, "Tilted", (*USUAL_PARTS, "geometry"))
    kept = keep(studio, slug, "Tilted", (*USUAL_PARTS, "geometry"), frame=first.id)
    asked = uses.meant(studio, slug, kept, None, Use(strength=50))
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        words = uses.carry_kept(session, series, asked, [second.id])
        assert words == "Carried Tilted, version 1 of the lookbook, at 50 % to 1 frame, as version 2"
        followed = carrying.versions_followed(session, series)
        assert followed[second.id].aimed.look.strength == 50 and followed[third.id].aimed.look.strength == 100
        assert trim_of(catalogue.find_frame(session, series, second.id)).geometry.straighten == 4
        now = looks.draft_of(session, series)
        assert was is not None and now is not None and now.key == was.key  # the draft is not touched
        carrying.walk_carry(session, series, forward=False)
        assert carrying.versions_followed(session, series)[second.id].number == 1


def test_the_look_in_hand_is_carried_to_another_series_which_then_aims_at_the_same(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, WARM)
    other = another(studio, "Spring fair", still="")
    with studio.database.session() as session:
        here, there = catalogue.find_series(session, slug), catalogue.find_series(session, other)
        assert uses.carry_in_hand(session, here, there) == "Carried to 2 frames of Spring fair, as its version 1"
        with pytest.raises(InvalidChangeError, match="this series itself"):
            uses.carry_in_hand(session, here, here)
        assert len(carrying.versions_followed(session, there)) == 2
        past = history.steps(session, f"look:{catalogue.look_of(session, there).id}")
        assert past[0].words == "The look in hand of Winter fair"
    assert draft(studio, other).look == draft(studio, slug).look
    assert draft(studio, other).target.model_dump_json() == draft(studio, slug).target.model_dump_json()
    bare = another(studio, "By hand", still="")  # what aims at nothing there aims at nothing here
    with studio.database.session() as session:
        uses.carry_in_hand(session, catalogue.find_series(session, bare), catalogue.find_series(session, slug))
    assert draft(studio, slug).target is None


def test_what_another_series_aims_at_is_taken_over_by_name_and_undone(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, WARM)
    other = another(studio, "By hand", still="")
    set_draft(studio, other, Look(strength=40))
    with studio.database.session() as session:
        here, there = (catalogue.find_series(session, name) for name in (slug, other))
        uses.take_over(session, there, here, frozenset({"white"}), 2)
    assert draft(studio, other).target is None and draft(studio, other).look.white == WARM.white
    with studio.database.session() as session:
        here, there = (catalogue.find_series(session, name) for name in (slug, other))
        uses.take_over(session, there, here, frozenset({"aim"}), 3)
    taken, own = draft(studio, other).target, draft(studio, slug).target
    assert taken and own and taken.model_dump_json() == own.model_dump_json()
    assert draft(studio, other).look.strength == 40
    assert walk(studio, other, False) == "1 part of the look of Winter fair" and draft(studio, other).target is None
    with studio.database.session() as session, pytest.raises(InvalidChangeError, match="aims at nothing"):
        here, there = (catalogue.find_series(session, name) for name in (slug, other))
        uses.take_over(session, here, there, frozenset({"aim"}), catalogue.look_of(session, here).revision)


def test_a_look_used_on_frames_of_another_camera_or_kind_says_so() -> None:
    one, other = MadeOn(cameras=("Orrery M1",), raw=True), MadeOn(cameras=("Lantern 7",), raw=False)
    assert differing(one, one) == differing(None, one) == differing(one, None) == ""
    words = differing(one, other)
    assert words == "made on Orrery M1, these are of Lantern 7; made on raw files, these are finished pictures"
    assert differing(MadeOn(raw=True), MadeOn(cameras=("Lantern 7",), raw=True)) == "", "unknown cameras say nothing"


def test_what_a_look_was_made_on_is_kept_with_it_and_said_when_it_is_used(studio: Studio, slug: str) -> None:
    kept_id = keep(studio, slug, "Evening")
    with studio.database.session() as session:
        made = book.version_of(session, kept_id).kept.made_on
        assert made is not None and not made.raw
        series = catalogue.find_series(session, slug)
        frames = catalogue.ready_frames(session, series.id)
        for place, frame in enumerate(frames):
            shot = {"camera_maker": "Orrery", "camera": "Orrery M1"} if place < 2 else {"camera": "Lantern 7"}
            frame.format, frame.shot = ("raw" if place < 2 else "jpeg"), shot if place < 3 else None
        session.flush()
        assert made_on(session, series) == MadeOn(cameras=("Orrery M1", "Lantern 7"), raw=False), "two of five are raw"
        for frame in frames:
            frame.format, frame.shot = "raw", None
        session.flush()
        assert made_on(session, series) == MadeOn(raw=True)
        assert made_on(session, catalogue.start_series(session, "Empty")) is None
    assert use(studio, slug, kept_id).endswith(": made on finished pictures, these are raw files")
