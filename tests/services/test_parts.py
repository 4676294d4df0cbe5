"""Named parts of references: kept, aimed at by areas, taken away, undone, and what a frame without one says."""

import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.colour import ColourPart
from nuvett.core.errors import InvalidChangeError
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.reading.regions import Patch, Sampling
from nuvett.services.looks import carrying
from nuvett.services.platform.studio import Studio
from nuvett.services.references import kept_references, parts, reading_history
from nuvett.services.series import catalogue, frame_facts
from nuvett.store import models
from tests.services.books import draft, set_draft

WALL = Area(parts=(ColourPart(colour=(0.62, 0.0, 0.005), tolerance=25),), edges=True)
NOWHERE = Area(parts=(ColourPart(colour=(0.7, 0.3, -0.2), tolerance=2),))


def keep(studio: Studio, slug: str, name: str) -> str:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        row = series.references[0]
        with reading_history.recorded(session, series, "A part kept"):
            return parts.keep_part(session.get_one(models.ReferenceRow, row.id), name)


def sample_only(studio: Studio, slug: str, box: tuple[float, float, float, float]) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        row = session.get_one(models.ReferenceRow, series.references[0].id)
        sampling = Sampling(patches=(Patch.rectangle(*box),))
        with reading_history.recorded(session, series, "Sampled"):
            kept_references.set_reading(row, kept_references.measure_sampling(studio, row.proxy or "", sampling))


def walk(studio: Studio, slug: str, forward: bool) -> None:
    with studio.database.session() as session:
        reading_history.walk_references(session, studio, catalogue.find_series(session, slug), forward)


def keys(studio: Studio, slug: str) -> list[str]:
    with studio.database.session() as session:
        facts = frame_facts.series_facts(session, catalogue.find_series(session, slug))
    return [studio.bench.planner.plan(facts, place, draft(studio, slug)).key for place in range(len(facts))]


def test_a_part_is_kept_of_what_is_sampled_and_stays_when_that_changes(studio: Studio, slug: str) -> None:
    sample_only(studio, slug, (0, 0, 0.3, 0.3))
    key = keep(studio, slug, "  the  corner ")
    sample_only(studio, slug, (0, 0, 1, 1))
    target = draft(studio, slug).target
    assert target is not None
    (part,) = target.parts
    assert part.key == key and part.name == "the corner of still_1_teal_amber"
    assert part.statistics.model_dump_json() != target.statistics.model_dump_json()
    with studio.database.session() as session:
        row = catalogue.find_series(session, slug).references[0]
        for name in ("", "The corner"):
            with pytest.raises(InvalidChangeError):
                parts.keep_part(row, name)
        with pytest.raises(InvalidChangeError, match="not there"):
            parts.drop_part(row, "nothing")


def test_an_area_of_the_look_is_brought_to_a_part_where_a_frame_has_it(studio: Studio, slug: str) -> None:
    sample_only(studio, slug, (0, 0, 0.3, 0.3))
    key = keep(studio, slug, "corner")
    set_draft(studio, slug, Look(areas=(Local(area=WALL, key="w"),)))
    before = keys(studio, slug)
    set_draft(studio, slug, Look(areas=(Local(area=WALL, aim=key, key="w"),)))
    after = keys(studio, slug)
    assert sum(a != b for a, b in zip(before, after, strict=True)) >= 2
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        facts = frame_facts.series_facts(session, series)
        carrying.carry(session, series)
    look = draft(studio, slug).look
    assert studio.bench.planner.has(facts[0], look, WALL) and not studio.bench.planner.has(facts[0], look, NOWHERE)
    set_draft(studio, slug, Look(areas=(Local(area=NOWHERE, aim=key, key="w"),)))
    nothing = [studio.bench.planner.plan(facts, 0, draft(studio, slug)).layers[0].operations]
    assert nothing == [()]


def test_a_part_that_goes_leaves_the_area_without_it_and_undo_brings_both_back(studio: Studio, slug: str) -> None:
    sample_only(studio, slug, (0, 0, 0.3, 0.3))
    key = keep(studio, slug, "corner")
    set_draft(studio, slug, Look(areas=(Local(area=WALL, aim=key, key="w"),)))
    before = keys(studio, slug)
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        row = session.get_one(models.ReferenceRow, series.references[0].id)
        with reading_history.recorded(session, series, "A part taken away"):
            assert parts.drop_part(row, key) == "corner"
    target = draft(studio, slug).target
    assert target is not None and target.parts == () and keys(studio, slug) != before
    walk(studio, slug, False)
    assert keys(studio, slug) == before
    walk(studio, slug, True)
    assert keys(studio, slug) != before
