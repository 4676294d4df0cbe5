"""Laws of the hand-made steps: nothing at zero, tone that rises, hue kept, grey that stays grey."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.errors import DocumentError
from nuvett.core.fit.blend import BLENDS, blend_over
from nuvett.core.fit.curves import curve_through, master_table
from nuvett.core.fit.grey import GreyHue
from nuvett.core.fit.moves import OwnMove, move_by_hand
from nuvett.core.look.look import Look, parse_look, take_parts
from nuvett.core.measure.sampling import stratified_sample
from nuvett.core.measure.statistics import measure
from nuvett.core.plan.apply import apply_plan, through
from nuvett.core.plan.fitted import MovesOperation, ToneOperation
from nuvett.core.plan.operation import ColourOperation
from nuvett.core.planning.planning import aim_of_statistics, plan_frame
from nuvett.core.reading.palette import find_palette
from nuvett.core.spaces.oklab import linear_to_oklab, oklab_to_oklch, oklch_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.ends import EndsStep
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import MoveStep, Pin
from nuvett.core.steps.registry import REGISTRY
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.step import Aim, Ask, Step
from nuvett.core.steps.tint_filter import FilterStep
from nuvett.core.steps.wash import WashStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.steps.zones import ZoneStep
from nuvett.core.types import OKLab
from tests import strategies as ours

GREYS = np.column_stack([np.linspace(0.02, 0.98, 49), np.zeros(49), np.zeros(49)]).astype(np.float32)
WASH = ((0.2, 0.0, -0.05), (0.8, 0.03, 0.08))
STRONG = {
    "white": WhiteStep(warmth=30, tint=-10),
    "exposure": ExposureStep(exposure=0.7, contrast=30),
    "saturation": SaturationStep(saturation=40, vibrance=-30),
    "own": MoveStep(amount=0, own=(OwnMove(source=(0.6, 0.1, 0.05), hue=80, chroma=40, lightness=-10, reach=12),)),
    "curve": CurveStep(master=((0, 0), (30, 20), (70, 85), (100, 100)), faded=8),
    "wash": WashStep(on=True, amount=80, colours=WASH),
    "filter": FilterStep(on=True, amount=70, hue=70),
    "mono": MonoStep(on=True, hues=(GreyHue(hue=262, lighter=-60), GreyHue(hue=28, lighter=80))),
}


NOTHING = measure(GREYS[np.arange(300) % len(GREYS)])


def step(lab: np.ndarray, made: Step) -> np.ndarray:
    """Colours after one step by itself."""
    ask = Ask(frame=NOTHING, aim=Aim(NOTHING, ()))
    operations = () if made.is_idle else made.resolve(ask)
    return through([o for o in operations if isinstance(o, ColourOperation)], lab.astype(np.float32))


@settings(max_examples=20)
@given(ours.colours, st.sampled_from([name for name in STRONG if name != "own"]))
def test_a_step_at_amount_zero_or_off_changes_nothing(colours: np.ndarray, name: str) -> None:
    lab = linear_to_oklab(to_linear(colours))
    for update in ({"amount": 0}, {"on": False}):
        assert np.array_equal(step(lab, STRONG[name].model_copy(update=update)), lab)


@pytest.mark.parametrize(("reach", "acts"), [(0.03, False), (0.1, True)])
def test_a_frame_of_one_tone_has_no_ends(reach: float, acts: bool) -> None:
    lightness = np.linspace(0.6 - reach / 2, 0.6 + reach / 2, 400)
    flat = measure(OKLab(np.column_stack([lightness, 0 * lightness, 0 * lightness]).astype(np.float32)))
    found = EndsStep(black=5, white=95).resolve(Ask(frame=flat, aim=Aim(flat, ())))
    assert bool(found) == acts


@pytest.mark.parametrize("name", STRONG)
def test_colour_alone_and_tone_alone_keep_the_other(name: str) -> None:
    lab = linear_to_oklab(to_linear(ours.cloud(3, 200)))
    if "part" not in type(STRONG[name]).model_fields:
        return
    assert np.array_equal(step(lab, STRONG[name].model_copy(update={"part": "colour"}))[:, 0], lab[:, 0])
    assert np.array_equal(step(lab, STRONG[name].model_copy(update={"part": "tone"}))[:, 1:], lab[:, 1:])


@pytest.mark.parametrize("name", ["exposure", "saturation", "own", "curve", "mono"])
def test_grey_stays_grey_and_keeps_its_order(name: str) -> None:
    made = step(GREYS, STRONG[name])
    assert np.hypot(made[:, 1], made[:, 2]).max() < 2e-3
    assert (np.diff(made[:, 0]) > -1e-4).all()


def test_saturation_keeps_hue_and_mono_takes_colour_away() -> None:
    lab = linear_to_oklab(to_linear(ours.cloud(5, 300)))
    before, after = oklab_to_oklch(lab), oklab_to_oklch(step(lab, STRONG["saturation"]))
    vivid = before[:, 1] > 0.02
    turn = (before[vivid, 2] - after[vivid, 2] + 180) % 360 - 180
    assert np.abs(turn).max() < 0.05
    grey = step(lab, STRONG["mono"])
    assert np.abs(grey[:, 1:]).max() == 0
    red, blue = (oklch_to_oklab(np.array([[0.6, 0.15, hue]], np.float32)) for hue in (28, 262))
    assert step(red, STRONG["mono"])[0, 0] > 0.65 and step(blue, STRONG["mono"])[0, 0] < 0.55
    assert STRONG["mono"].sentence.endswith("; blue darker, red lighter")


def test_a_move_by_hand_takes_its_source_all_the_way_and_leaves_far_colours() -> None:
    move = OwnMove(source=(0.6, 0.0, 0.12), hue=60, chroma=-50, lightness=10, reach=6)
    source, far = np.array([[0.6, 0.0, 0.12]], np.float32), np.array([[0.6, 0.0, -0.12]], np.float32)
    lch = oklab_to_oklch(move_by_hand(source, (move,)))[0]
    assert lch == pytest.approx((0.6 + 10 / 116, 0.06, 150), abs=1e-3)
    assert move_by_hand(far, (move,)) == pytest.approx(far, abs=2e-3)
    both = move_by_hand(source, (move, move))
    assert both == pytest.approx(move_by_hand(source, (move,)), abs=1e-5), "two equal moves are one"


@settings(max_examples=25)
@given(st.lists(st.tuples(st.integers(0, 50), st.integers(0, 100)), min_size=2, max_size=10, unique_by=lambda p: p[0]))
def test_a_curve_through_rising_points_rises_and_passes_through_them(raw: list[tuple[int, int]]) -> None:
    xs, ys = sorted(2 * x for x, _ in raw), sorted(y for _, y in raw)
    points = tuple((float(x), float(y)) for x, y in zip(xs, ys, strict=True))
    assert CurveStep(master=points).master == points
    assert (np.diff(master_table(points)) >= -1e-6).all()
    assert curve_through(points, np.array(xs, np.float32)) == pytest.approx(np.array(ys), abs=1e-4)


@pytest.mark.parametrize(
    "points", [((0, 0),), ((0, 0), (0.2, 50)), ((0, 50), (100, 20)), ((0, 0), (100, 101)), ((10, 0), (5, 90))]
)
def test_a_curve_that_falls_or_leaves_its_range_is_refused(points: tuple[tuple[float, float], ...]) -> None:
    with pytest.raises(ValueError, match=r"curve"):
        CurveStep(master=points)


def test_faded_blacks_lift_the_dark_and_leave_the_light() -> None:
    made = step(GREYS, CurveStep(faded=10))
    assert made[0, 0] > GREYS[0, 0] + 0.05
    assert made[-5:, 0] == pytest.approx(GREYS[-5:, 0], abs=1e-3)


@pytest.mark.parametrize("mode", BLENDS)
@settings(max_examples=10)
@given(backdrop=ours.colours, source=ours.colours)
def test_a_blend_stays_in_range_and_nothing_at_no_opacity(mode: str, backdrop: np.ndarray, source: np.ndarray) -> None:
    assert np.array_equal(blend_over(backdrop, source, mode, 0), backdrop)  # type: ignore[arg-type]
    whole = blend_over(backdrop, source, mode, 1)  # type: ignore[arg-type]
    assert whole.min() >= -1e-4 and whole.max() <= 1 + 1e-4


B, S = np.array([[0.2, 0.5, 0.8]], np.float32), np.array([[0.5, 0.6, 0.1]], np.float32)


@pytest.mark.parametrize(
    ("mode", "wanted"),
    [
        ("multiply", (0.1, 0.3, 0.08)),
        ("screen", (0.6, 0.8, 0.82)),
        ("overlay", (0.2, 0.6, 0.64)),
        ("hard-light", (0.2, 0.6, 0.16)),
        ("soft-light", (0.2, 0.5414, 0.672)),
        ("difference", (0.3, 0.1, 0.7)),
        ("exclusion", (0.5, 0.5, 0.74)),
        ("color-dodge", (0.4, 1.0, 0.8889)),
        ("color-burn", (0.0, 0.1667, 0.0)),
        ("darken", (0.2, 0.5, 0.1)),
        ("lighten", (0.5, 0.6, 0.8)),
    ],
)
def test_blends_match_the_formulas_of_the_specification(mode: str, wanted: tuple[float, ...]) -> None:
    assert blend_over(B, S, mode, 1)[0] == pytest.approx(wanted, abs=1e-4)  # type: ignore[arg-type]


@pytest.mark.parametrize(("mode", "grey"), [("color-burn", 1.0), ("color-dodge", 0.0), ("saturation", 0.7)])
@settings(max_examples=20)
@given(source=ours.colours, noise=ours.seeds)
def test_white_black_and_greys_stay_what_they_are_but_for_rounding(
    mode: str, grey: float, source: np.ndarray, noise: int
) -> None:
    rounding = np.random.default_rng(noise).uniform(-1e-6, 1e-6, source.shape)
    made = blend_over((grey + rounding).astype(np.float32), source, mode, 1)  # type: ignore[arg-type]
    assert np.abs(made - grey).max() < 1e-3


def test_non_separable_blends_take_what_their_name_says() -> None:
    backdrop, source = np.array([[0.2, 0.5, 0.8]], np.float32), np.array([[0.7, 0.3, 0.3]], np.float32)
    weights = np.array([0.3, 0.59, 0.11])
    light = {mode: float(blend_over(backdrop, source, mode, 1)[0] @ weights) for mode in ("hue", "color", "luminosity")}  # type: ignore[arg-type]
    assert light["hue"] == pytest.approx(light["color"], abs=1e-4)
    assert light["hue"] == pytest.approx(float(backdrop[0] @ weights), abs=1e-4)
    assert light["luminosity"] == pytest.approx(float(source[0] @ weights), abs=1e-4)


@pytest.fixture(scope="module")
def scene(photo: np.ndarray, still: np.ndarray) -> tuple[np.ndarray, Aim]:
    linear, target = (stratified_sample(to_linear((p / 255).astype(np.float32))) for p in (photo, still))
    return linear, aim_of_statistics(measure(linear_to_oklab(target)))


def test_chosen_zone_tints_lean_the_zones_their_way(scene: tuple[np.ndarray, Aim]) -> None:
    linear, aim = scene
    own = measure(linear_to_oklab(linear))
    plain = Look(moves=MoveStep(on=False), spread={"on": False})  # type: ignore[arg-type]
    violet = plain.model_copy(update={"zones": ZoneStep(amount=100, shadow_hue=300, shadow_chroma=10)})
    before, after = (apply_plan(plan_frame(own, aim, look), linear) for look in (plain, violet))
    order = np.argsort(before[:, 0])
    dark, light = order[: len(order) // 6], order[-len(order) // 6 :]
    lean = (after - before)[dark, 1:].mean(axis=0)
    assert lean @ np.array([np.cos(np.radians(300)), np.sin(np.radians(300))]) > 0.03
    assert np.abs((after - before)[light]).mean() < 0.01
    lifted = plain.model_copy(update={"zones": ZoneStep(shadow_lightness=8)})
    higher = apply_plan(plan_frame(own, aim, lifted), linear)
    assert (higher - before)[dark, 0].mean() > 0.02 and np.abs((higher - before)[light, 0]).mean() < 0.01
    tones = [o.curve for o in plan_frame(own, aim, lifted).group("look").operations if isinstance(o, ToneOperation)]
    assert len(tones) == 2 and all((np.diff(tone) >= 0).all() for tone in tones)


def test_pins_hold_or_redirect_what_the_pairing_does(scene: tuple[np.ndarray, Aim]) -> None:
    linear, aim = scene
    lab = linear_to_oklab(linear)
    own = measure(lab)
    vivid = max(find_palette(lab), key=lambda c: c.lch[1])
    source = (vivid.lightness, vivid.a, vivid.b)
    free = plan_frame(own, aim, Look(moves=MoveStep(amount=100)))
    still = plan_frame(own, aim, Look(moves=MoveStep(amount=100, pins=(Pin(source=source, amount=0),))))
    moved, kept = (plan.find(MovesOperation).moves for plan in (free, still))
    stopped = [s for f, s in zip(moved, kept, strict=True) if s.by == (0, 0, 0) != f.by]
    assert stopped, "the colours near a pin at 0 stay"
    to = (0.5, -0.1, -0.05)
    sent = plan_frame(own, aim, Look(moves=MoveStep(amount=100, pins=(Pin(source=source, to=to, amount=100),))))
    assert any(np.allclose(np.add(m.source, m.by), to, atol=1e-4) for m in sent.find(MovesOperation).moves)


def test_a_look_of_schema_1_is_read_and_parts_are_taken_by_name() -> None:
    old = parse_look('{"schema_version": 1, "strength": 60, "tone": {"amount": 10}}')
    assert old.strength == 60 and old.tone.amount == 10 and old.finish == FinishStep()
    assert (old.vivid, old.zones.whites, old.zones.amount, old.spread.amount, old.hold.on) == (0, 100, 80, 60, False)
    held = parse_look('{"schema_version": 2, "hold": {"on": true, "hue": 5}}').hold
    assert (held.on, held.where, held.hue) == (True, "everywhere", 5)
    with pytest.raises(DocumentError, match="schema 6"):
        parse_look('{"schema_version": 6}')
    with pytest.raises(DocumentError, match="curve"):
        parse_look('{"curve": {"master": [[0, 50], [100, 10]]}}')
    source = Look(strength=40, exposure=ExposureStep(exposure=1), finish=FinishStep(grain=20))
    some = take_parts(Look(), source, frozenset({"finish"}))
    assert some.finish.grain == 20 and some.exposure.exposure == 0 and some.strength == 100
    assert take_parts(Look(), source, frozenset({*(kind.name for kind in REGISTRY), "all"})) == source
    with pytest.raises(DocumentError, match="no part called crop"):
        take_parts(Look(), source, frozenset({"crop"}))
