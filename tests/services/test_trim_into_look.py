"""From a frame's trim into the look and the lookbook: steps that can be undone, and what stays with the frame."""

import pytest

from nuvett.core.book.files import Labels
from nuvett.core.errors import ConflictError, DocumentError
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.trim import Trim
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.services.lookbook import book, kept_looks
from nuvett.services.looks import lifting
from nuvett.services.looks.trims import walk_trim
from nuvett.services.looks.trims_of_many import keep_trim
from nuvett.services.platform.studio import Studio
from nuvett.services.series import catalogue
from nuvett.services.series.frame_facts import trim_of
from tests.services.books import draft, walk

OWN = Trim.of(ExposureStep(exposure=0.5), SaturationStep(saturation=-30), geometry=Geometry(straighten=1.5))


def test_parts_of_a_trim_move_into_the_look_and_each_side_can_undo_it(studio: Studio, slug: str) -> None:
    before = draft(studio, slug).look
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frame = catalogue.ready_frames(session, series.id)[1]
        keep_trim(session, frame, OWN, "")
        frame_id = frame.id
    offered = lifting.offered(studio, slug, frame_id)
    assert {part.name: part.can for part in offered.parts} == {"exposure": True, "saturation": True, "geometry": False}
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frame = catalogue.find_frame(session, series, frame_id)
        words = lifting.lift(session, series, frame, ["saturation"], offered.revision)
        assert words.startswith("In the look now: saturation. Exposure and contrast, straighten and crop stay")
        assert trim_of(frame).saturation is None and trim_of(frame).geometry == OWN.geometry
        with pytest.raises(DocumentError):
            lifting.lift(session, series, frame, ["saturation"])
        with pytest.raises(ConflictError):
            lifting.lift(session, series, frame, ["exposure"], offered.revision)
    assert draft(studio, slug).look.saturation.saturation == -30
    assert walk(studio, slug, False) == "From AT-0102: saturation" and draft(studio, slug).look == before
    with studio.database.session() as session:
        frame = catalogue.find_frame(session, catalogue.find_series(session, slug), frame_id)
        walk_trim(session, frame, False)
        assert trim_of(frame) == OWN


def test_parts_of_a_trim_are_kept_as_a_look_that_aims_at_nothing(studio: Studio, slug: str) -> None:
    with studio.database.session() as session:
        series = catalogue.find_series(session, slug)
        frame = catalogue.ready_frames(session, series.id)[0]
        keep_trim(session, frame, OWN, "")
        row = kept_looks.keep_from_trim(session, series, frame, Labels(name="Muted"), ["saturation"])
        kept = book.version_of(session, row.id).kept
        assert kept.parts == ("saturation",) and not kept.aims and kept.look.saturation.saturation == -30
        assert trim_of(frame) == OWN and row.came_from == "Winter fair; the trim of AT-0101"
        with pytest.raises(DocumentError):
            kept_looks.keep_from_trim(session, series, frame, Labels(name="Cut"), ["geometry"])


def test_an_exposure_that_makes_up_for_a_dark_frame_is_not_ticked(studio: Studio, slug: str) -> None:
    ticked = []
    for exposure in (-2, 2):
        with studio.database.session() as session:
            series = catalogue.find_series(session, slug)
            frame = catalogue.ready_frames(session, series.id)[0]
            keep_trim(session, frame, Trim.of(ExposureStep(exposure=exposure)), "")
            frame_id = frame.id
        (part,) = lifting.offered(studio, slug, frame_id).parts
        ticked.append((part.ticked, "its set-up" in part.reason))
    assert (True, True) not in ticked and ticked.count((False, True)) <= 1
