"""Kept looks: laid onto others by parts and at a strength, written and read, examined, mended, and how they suit."""

import base64
import hashlib
from typing import Any, get_args

import numpy as np
import pytest

from nuvett.core.area.area import Area
from nuvett.core.area.round import RoundPart
from nuvett.core.book.files import Labels, LookFile, TableFile, read_book
from nuvett.core.book.health import gains, health_on, merged_pairs, merged_places, tinted_whites, torn_places
from nuvett.core.book.kept import (
    LEFT_OUT,
    USUAL_PARTS,
    Kept,
    Use,
    aim_onto,
    laid_onto,
    trim_onto,
    with_palette,
)
from nuvett.core.book.remedies import remedy
from nuvett.core.book.suits import bending, suit_of
from nuvett.core.errors import DocumentError
from nuvett.core.fit.hues import HueBand
from nuvett.core.fit.moves import OwnMove
from nuvett.core.geometry.geometry import Geometry
from nuvett.core.look.local import Local
from nuvett.core.look.look import Look
from nuvett.core.look.tables import tables_of, with_tables
from nuvett.core.look.trim import Trim
from nuvett.core.measure.sampling import Sample
from nuvett.core.measure.statistics import Statistics, measure
from nuvett.core.plan.by_hand import CurveOperation, OwnMovesOperation, SaturateOperation
from nuvett.core.plan.frame_plan import FramePlan, Group
from nuvett.core.plan.operation import Operation
from nuvett.core.plan.tables import TableOperation
from nuvett.core.planning.framed import Seeing
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.reading.palette import PaletteColour, find_palette
from nuvett.core.reading.reading import Target
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_linear
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.hold import HoldStep
from nuvett.core.steps.lookup import TableStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.table.expects import Expects, asked_of, encoded_for, linear_from
from nuvett.core.types import Linear, OKLab
from tests import strategies as ours
from tests.examples import TABLE


def statistics(seed: int, scale: float = 1.0) -> Statistics:
    return measure(linear_to_oklab(Linear(to_linear(ours.cloud(seed, 1200)) * np.float32(scale))))


def target(seed: int, scale: float = 1.0) -> Target:
    found = statistics(seed, scale)
    return Target(palette=find_palette(OKLab(found.cloud), 6), statistics=found)


def test_only_the_parts_that_are_kept_are_laid_onto_a_draft_and_the_strength_is_a_share_of_its_own() -> None:
    draft = Look.of(ExposureStep(exposure=1), SaturationStep(saturation=20), pull=10)
    look = Look.of(ExposureStep(exposure=-2), MonoStep(on=True), strength=80, pull=90)
    usual = laid_onto(draft, Kept(look=look), Use())
    assert usual.exposure.exposure == 1  # belongs to the series, and was not asked for
    assert usual.mono.on and usual.saturation.saturation == 0 and usual.pull == 90 and usual.strength == 80
    assert laid_onto(draft, Kept(look=look), Use(strength=50)).strength == 40
    asked = laid_onto(draft, Kept(look=look, parts=(*USUAL_PARTS, "exposure")), Use())
    assert asked.exposure.exposure == -2
    part = laid_onto(draft, Kept(look=look), Use(parts=("mono",)))
    assert part.mono.on and part.saturation.saturation == 20 and part.pull == 10 and part.strength == 100
    with pytest.raises(DocumentError, match="Exposure and contrast is not in this kept look"):
        laid_onto(draft, Kept(look=look), Use(parts=("exposure",)))
    with pytest.raises(ValueError, match="no part called shoes"):
        Kept(look=look, parts=("shoes",))
    assert not set(LEFT_OUT) & set(USUAL_PARTS)


def test_an_aim_is_taken_whole_or_its_tone_and_its_colours_apart() -> None:
    own, theirs = target(1), target(2, 0.3)
    kept = Kept(look=Look(), target=theirs)
    assert aim_onto(own, kept, Use()) is theirs and aim_onto(None, kept, Use(parts=("aim-tone",))) is theirs
    assert aim_onto(own, kept, Use(parts=("tone",))) is own
    assert aim_onto(own, Kept(look=Look()), Use()) is own and not Kept(look=Look()).aims and kept.aims
    tone, colour = (aim_onto(own, kept, Use(parts=(part,))) for part in ("aim-tone", "aim-colour"))
    assert tone is not None and colour is not None
    assert np.allclose(tone.statistics.lightness, theirs.statistics.lightness, atol=1e-6)
    assert np.allclose(colour.statistics.lightness, own.statistics.lightness, atol=1e-6)
    means = [np.asarray(t.statistics.cloud)[:, 1:].mean(axis=0) for t in (tone, colour, own, theirs)]
    assert np.linalg.norm(means[0] - means[2]) < np.linalg.norm(means[0] - means[3])
    assert np.linalg.norm(means[1] - means[3]) < np.linalg.norm(means[1] - means[2])


def test_the_cut_and_the_areas_of_a_frame_go_along_only_when_they_are_kept() -> None:
    trim = Trim(geometry=Geometry(straighten=3), areas=(Local(area=Area(parts=(RoundPart(),))),))
    kept = Kept(look=Look(), trim=trim, parts=(*USUAL_PARTS, "geometry"))
    own = Trim.of(SaturationStep(saturation=9))
    made = trim_onto(own, kept, Use())
    assert made.geometry.straighten == 3 and made.areas == () and made.saturation == own.saturation
    assert trim_onto(own, Kept(look=Look(), trim=trim), Use()) == own
    both = Kept(look=Look(), trim=trim, parts=("geometry", "brushed"))
    assert trim_onto(own, both, Use(parts=("brushed",))) == own.model_copy(update={"areas": trim.areas})


def test_a_target_with_another_palette_keeps_its_tone() -> None:
    palette = tuple(PaletteColour(lightness=v, a=0.1, b=-v / 10, share=0.5) for v in (0.3, 0.8))
    made = with_palette(target(4), palette)
    assert made.palette == palette and np.array_equal(made.statistics.cloud, target(4).statistics.cloud)
    assert [held.colour for held in made.edits.held] == [(0.3, 0.1, -0.03), (0.8, 0.1, -0.08)]
    assert len(with_palette(target(4), palette * 9).edits.held) == 12


def test_tables_of_a_look_are_found_everywhere_and_one_that_is_gone_is_left_out() -> None:
    step = TableStep(on=True, table=TABLE, called="evening")
    area = Local(area=Area(parts=(RoundPart(),)), table=step)  # type: ignore[call-arg]
    look = Look.model_validate_json(Look.of(step, areas=(area,)).model_dump_json())
    assert tables_of(look) == {TABLE.digest: "evening"} == tables_of(Trim.of(step))
    there = with_tables(look, {TABLE.digest: TABLE}.get)
    assert there.table.table.colours is not None and there.areas[0].table.table.colours is not None
    gone = with_tables(look, lambda digest: None)
    assert gone.table.is_idle and gone.areas[0].table.is_idle
    assert with_tables(Look(), lambda digest: None) == Look()


def file_of(**changes: Any) -> dict[str, Any]:
    data = b"a table"
    digest = hashlib.sha256(data).hexdigest()
    table = TableFile(called="t", file=base64.b64encode(data))
    kept = Kept(look=Look.of(MonoStep(on=True)), target=target(5))
    made = LookFile(labels=Labels(name="Evening", use_when="lamps"), kept=kept, tables={digest: table})
    return made.model_dump(mode="json") | changes


def test_a_look_file_comes_back_as_it_was_written_alone_or_in_a_book() -> None:
    (one,) = read_book(file_of()).looks
    assert one.labels.use_when == "lamps" and one.kept.look.mono.on
    assert one.kept.target is not None
    assert one.kept.target.model_dump_json() == target(5).model_dump_json()
    assert next(iter(one.tables.values())).file == b"a table"
    book = read_book({"kind": "lookbook", "looks": [file_of(), file_of()], "palettes": []})
    assert len(book.looks) == 2


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (file_of(schema_version=2), "schema 2; this version reads schema 1"),
        (file_of(kind="shoes"), "neither a kept look nor a lookbook"),
        ([], "neither"),
        (file_of(labels={"name": ""}), "labels.name"),
        (file_of(labels={"name": "x" * 300}), "at most 80 characters"),
        (file_of(tables={"0" * 64: {"file": "YQ=="}}), "a lookup table in it is damaged"),
        (file_of(kept={"look": {"schema_version": 99}}), "kept"),
        (file_of(extra=1), "extra"),
    ],
)
def test_a_file_that_cannot_be_used_is_refused_in_words(data: Any, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_book(data)


GREY_RAMP = np.linspace(0.02, 1, 400, dtype=np.float32)[:, None] * np.ones(3, np.float32)
PLACES = np.random.default_rng(2).uniform(0, 1, (1200, 2)).astype(np.float32)


def sample_of(lab: np.ndarray) -> Sample:
    linear = oklab_to_linear(OKLab(lab.astype(np.float32)))
    return Sample(Linear(linear), PLACES[: len(linear)])


def planned(*operations: Operation) -> FramePlan:
    return FramePlan(groups=(Group(name="look", operations=operations),))


def kinds(plan: FramePlan, sample: Sample) -> set[str]:
    return {note.kind for note in health_on(plan, sample, Seeing())}


def scene(*colours: tuple[float, float, float], spread: float = 0.004) -> np.ndarray:
    rng = np.random.default_rng(7)
    return np.concatenate([rng.normal(c, spread, (1200 // len(colours), 3)) for c in colours])


WARM = CurveOperation(blue=((0, 0), (100, 78)))
RED_TO_ORANGE = OwnMovesOperation(moves=(OwnMove(source=(0.6, 0.12, 0.02), hue=50, reach=20),))


def test_whites_that_turn_are_found_with_their_place_and_other_colours_are_not() -> None:
    room = scene((0.95, 0.0, 0.0), (0.5, 0.08, 0.05), (0.4, 0.0, 0.0))
    assert kinds(FramePlan(), sample_of(room)) == set()
    assert "tinted" in kinds(planned(WARM), sample_of(room))
    assert "tinted" not in kinds(planned(WARM.model_copy(update={"amount": 0.15})), sample_of(room))
    before = OKLab(np.array([[0.95, 0, 0], [0.95, 0.05, 0], [0.5, 0, 0]], np.float32))
    after = OKLab(before + np.array([0, 0, 0.08], np.float32))
    assert tinted_whites(before, after).tolist() == [True, False, False]
    assert not tinted_whites(before, before).any()


def test_two_colours_that_become_one_are_found_but_not_in_black_and_white() -> None:
    things = sample_of(scene((0.6, 0.12, 0.02), (0.6, 0.06, 0.11), (0.3, 0.0, -0.05)))
    assert not merged_pairs(FramePlan(), things)
    grey = planned(SaturateOperation(saturation=-1))
    pairs = merged_pairs(grey, things)
    assert np.abs(pairs[0].colours[:, 0] - 0.6).max() < 0.05
    there = merged_places(pairs, linear_to_oklab(things.colours))
    assert there[:800].mean() > 0.95 and there[800:].mean() < 0.05
    assert not merged_places([], linear_to_oklab(things.colours)).any()
    look = Look.of(MonoStep(on=True))
    own = measure(linear_to_oklab(things.colours))
    assert not merged_pairs(plan_frame(own, aim_of_statistics(own), look), things)


def test_neighbours_that_are_torn_apart_are_found_where_the_curve_is_steep() -> None:
    cliff = planned(CurveOperation(red=((0, 0), (48, 10), (52, 90), (100, 100))))
    codes = np.stack([np.linspace(0, 1, 101), np.full(101, 0.5), np.full(101, 0.5)], axis=1).astype(np.float32)
    found = gains(cliff, to_linear(codes))
    assert found[49:52].min() > 4.5 and np.median(found[:40]) < 1.5
    assert torn_places(cliff, codes)[50] and not torn_places(cliff, codes)[[20, 80]].any()
    assert np.allclose(gains(FramePlan(), to_linear(codes[10:90])), 1, atol=0.05)


def test_an_affine_change_bends_nothing_and_a_turned_family_does() -> None:
    things = sample_of(scene((0.6, 0.1, 0.02), (0.6, -0.06, 0.04), (0.5, 0.0, -0.05), spread=0.015))
    plain = planned(SaturateOperation(saturation=-0.3))
    turned = planned(RED_TO_ORANGE)
    half = planned(RED_TO_ORANGE.model_copy(update={"amount": 0.5}))
    values = [bending(plan, things, Seeing()) for plan in (FramePlan(), plain, half, turned)]
    assert values[0] < 0.05 and values[1] < 0.05 and 0.1 < values[2] < values[3]
    assert suit_of([1.0, 3.0], [0.5, 1.5]).cost == 3.0 and suit_of([], [1.0]).drift is None
    assert suit_of([2.0], [0.4]).words == "lands 2.0 from its target and changes colours evenly (0.4)"
    assert suit_of([], [2.6]).words == "has no target; changes colours unevenly (2.6)"


def test_the_mildest_remedy_of_the_likeliest_step_is_found() -> None:
    look = Look.of(ToneStep(amount=80), CurveStep(master=((0, 0), (50, 60), (100, 100))))
    found = remedy(look, "steep", lambda tried: tried.tone.amount <= 50)
    assert found is not None and found.look.tone.amount == 48 and found.look.curve == look.curve
    assert found.words == "with “Tone” at 48 %, all frames are clean"
    curve = remedy(look, "steep", lambda tried: tried.curve.amount <= 20)
    assert curve is not None and curve.look.curve.amount == 20 and curve.look.tone.amount == 80
    held = remedy(look, "skin", lambda tried: tried.hold.where == "everywhere")
    assert held is not None and held.look.hold.on and "skin held" in held.words
    already = look.with_step(HoldStep(where="everywhere"))
    weaker = remedy(already, "skin", lambda tried: tried.colour <= 30)
    assert weaker is not None and weaker.look.colour == 30
    assert remedy(look, "torn", lambda tried: False) is None
    bands = [HueBand(hue=255, most=most) for most in (14, 12)] + [HueBand(hue=30, most=9)]
    ranged = remedy(look, "richer", lambda tried: len(tried.hues.bands) == 2, bands)
    assert ranged is not None and [band.most for band in ranged.look.hues.bands] == [12, 9]
    assert "blue held below chroma 12 and red held below chroma 9" in ranged.words
    assert remedy(look, "richer", lambda tried: tried.vivid <= 30, bands).look.vivid <= 30


@pytest.mark.parametrize("expects", get_args(Expects))
def test_what_a_table_is_asked_for_is_read_back_and_only_what_lies_beyond_is_kept(expects: Expects) -> None:
    linear = to_linear(ours.cloud(6, 200))
    assert np.abs(asked_of(encoded_for(linear, expects), expects) - linear).max() < 2e-6
    lab = linear_to_oklab(linear)
    held = TableOperation(table=TABLE, expects=expects).apply(lab, lab, Space.SRGB)
    plain = linear_to_oklab(linear_from(TABLE.looked_up(encoded_for(linear, expects)), expects))
    assert np.abs(held - plain).max() < 1e-4  # a colour that the table knows is the table's alone


def test_a_table_acts_at_half_strength_and_in_the_space_it_expects() -> None:
    lab = linear_to_oklab(to_linear(ours.cloud(6, 200) * np.float32(0.8) + np.float32(0.1)))
    whole, half = (TableOperation(table=TABLE, amount=amount).apply(lab, lab, Space.SRGB) for amount in (1, 0.5))
    assert np.allclose(half, (lab + whole) / 2, atol=1e-6) and np.abs(whole - lab).max() > 0.02
    as_log = TableOperation(table=TABLE, expects="log").apply(lab, lab, Space.SRGB)
    assert np.abs(as_log - whole).max() > 0.1
