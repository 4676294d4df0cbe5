"""What is said while a look is shaped and carried."""

from nuvett.core.look.look import Look
from nuvett.core.look.trim import Trim
from nuvett.core.look.words import goes
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.services.looks import heroes
from nuvett.services.looks.told import carrying_words, cause
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue, frame_facts
from tests.conftest import drain
from tests.services.books import draft, set_draft


def test_the_step_that_does_harm_is_named_and_none_where_several_do(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, Look().with_step(ExposureStep(exposure=2)).with_step(SaturationStep(saturation=5)))
    with studio.database.session() as session:
        facts = frame_facts.series_facts(session, catalogue.find_series(session, slug))
    aimed = draft(studio, slug)
    plans = [studio.bench.planner.plan(facts, index, aimed) for index in range(len(facts))]
    notes = [studio.bench.measures.notes(frame, plan, aimed) for frame, plan in zip(facts, plans, strict=True)]
    noted = [index for index, own in enumerate(notes) if "clipped" in {note.kind for note in own}]
    assert noted
    assert cause(studio.bench, facts, noted[0], aimed, "clipped") == "Exposure and contrast"
    assert cause(studio.bench, facts, noted[0], aimed.with_look(Look()), "black") in ("", "Tone")


def test_what_goes_and_what_stays_is_said_with_reasons(studio: Studio, slug: str) -> None:
    set_draft(studio, slug, Look(strength=90))
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        said = carrying_words(session, series)
        assert said.frames == 5 and said.stays == () and said.goes == goes(Look(), True)
        frames = catalogue.ready_frames(session, series.id)
        frames[2].left_out = True
        keep_trim(session, frames[0], Trim.of(ExposureStep(exposure=0.5)), "")
        hero = frames[0].id
    heroes.take_finished(studio, slug, hero)
    drain(studio)
    with studio.database.session() as session:
        said = carrying_words(session, catalogue.find_series(session, slug))
    assert said.frames == 3
    assert said.stays == (
        "AT-0101: the target was read from it",
        "1 left out",
        "trims, crops and brushes: they belong to their frames",
    )
    assert goes(Look(), False) == "even light, holds and soft colour"
    assert goes(Look.of(*(kind(on=False) for kind in Look.kinds)), True) == "nothing"
