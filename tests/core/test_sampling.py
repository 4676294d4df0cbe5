"""Where a reference is read and what a hand decides about its palette."""

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nuvett.core.errors import DocumentError, InvalidChangeError, TooFewPixelsError
from nuvett.core.reading import edits
from nuvett.core.reading.family import Family
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.points import disc_colour
from nuvett.core.reading.reading import Reading, Weighed, blend, read, zone_colours
from nuvett.core.reading.regions import Patch, Point, Sampling, patch_mask, sampling_weights
from nuvett.core.reading.swatches import FORMATS, read_palette, write_palette
from nuvett.core.reading.words import describe_sampling, differences
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.types import Linear
from tests import strategies as ours

WHOLE = Sampling()
LEFT, TRIANGLE = Patch.rectangle(0, 0, 0.5, 1), Patch(kind="outline", points=((0.1, 0.1), (0.9, 0.1), (0.1, 0.9)))


@pytest.fixture(scope="module")
def proxy(still: np.ndarray) -> Linear:
    return to_linear((still / 255).astype(np.float32))


def labs(palette: Palette) -> np.ndarray:
    return np.array([c.lab for c in palette])


def test_patches_join_and_what_is_left_out_is_taken_from_them(proxy: Linear) -> None:
    both = sampling_weights(proxy, Sampling(patches=(LEFT, Patch.rectangle(0.25, 0, 0.5, 1))))
    assert both.mean() == pytest.approx(0.75, abs=0.01)
    out = Patch.rectangle(0, 0, 0.25, 1, leave_out=True)
    assert sampling_weights(proxy, Sampling(patches=(LEFT, out))).mean() == pytest.approx(0.25, abs=0.01)
    assert sampling_weights(proxy, Sampling(patches=(out,))).mean() == pytest.approx(0.75, abs=0.01)
    assert patch_mask((400, 600), TRIANGLE).mean() == pytest.approx(0.32, abs=0.005)


@pytest.mark.parametrize(
    "patch",
    [
        {"kind": "outline", "points": [(0.1, 0.1), (0.2, 0.2)]},
        {"points": [(0.1, 0.1), (0.2, 0.2), (0.3, 0.3)]},
        {"points": [(0.1, 0.1), (1.2, 0.2)]},
        {"points": [(0.1, 0.1), (0.1, 0.9)]},
    ],
)
def test_an_unusable_patch_is_refused(patch: dict[str, object]) -> None:
    with pytest.raises(ValueError, match=r"patch|rectangle|outline"):
        Patch.model_validate(patch)


def test_a_range_of_tones_reads_only_those(proxy: Linear) -> None:
    dark = read(proxy, Sampling(tone=(0, 40)))
    assert max(c.lch[0] for c in dark.palette) < 0.55
    assert 0.2 < dark.share < 0.8
    with pytest.raises(ValueError, match="darker to a lighter"):
        Sampling(tone=(60, 20))


def test_families_add_up_and_one_that_matches_nothing_is_refused_in_words(proxy: Linear) -> None:
    palette = read(proxy).palette
    one, two = (Family(colour=tuple(float(v) for v in palette[i].lab), tolerance=15) for i in (0, -1))  # type: ignore[arg-type]
    shares = [sampling_weights(proxy, Sampling(families=f)).mean() for f in ((one,), (two,), (one, two))]
    assert max(shares[:2]) < shares[2] <= sum(shares[:2]) + 1e-6
    with pytest.raises(TooFewPixelsError, match="wider tolerance"):
        read(proxy, Sampling(families=(Family(colour=(0.5, -0.3, 0.3), tolerance=0),)))


def test_a_sampling_kept_in_schema_1_is_read_as_it_was_meant() -> None:
    old = {"schema_version": 1, "patch": [0.1, 0.2, 0.3, 0.4], "family": {"colour": [0.5, 0.1, 0.1]}, "colours": 4}
    found = Sampling.model_validate(old)
    assert found.patches[0].box == pytest.approx((0.1, 0.2, 0.3, 0.4))
    assert found.families[0].tolerance == 30 and found.colours == 4
    assert Sampling.model_validate_json(found.model_dump_json()) == found


def test_points_are_proposed_where_their_zone_is_seen_and_can_be_placed(proxy: Linear) -> None:
    plain = read(proxy)
    assert [p.point.kind for p in plain.points] == ["shadow", "midtone", "highlight"]
    for point in plain.points:
        assert np.abs(point.lab - zone_colours(plain.statistics)[point.point.kind]).max() < 0.08
    placed = Point(kind="shadow", x=0.8, y=0.35, radius=0.02)  # on the amber pot
    leant = read(proxy, Sampling(points=(placed,)))
    found = zone_colours(leant.statistics)["shadow"]
    wanted = disc_colour(proxy, placed)
    before = zone_colours(plain.statistics)["shadow"]
    assert np.linalg.norm(found[1:] - wanted[1:]) < 0.5 * np.linalg.norm(before[1:] - wanted[1:])
    assert np.allclose(leant.statistics.lightness, plain.statistics.lightness, atol=1e-5)


def test_a_disc_averages_what_it_covers_even_at_the_edge() -> None:
    picture = np.zeros((100, 100, 3), np.float32)
    picture[:, 50:] = 0.5
    half = disc_colour(picture, Point(kind="free", x=0.5, y=0.5, radius=0.1))
    assert half == pytest.approx(linear_to_oklab(np.full((1, 3), 0.25, np.float32))[0], abs=0.01)
    assert disc_colour(picture, Point(kind="free", x=1, y=1)) == pytest.approx(
        linear_to_oklab(picture[99, 99]), abs=1e-6
    )


def test_a_free_point_is_a_colour_of_the_palette_that_moves_with_it(proxy: Linear) -> None:
    for x in (0.05, 0.8):
        point = Point(kind="free", x=x, y=0.35)
        palette = read(proxy, Sampling(points=(point,))).palette
        assert np.abs(labs(palette) - disc_colour(proxy, point)).max(axis=1).min() < 1e-5


@settings(max_examples=12)
@given(ours.seeds, st.integers(3, 9), st.integers(0, 2))
def test_a_held_colour_stays_while_the_others_are_found_again(seed: int, count: int, index: int) -> None:
    picture = to_linear(ours.cloud(seed)).reshape(40, 50, 3)
    first = read(picture, Sampling(colours=count))
    held = edits.hold(first.sampling, first.palette, min(index, len(first.palette) - 1))
    moved = read(picture, held.model_copy(update={"patches": (Patch.rectangle(0, 0, 0.7, 1),)}))
    kept = [c for c in moved.palette if c.held]
    assert len(kept) == 1 and kept[0].lab == pytest.approx(first.palette[min(index, len(first.palette) - 1)].lab)
    assert sum(c.share for c in moved.palette) == pytest.approx(1, abs=1e-5)
    assert len(moved.palette) <= count


def test_nudging_leaving_out_and_merging(proxy: Linear) -> None:
    first = read(proxy)
    nudged = edits.nudge(first.sampling, first.palette, 2, (0.5, 0.12, 200))
    after = read(proxy, nudged)
    turned = next(c for c in after.palette if c.held)
    assert turned.lch == pytest.approx((0.5, 0.12, 200), abs=0.01)
    assert turned.share == pytest.approx(first.palette[2].share, abs=0.15), "it goes on standing for the same colours"
    without = read(proxy, edits.drop(first.sampling, first.palette, len(first.palette) - 1))
    gone = first.palette[-1].lab
    assert len(without.palette) == 5 and np.linalg.norm(labs(without.palette) - gone, axis=1).min() > 0.03
    merged = read(proxy, edits.merge(first.sampling, first.palette, 0, 1))
    assert len(merged.palette) == 5 and sum(c.held for c in merged.palette) == 1
    assert edits.find_again(merged.sampling).edits == WHOLE.edits


def test_edits_reach_the_target_and_what_frames_are_moved_to(proxy: Linear) -> None:
    first = read(proxy)
    green = read(proxy, edits.nudge(first.sampling, first.palette, 3, (0.6, 0.15, 140)))
    target = blend([Weighed(reading=green, tone=50, colour=50), Weighed(reading=first, tone=50, colour=50)])
    assert any(c.held and c.lch[2] == pytest.approx(140, abs=1) for c in target.palette)


@pytest.mark.parametrize(
    "change",
    [
        lambda s, p: edits.hold(s, p, 9),
        lambda s, p: edits.merge(s, p, 1, 1),
        lambda s, p: edits.nudge(s, p, 0, (0.5, 0.9, 10)),
        lambda s, p: edits.drop(s, p[:2], 0),
        lambda s, p: edits.use_palette(s, ((0.5, 0, 0),)),
    ],
)
def test_an_impossible_edit_says_so(proxy: Linear, change) -> None:  # type: ignore[no-untyped-def]
    first = read(proxy)
    with pytest.raises(InvalidChangeError):
        change(first.sampling, first.palette)


@pytest.mark.parametrize("kind", FORMATS)
def test_a_palette_survives_being_written_and_read(proxy: Linear, kind: str) -> None:
    palette = read(proxy).palette
    text = write_palette(palette, "Lamp & <sea>", kind)
    assert all(c.hex in text for c in palette)
    if kind in ("svg", "card"):
        assert "&lt;sea&gt;" in text
        return
    back = read_palette(text.encode(), f"lamp.{kind}")
    assert [c.hex for c in back.colours] == [c.hex for c in palette]
    assert back.name == ("lamp" if kind == "css" else "Lamp & <sea>")


def test_tokens_of_other_spaces_groups_and_aliases_are_read_and_other_kinds_passed_over() -> None:
    tokens = {
        "Sea": {
            "$type": "color",
            "deep": {"$value": {"colorSpace": "srgb", "components": [0, 0, 1]}},
            "again": {"$value": "{Sea.deep}"},
            "far": {"shore": {"$value": {"colorSpace": "oklab", "components": [0.6, 0.1, "none"]}}},
            "wide": {"$value": {"colorSpace": "rec2020", "components": [1, 0, 0], "hex": "#ff0000"}},
            "gap": {"$type": "dimension", "$value": {"value": 4, "unit": "px"}},
        }
    }
    back = read_palette(json.dumps(tokens).encode(), "x.tokens.json")
    assert back.name == "Sea" and [c.hex for c in back.colours[:2]] == ["#0000ff"] * 2
    assert back.colours[2].lab == pytest.approx((0.6, 0.1, 0)) and back.colours[3].hex == "#ff0000"
    assert [c.share for c in back.colours] == [0.25] * 4


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"\xff\xfe\x00", "not text"),
        (b"", "No colours"),
        (b"{", "not valid JSON"),
        (b'{"schema": 7, "colours": []}', "schema 7"),
        (b'{"colours": [{"hex": "red"}, "#123456"]}', "#rrggbb"),
        (b'{"a": {"$type": "color", "x": {"$value": "{a.y}"}, "y": {"$value": "{a.x}"}}}', "leads nowhere"),
        (b'{"a": {"$type": "color", "x": {"$value": {"colorSpace": "hsl", "components": [1]}}}}', "named space"),
        (b"a { color: #123456 }", "1 colours"),
        (("[" + ",".join(['"#123456"'] * 13) + "]").encode(), "13 colours"),
        (b"[" * 100_000, "not valid JSON"),
    ],
)
def test_a_bad_palette_file_is_refused_in_words(data: bytes, words: str) -> None:
    with pytest.raises(DocumentError, match=words):
        read_palette(data, "bad.txt")


def test_changes_and_differences_are_put_into_words(proxy: Linear) -> None:
    patched = Sampling(patches=(LEFT,))
    assert describe_sampling(WHOLE, patched) == "Patch added"
    assert describe_sampling(patched, WHOLE) == "No patch any more"
    assert describe_sampling(WHOLE, Sampling(tone=(0, 40), colours=8)) == "Tones 0 to 40 and palette of 8"
    placed = Sampling(points=(Point(kind="shadow", x=0.5, y=0.5),))
    moved = Sampling(points=(Point(kind="shadow", x=0.6, y=0.5),))
    assert describe_sampling(WHOLE, placed) == "Shadow point placed"
    assert describe_sampling(placed, moved) == "Shadow point moved"
    dark: Reading = read(proxy * np.float32(0.3))
    said = differences(dark, read(proxy), "the first")
    assert "darker" in said[0] and "the first" in said[0]
    assert json.dumps(said)
