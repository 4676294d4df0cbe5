"""What dragging a handle means for a look, and the notes on what goes wrong."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.area.faces import FaceSeen
from nuvett.core.errors import InvalidChangeError
from nuvett.core.fit.moves import OwnMove
from nuvett.core.look.handles import drag, land, reset
from nuvett.core.look.look import Look
from nuvett.core.measure.sampling import placed_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.planning.warnings import Note, at_ends, newly_at_ends, notes_on, steep_tones
from nuvett.core.reading.family import Family
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear, oklch_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.hold import FamilyHold, HoldStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.steps.zones import ZoneStep

places = st.tuples(st.floats(-5, 105), st.floats(-5, 105))


def test_a_zone_dragged_on_the_chart_takes_that_hue_and_chroma() -> None:
    zones = drag(Look(), "zone.highlight", (0.0, 0.08)).zones
    assert (zones.highlight_hue, zones.highlight_chroma) == (90, 8)
    assert zones.shadow_hue is None
    assert drag(Look(), "zone.shadow", (0.9, 0)).zones.shadow_chroma == 20, "kept within its range"


def test_a_move_lands_where_its_square_is_put() -> None:
    look = Look(moves=MoveStep(own=(OwnMove(source=(0.5, 0.1, 0.0)),)))
    own = drag(look, "move.0", (0.0, 0.15)).moves.own[0]
    assert (own.hue, own.chroma) == (90, 50)
    with pytest.raises(InvalidChangeError):
        drag(look, "move.1", (0, 0))


def test_a_ring_reaches_where_it_is_dragged() -> None:
    look = Look(hold=HoldStep(families=(FamilyHold(family=Family(colour=(0.6, 0.1, 0.0))),)))
    kept = drag(look, "hold.0", (0.0, 0.15)).hold.families[0]
    assert (kept.hue, kept.chroma) == (60, 50), "a quarter turn is held to the most there is"
    near = drag(look, "hold.0", (0.11 * np.cos(0.2), 0.11 * np.sin(0.2))).hold.families[0]
    assert (near.hue, near.chroma) == (pytest.approx(11.5, abs=0.1), 10)
    with pytest.raises(InvalidChangeError):
        drag(look, "hold.1", (0, 0))


@settings(max_examples=40)
@given(st.lists(st.tuples(st.integers(0, 6), places), max_size=12))
def test_whatever_is_dragged_the_curve_rises_and_stays_usable(moves: list[tuple[int, tuple[float, float]]]) -> None:
    look = Look()
    for index, place in moves:
        count = len(look.curve.red)
        look = drag(look, f"curve.red.{min(index, count)}", place)
        look = land(look, *place)
        CurveStep.model_validate(look.curve.model_dump())
    assert look.curve.red[0][0] >= 0 and look.curve.red[-1][0] <= 100


def test_a_share_lands_where_the_tone_column_has_it() -> None:
    once = land(Look(), 40, 55)
    assert (40, 55) in once.curve.master
    again = land(once, 41, 30)
    assert again.curve.master == ((0, 0), (40, 30), (100, 100)), "a point that is near is moved"
    assert land(again, 20, 90).curve.master[1] == (20, 30), "never above the next point"


def test_a_handle_that_is_reset_says_what_it_usually_says_and_leaves_the_others() -> None:
    look = Look(
        zones=ZoneStep(shadow_hue=200, shadow_chroma=15, highlight_hue=60, highlight_chroma=10),
        curve=CurveStep(master=((0, 10), (40, 55), (70, 60), (100, 90))),
        moves=MoveStep(own=(OwnMove(source=(0.5, 0.1, 0.0), hue=20, reach=20), OwnMove(source=(0.4, 0.0, 0.1), hue=9))),
        hold=HoldStep(families=(FamilyHold(family=Family(colour=(0.6, 0.1, 0.0)), hue=40),)),
    )
    zones = reset(look, "zone.shadow").zones
    assert (zones.shadow_chroma, zones.highlight_hue, zones.highlight_chroma) == (ZoneStep().shadow_chroma, 60, 10)
    assert reset(look, "curve.master.1").curve.master == ((0, 10), (70, 60), (100, 90))
    assert reset(look, "curve.master.0").curve.master == ((0, 0), (40, 55), (70, 60), (100, 90))
    assert reset(look, "curve.master.3").curve.master == ((0, 10), (40, 55), (70, 60), (100, 100))
    assert reset(look, "share.50").curve.master == ((0, 0), (100, 100))
    first, second = reset(look, "move.0").moves.own
    assert (first.hue, first.reach, second) == (0, 20, look.moves.own[1])
    assert reset(look, "hold.0").hold.families[0].hue == FamilyHold(family=Family(colour=(0.6, 0.1, 0.0))).hue
    for handle in ("zone.sky", "move.2", "hold.1", "curve.master.4", "elsewhere"):
        with pytest.raises(InvalidChangeError):
            reset(look, handle)


@pytest.mark.parametrize("handle", ["zone.sky", "move.7", "curve.cyan.0", "curve.red.9", "elsewhere"])
def test_an_unknown_handle_is_refused(handle: str) -> None:
    with pytest.raises(InvalidChangeError):
        drag(Look(), handle, (0, 0))


def test_notes_name_what_goes_wrong_and_only_that() -> None:
    random = np.random.default_rng(4)
    skin = np.column_stack([random.uniform(0.4, 0.7, 500), np.full(500, 0.06), np.full(500, 51.0)])
    wall = np.column_stack([random.uniform(0.2, 0.9, 3000), np.full(3000, 0.01), random.uniform(0, 360, 3000)])
    lab = oklch_to_oklab(np.concatenate([skin, wall]).astype(np.float32))
    sample = placed_sample(oklab_to_linear(lab).reshape(1, -1, 3))
    own = measure(linear_to_oklab(sample.colours))
    aim = aim_of_statistics(own)

    face = FaceSeen(box=(0.4, 0.2, 0.1, 0.1), colour=_linear_of(0.6, 0.06, 51.0))

    def notes(faces: tuple[FaceSeen, ...] = (face,), **steps: object) -> list[Note]:
        plan = plan_frame(own, aim, Look(**{"hold": HoldStep(on=False), **steps}), faces=faces)  # type: ignore[arg-type]
        return notes_on(plan, sample, Seeing(), faces)

    assert notes() == []
    assert any("clipped" in note.words for note in notes(exposure=ExposureStep(exposure=2.5)))
    assert any("lost in black" in note.words for note in notes(curve=CurveStep(master=((45, 0), (100, 100)))))
    greenish = WhiteStep(warmth=20, tint=-30)
    (turned,) = [note for note in notes(white=greenish) if note.kind == "skin"]
    assert "turned" in turned.words and "yellow" in turned.words and turned.box == face.box
    assert any("lost more than half" in n.words for n in notes(saturation=SaturationStep(saturation=-70)))
    assert any("darker" in n.words for n in notes(exposure=ExposureStep(exposure=-1.5)))
    assert not any(n.kind == "skin" for n in notes(mono=MonoStep(on=True)))
    assert not any(n.kind == "skin" for n in notes((), white=greenish))  # no face, no note of skin
    assert not any(n.kind == "skin" for n in notes(white=greenish, hold=HoldStep()))  # held


def _linear_of(lightness: float, chroma: float, hue: float) -> tuple[float, float, float]:
    red, green, blue = oklab_to_linear(oklch_to_oklab(np.array([lightness, chroma, hue], np.float32)))
    return float(red), float(green), float(blue)


def test_a_steep_look_is_noted(photo: np.ndarray) -> None:
    sample = placed_sample(to_linear((photo / 255).astype(np.float32)))
    own = measure(linear_to_oklab(sample.colours))
    steep = Look(curve=CurveStep(master=((0, 0), (40, 10), (60, 90), (100, 100))))
    plan = plan_frame(own, aim_of_statistics(own), steep)
    assert any("banding" in note.words and note.veil == "steep" for note in notes_on(plan, sample, Seeing()))
    low, high = steep_tones(plan, sample)
    assert 0.3 < low < high < 0.75
    plain = plan_frame(own, aim_of_statistics(own), Look())
    assert not notes_on(plain, sample, Seeing()) and steep_tones(plain, sample) == (0.0, 0.0)


def test_only_what_8_bits_round_to_an_end_counts_as_clipped() -> None:
    codes = np.array([[254.4, 90, 90], [254.6, 0, 0], [0.4, 0.4, 0.4], [0.4, 0, 3]], dtype=np.float32) / 255
    white, black = at_ends(codes)
    assert white.tolist() == [False, True, False, False] and black.tolist() == [False, False, True, False]
    assert newly_at_ends(codes, codes) == (0, 0)
    assert newly_at_ends(np.full_like(codes, 0.5), codes) == (0.25, 0.25)
