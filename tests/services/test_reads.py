"""References through the services: clips, undo, versions of the target, saved palettes, branching histories."""

import io
import re
import uuid

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import CheckConstraint, text
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from nuvett.core.errors import DocumentError, InvalidChangeError, NotFoundError
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.services.platform import history
from nuvett.services.platform.blobs import sweep
from nuvett.services.platform.studio import Studio
from nuvett.services.references import clips, kept_references, new_references, palettes, reading_history, targets
from nuvett.services.series import catalogue
from nuvett.store import models
from tests.conftest import DEMO, drain

STILLS = sorted((DEMO / "stills").glob("*.jpg"))[:2]
HALF = Sampling(patches=(Patch.rectangle(0, 0, 0.5, 1),))


@pytest.fixture
def slug(studio: Studio) -> str:
    """A series with two references and the demo's clip, all read."""
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Winter fair")
        for path in STILLS:
            with path.open("rb") as stream:
                new_references.add_reference(session, studio, series, path.name, stream)
        with (DEMO / "clips" / "salt-road.webm").open("rb") as stream:
            clips.add_clip(session, studio, series, "salt road.webm", stream)
        made = series.slug
    drain(studio)
    return made


def resample(session: Session, studio: Studio, series: models.SeriesRow, given: Sampling) -> None:
    row = series.references[0]
    with reading_history.recorded(session, series, "Patch added"):
        kept_references.set_reading(row, kept_references.measure_sampling(studio, row.proxy or "", given))


def test_the_tables_are_those_that_the_migrations_make(migrated: Studio) -> None:
    with migrated.database.session() as session:
        context = MigrationContext.configure(session.connection())
        found = compare_metadata(context, models.Base.metadata)
    ours = set(models.Base.metadata.tables)
    changes = [c for c in found if isinstance(c, list) or getattr(c[1], "name", "") in ours or "column" in c[0]]
    assert not changes


def test_the_database_refuses_states_that_there_are_not(migrated: Studio) -> None:
    tables = models.Base.metadata.sorted_tables
    pairs = [(table.name, "state") for table in tables if "state" in table.c] + [("series", "ordered_by")]
    assert len(pairs) == 9
    declared = {
        c.name: set(re.findall(r"'(\w+)'", str(c.sqltext)))
        for table in tables
        for c in table.constraints
        if isinstance(c, CheckConstraint)
    }
    query = text("SELECT pg_get_constraintdef(oid) FROM pg_constraint WHERE conname = :name")
    with migrated.database.session() as session:
        for table, column in pairs:
            name = f"ck_{table}_{column}"
            made = session.execute(query, {"name": name}).scalar_one()
            assert set(re.findall(r"'(\w+)'", made)) == declared[name] and column in made
    with pytest.raises(IntegrityError, match="ck_series_ordered_by"), migrated.database.session() as session:
        catalogue.start_series(session, "Odd").ordered_by = "size"
        session.flush()


def test_stills_taken_from_a_clip_become_references(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        (clip,) = clips.clips_of(session, series)
        assert (clip.state, clip.width, clip.frames) == ("ready", 960, 384)
        assert clips.clip_frame(studio, clips.clip_file(clip), 12, 320)[:2] == b"\xff\xd8"
        with reading_history.recorded(session, series, "Still taken"):
            row = clips.still_from_clip(session, studio, series, clip, 300)
        assert row.name == "salt road 0:12.50"
        with pytest.raises(InvalidChangeError, match="frames 0 to 383"):
            clips.still_from_clip(session, studio, series, clip, 384)
    drain(studio)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        assert [r.state for r in series.references] == ["ready"] * 3
        assert (series.references[2].width, series.references[2].height) == (960, 402)
        names = clips.remove_clip(session, clips.clips_of(session, series)[0])
    sweep(studio, names)
    assert not any(studio.blobs.exists(name) for name in names)


def test_a_bad_clip_is_refused_with_a_sentence(studio: Studio) -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Bad clips")
        for name, data in (("words.mp4", b"milk, bread, eggs"), ("empty.webm", b"")):
            clips.add_clip(session, studio, series, name, io.BytesIO(data))
        slug = series.slug
    drain(studio)
    with studio.database.session() as session:
        found = clips.clips_of(session, catalogue.find_series(session, slug))
        assert [(c.state, c.problem.split(".")[0]) for c in found] == [
            ("refused", "This file holds no moving picture"),
            ("refused", "The file is empty"),
        ]
        with pytest.raises(NotFoundError):
            clips.clip_file(found[0])


def test_every_change_of_references_is_undone_and_done_again_to_the_byte(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        first = targets.latest_target(session, series.id)
        assert first is not None
        states = [(kept_references.state_of(session, series.id), first.document)]

        def note() -> None:
            session.expire_all()
            target = targets.latest_target(session, series.id)
            states.append((kept_references.state_of(session, series.id), target.document if target else None))

        resample(session, studio, series, HALF)
        note()
        with reading_history.recorded(session, series, "Weights changed"):
            series.references[1].tone_weight = 40
        note()
        with reading_history.recorded(session, series, "Taken out"):
            series.references[0].removed = True
        note()
        assert len(series.references) == 1
        for wanted in states[-2::-1]:
            reading_history.walk_references(session, studio, series, forward=False)
            note()
            assert states[-1] == wanted
        with pytest.raises(InvalidChangeError, match="nothing to undo"):
            reading_history.walk_references(session, studio, series, forward=False)
        for wanted in states[1:4]:
            reading_history.walk_references(session, studio, series, forward=True)
            note()
            assert states[-1] == wanted


def test_a_named_version_of_the_target_can_be_gone_back_to(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        kept = targets.name_target(session, series, "  Lamp  light ")
        assert kept.name == "Lamp light"
        document, number = kept.document, kept.number
        resample(session, studio, series, HALF)
        session.expire_all()
        newest = targets.latest_target(session, series.id)
        assert newest is not None and newest.number == number + 1 and newest.document != document
        reading_history.return_to_target(session, studio, series, number)
        session.expire_all()
        back = targets.latest_target(session, series.id)
        assert back is not None and back.document == document
        with pytest.raises(InvalidChangeError):
            reading_history.return_to_target(session, studio, series, 99)
        with pytest.raises(InvalidChangeError, match="name"):
            targets.name_target(session, series, "  ")


def test_palettes_are_saved_brought_in_renamed_and_deleted(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        palette = kept_references.reading_of(series.references[0]).palette
        one, two = (palettes.save_palette(session, "Lamp", palette) for _ in range(2))
        assert (one.name, two.name) == ("Lamp", "Lamp 2")
        brought = palettes.bring_in_palette(session, b"a{--x:#123456;--y:#abc}", "sea.css")
        assert [c.hex for c in palettes.palette_of(brought).colours] == ["#123456", "#aabbcc"]
        with pytest.raises(DocumentError):
            palettes.bring_in_palette(session, b"nothing", "x.css")
        with pytest.raises(InvalidChangeError):
            palettes.rename_palette(session, two.id, "Lamp")
        palettes.delete_palette(session, one.id)
        assert palettes.rename_palette(session, two.id, "Lamp").name == "Lamp"
        assert [p.name for p in palettes.saved_palettes(session)] == ["Lamp", "sea"]
        with pytest.raises(NotFoundError):
            palettes.delete_palette(session, uuid.uuid4())


def test_histories_branch_and_every_step_can_be_gone_back_to(studio: Studio) -> None:
    with studio.database.session() as session:
        series = catalogue.start_series(session, "Histories")
        now = "start"

        def change(to: str) -> None:
            nonlocal now
            history.record(session, series.id, "x", f"to {to}", {"at": now}, {"at": to})
            now = to

        def go(number: int) -> str:
            nonlocal now
            for passed in history.travel(session, "x", number):
                expected = passed.step.before if passed.forward else passed.step.after
                assert expected["at"] == now, "each step leads on from the one before"
                now = passed.state["at"]
            return now

        for to in ("a", "b", "c"):
            change(to)
        assert go(1) == "a"
        change("d")
        assert [(s.words, s.aside) for s in history.steps(session, "x")] == [
            ("to d", False),
            ("to c", True),
            ("to b", True),
            ("to a", False),
        ]
        assert history.step_forward(session, "x") is None
        assert go(3) == "c" and go(0) == "start" and go(2) == "b" and go(4) == "d"
        back = history.step_back(session, "x")
        assert back is not None and back.before == {"at": "a"}
        with pytest.raises(InvalidChangeError):
            history.travel(session, "x", 17)
