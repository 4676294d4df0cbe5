"""Looks made by hand, without any target: shaped, carried, kept, handed over; and what a target changes then."""

import json
import uuid

import numpy as np
import pytest

from nuvett.core.errors import InvalidChangeError, TargetError
from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.white import WhiteStep
from nuvett.services.delivery import deliveries, tables_out
from nuvett.services.delivery.delivery_choice import trimmed_alone
from nuvett.services.delivery.delivery_settings import DeliverySettings, Papers
from nuvett.services.engine.wall import Show, build_wall
from nuvett.services.lookbook import uses
from nuvett.services.looks import carrying
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.references import new_references
from nuvett.services.series import catalogue, frame_facts
from nuvett.store import models
from tests.conftest import DEMO, drain
from tests.services.books import another, carry_now, draft, keep, set_draft, use, walk

BY_HAND = Look().with_step(WhiteStep(warmth=20)).with_step(ExposureStep(exposure=0.5))
STILL = "still_2_pale_pastel.jpg"


@pytest.fixture
def bare(studio: Studio) -> str:
    """A series of three frames without any reference."""
    return another(studio, "Bare", frames=3, still="")


def read_a_still(studio: Studio, slug: str) -> None:
    with studio.database.session() as session, (DEMO / "stills" / STILL).open("rb") as stream:
        new_references.add_reference(session, studio, catalogue.find_series(session, slug), STILL, stream)
    drain(studio)


def plans(studio: Studio, slug: str) -> list[str]:
    """Keys of the plans that the draft makes."""
    with studio.database.session() as session:
        facts = frame_facts.series_facts(session, catalogue.find_series(session, slug))
    aimed = draft(studio, slug)
    return [studio.bench.planner.plan(facts, place, aimed).key for place in range(len(facts))]


def aim_at_own(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        uses.aim_at_own(session, catalogue.find_series(session, slug))


def test_a_look_made_by_hand_is_measured_without_drift_and_stays_what_it_is_when_a_target_is_read(
    studio: Studio, bare: str
) -> None:
    with pytest.raises(TargetError):
        aim_at_own(studio, bare)
    untouched = plans(studio, bare)
    set_draft(studio, bare, BY_HAND)
    made = plans(studio, bare)
    assert draft(studio, bare).target is None and not set(made) & set(untouched)
    with studio.database.session() as session:
        facts = frame_facts.series_facts(session, catalogue.find_series(session, bare))
    wall = build_wall(studio.bench, facts, draft(studio, bare), Show.LOOK)
    assert wall.drift is None and not any(item.outlier for item in wall.items)
    with pytest.raises(TargetError):
        studio.bench.planner.suggested_pull(facts, draft(studio, bare))
    read_a_still(studio, bare)
    assert plans(studio, bare) == made
    aim_at_own(studio, bare)
    assert draft(studio, bare).target is not None and not set(plans(studio, bare)) & set(made)
    assert walk(studio, bare, False) == "Aims at the series’ own target" and plans(studio, bare) == made
    walk(studio, bare, False)  # back to before anything was made by hand: the usual look, which aims at what there is
    assert draft(studio, bare).look == Look() and draft(studio, bare).target is not None
    walk(studio, bare, True)
    assert plans(studio, bare) == made


def test_a_draft_that_nobody_touched_aims_at_the_first_target_that_is_read(studio: Studio, bare: str) -> None:
    before = plans(studio, bare)
    read_a_still(studio, bare)
    assert draft(studio, bare).target is not None and not set(plans(studio, bare)) & set(before)


def test_a_look_made_by_hand_is_carried_and_what_follows_it_stays_as_it_is(studio: Studio, bare: str) -> None:
    set_draft(studio, bare, BY_HAND)
    made = plans(studio, bare)
    with studio.database.session() as session:
        series = catalogue.find_series(session, bare)
        version = carrying.carry(session, series)
        assert version.target_id is None and not carry_now(session, series).changed
        session.flush()
    read_a_still(studio, bare)
    aim_at_own(studio, bare)
    with studio.database.session() as session:
        series = catalogue.find_series(session, bare)
        assert carry_now(session, series).changed
        facts, followed = frame_facts.series_facts(session, series), carrying.versions_followed(session, series)
    now = [studio.bench.planner.plan(facts, place, followed[f.id].aimed).key for place, f in enumerate(facts)]
    assert now == made


def test_a_look_made_by_hand_is_kept_and_leaves_another_series_its_own_target(
    studio: Studio, slug: str, bare: str
) -> None:
    set_draft(studio, bare, BY_HAND)
    kept = keep(studio, bare, "By hand")
    own = draft(studio, slug).target_key
    use(studio, slug, kept)
    assert draft(studio, slug).look.white == BY_HAND.white and draft(studio, slug).target_key == own
    third = another(studio, "Third", still="")
    use(studio, third, kept)
    made = plans(studio, third)
    read_a_still(studio, third)
    assert plans(studio, third) == made  # what came from the lookbook is made, too
    with studio.database.session() as session:
        series = catalogue.find_series(session, third)
        asked = uses.meant(studio, third, kept, None, uses.Use())
        frame = frame_facts.series_facts(session, series)[0].id
        uses.carry_kept(session, series, asked, [frame])
        assert carrying.versions_followed(session, series)[frame].aimed.target is None


def _record(studio: Studio, delivery: uuid.UUID) -> dict[str, list[dict[str, object]]]:
    with studio.database.session() as session:
        files = session.get_one(models.DeliveryRow, delivery).files
        blob = next(f.blob for f in files if f.name.endswith("record.json"))
    found: dict[str, list[dict[str, object]]] = json.loads(studio.blobs.read(blob or ""))
    return found


def test_frames_with_a_look_by_hand_or_a_trim_alone_are_handed_over_and_told_of(studio: Studio, bare: str) -> None:
    settings = DeliverySettings(papers=Papers(record=True, tables=True))
    set_draft(studio, bare, BY_HAND)
    with studio.database.session() as session:
        series = catalogue.find_series(session, bare)
        frames = catalogue.shown_frames(session, series.id)
        with pytest.raises(InvalidChangeError, match="or has a trim"):
            deliveries.order_delivery(session, studio, series, settings)
        carrying.carry(session, series, [frames[0].id])
        keep_trim(session, frames[1], Trim.of(ExposureStep(exposure=-1)), "")
        keep_trim(session, frames[2], Trim.of(ExposureStep()), "")  # brought in, but idle
        session.flush()
        assert trimmed_alone(session, series) == 1
        delivery = deliveries.order_delivery(session, studio, series, settings).id
    drain(studio)
    record = _record(studio, delivery)
    assert [(f["frame"], f["look"]) for f in record["files"]] == [("AT-0101", 1), ("AT-0102", 0)]
    assert not any(f["problem"] for f in record["files"]) and record["files"][1]["trim"]
    (look,) = record["looks"]
    steps = [step["title"] for step in look["steps"]]  # type: ignore[attr-defined]
    assert "Exposure" in " ".join(steps) and "Tone" not in steps and not look["palette"]
    with studio.database.session() as session:
        files = {f.name: f for f in session.get_one(models.DeliveryRow, delivery).files}
        assert [name for name in files if name.endswith(".cube")] == ["tables/look v1.cube"]
        trimmed = next(f for f in files.values() if f.frame_id == frames[1].id)
        assert [o["kind"] for o in trimmed.plan["groups"][0]["operations"]] == ["exposure"]


def test_a_table_of_a_look_made_by_hand_says_what_it_cannot_carry(studio: Studio, bare: str) -> None:
    set_draft(studio, bare, BY_HAND)
    with studio.database.session() as session:
        facts, aimed = tables_out.drafted(session, catalogue.find_series(session, bare))
    carries = tables_out.what_a_table_carries(studio.bench, facts, aimed, each=False)
    assert "the fit of each frame" not in carries.lost
    plan = studio.bench.planner.shared(facts, aimed)
    assert {"white", "exposure"} & {o.kind for o in plan.group("look").colours} and np.isfinite(plan.steepest_slope)
