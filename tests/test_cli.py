"""The command line, as people and scripts use it."""

import hashlib
import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from typer.testing import CliRunner, Result

from nuvett.cli import app
from nuvett.core.spaces.cielab import difference
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.table.cube import write_cube
from nuvett.core.table.table import grid
from nuvett.imaging.decode import decode
from nuvett.imaging.decoders.by_vips import source_space
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.opened import Limits
from tests.conftest import DEMO, load_rgb
from tools.camera import make_raw

STILL = str(DEMO / "stills" / "still_1_teal_amber.jpg")
FRAMES = [str(DEMO / "frames" / f"AT-010{n}.jpg") for n in (1, 2, 3)]


def run(*words: object) -> Result:
    return CliRunner().invoke(app, [str(word) for word in words])


def error_of(first: Path, second: Path) -> float:
    a, b = (to_linear((load_rgb(p)[::4, ::4] / 255).astype(np.float32)) for p in (first, second))
    return float(difference(a, b).mean())


def test_read_prints_what_was_sampled() -> None:
    found = json.loads(run("read", STILL, "--colours", 4, "--patch", "0,0,0.5,1").stdout)
    assert len(found["palette"]) == 4 and found["share"] == pytest.approx(0.5, abs=0.01)
    assert list(found["lightness"]) == ["0.02", "0.1", "0.25", "0.5", "0.75", "0.9", "0.98"]
    family = json.loads(run("read", STILL, "--family", "#e0a050", "--tolerance", 20).stdout)
    assert 0 < family["share"] < 0.5


def test_match_carries_a_look_reports_and_writes_the_shared_table(tmp_path: Path) -> None:
    cube, report, look = tmp_path / "look.cube", tmp_path / "report.json", tmp_path / "look.json"
    look.write_text('{"schema_version": 2, "pull": 100}')  # an earlier schema's amounts, which went further
    to = ("--out", tmp_path / "out", "--cube", cube, "--report", report)
    done = run("match", "--reference", f"{STILL}:2", "--look", look, *to, *FRAMES)
    assert done.exit_code == 0, done.output
    rows = json.loads(report.read_text())["photos"]
    assert [Path(row["written"]).name for row in rows] == ["AT-0101.jpg", "AT-0102.jpg", "AT-0103.jpg"]
    for row in rows:
        assert row["drift_after"]["value"] < 0.6 * row["drift_before"]["value"]
        assert 0 <= row["even"]["confidence"] <= 1 and row["steepest_slope"] < 2.3
    again = run("apply", "--cube", cube, "--out", tmp_path / "tables", FRAMES[0])
    assert again.exit_code == 0 and (tmp_path / "tables" / "AT-0101.jpg").exists()


def test_nothing_at_all_strengths_zero_gives_the_photo_back(tmp_path: Path) -> None:
    done = run(
        "match", "--reference", STILL, "--even", 0, "--strength", 0, "--format", "png", "--out", tmp_path, FRAMES[0]
    )
    assert done.exit_code == 0
    assert np.array_equal(load_rgb(tmp_path / "AT-0101.png"), load_rgb(Path(FRAMES[0])))


def test_numbers_of_steps_and_a_trim_are_given_on_the_command_line(tmp_path: Path) -> None:
    trim = tmp_path / "trim.json"
    trim.write_text('{"saturation": {"saturation": -100}}')
    common = ["match", "--reference", STILL, "--overwrite", "--format", "png", "--size", "120", FRAMES[0]]
    made = []
    for n, more in enumerate(
        ([], ["--set", "exposure.exposure=1"], ["--set", "exposure.exposure=0.5"], ["--trim", str(trim)])
    ):
        out = tmp_path / str(n)
        assert run(*common, "--out", str(out), *more).exit_code == 0
        made.append(load_rgb(out / "AT-0101.png").astype(int))
    plain, whole, half, grey = made
    assert whole.mean() > half.mean() + 5 > plain.mean() + 10
    assert np.ptp(grey, axis=2).max() <= 2
    for wrong, words in (
        ("gloss.amount=3", "no 'gloss.amount'"),
        ("tone.amount=900", "tone"),
        ("mono.on=x", "no 'mono.on'"),
    ):
        refused = run(*common, "--out", str(tmp_path), "--set", wrong)
        assert refused.exit_code == 2 and words in refused.stderr
    listed = run("steps").stdout
    assert "exposure.pivot: Pivot of contrast, 5 to 95 L*, usually 50 L*" in listed and "multiply" in listed


def test_without_a_reference_a_look_made_by_hand_is_carried_and_nothing_is_said_of_drift(tmp_path: Path) -> None:
    made = []
    common = ("match", "--format", "png", "--even", 0, "--report", tmp_path / "report.json", FRAMES[0])
    for name, more in (("plain", ()), ("lighter", ("--set", "exposure.exposure=0.5"))):
        done = run(*common, "--out", tmp_path / name, "--cube", tmp_path / f"{name}.cube", *more)
        assert done.exit_code == 0, done.output
        made.append(load_rgb(tmp_path / name / "AT-0101.png").astype(int))
        assert not {"drift_before", "drift_after"} & set(
            json.loads((tmp_path / "report.json").read_text())["photos"][0]
        )
    original = load_rgb(Path(FRAMES[0])).astype(int)
    assert np.abs(made[0] - original).max() <= 1 and made[1].mean() > original.mean() + 5


def test_a_thing_pointed_at_once_is_found_and_brought_together_in_all_photos(tmp_path: Path) -> None:
    photos = [DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 5, 12, 28)]
    bowl = "bowl=AT-0101.jpg@0.53,0.70"

    def matched(name: str, *more: str) -> list[dict[str, Any]]:
        to = ("--out", tmp_path / name, "--report", tmp_path / f"{name}.json")
        done = run("match", "--pull", 0, *to, *more, *photos)
        assert done.exit_code == 0, done.output
        return list(json.loads((tmp_path / f"{name}.json").read_text())["photos"])

    def apart(name: str) -> float:
        places = {"AT-0101": (0.53, 0.70), "AT-0112": (0.51, 0.70), "AT-0128": (0.53, 0.70)}
        found = []
        for photo, (x, y) in places.items():
            pixels = load_rgb(tmp_path / name / f"{photo}.jpg")
            row, column = int(y * pixels.shape[0]), int(x * pixels.shape[1])
            found.append(np.median(pixels[row - 8 : row + 8, column - 12 : column + 12].reshape(-1, 3), axis=0))
        lab = to_linear(np.array([found], dtype=np.float32) / 255)
        middle = np.broadcast_to(np.median(lab, axis=1, keepdims=True), lab.shape)
        return float(difference(lab, middle).mean())

    assert all("things" not in row for row in matched("free"))
    held = {Path(row["written"]).stem: row for row in matched("held", "--thread", bowl)}
    assert {name for name, row in held.items() if "things" in row} >= {"AT-0101", "AT-0112", "AT-0128"}
    assert "things" not in held["AT-0105"], "where it is not, nothing is found"
    for row in (row["things"]["bowl"] for row in held.values() if "things" in row):
        assert row["off_after"] <= row["off_before"]
    assert apart("held") < 0.7 * apart("free")
    blue = matched("blue", "--thread", bowl, "--thread", "bowl=#2f6f7f", "--within", "1")
    assert all(
        row["things"]["bowl"]["off_after"] < row["things"]["bowl"]["off_before"] for row in blue if "things" in row
    )
    for wrong, words in (
        ("bowl", "NAME=FILE@X,Y"),
        ("bowl=AT-0101.jpg@2,0", "outside the picture"),
        ("bowl=AT-0101.jpg@here", "two numbers"),
        ("bowl=#123456", "pointed at in no photo"),
        ("bowl=sky.jpg@0.5,0.5", "no sky.jpg among"),
    ):
        done = run("match", "--out", tmp_path / "none", "--thread", wrong, *photos)
        assert done.exit_code == 2 and words in " ".join(done.output.split())


def test_areas_of_a_look_and_geometry_of_a_trim_are_drawn(tmp_path: Path) -> None:
    look, trim = tmp_path / "look.json", tmp_path / "trim.json"
    grey = {"on": True, "area": {"parts": [{"kind": "subject", "inverted": True}]}, "saturation": {"saturation": -100}}
    look.write_text(json.dumps({"strength": 0, "even": {"on": False}, "areas": [grey]}))
    trim.write_text(json.dumps({"geometry": {"cut": [0.25, 0, 0.5, 1], "proportion": "free"}}))
    common = ["match", "--reference", STILL, "--format", "png", "--report", tmp_path / "report.json", FRAMES[1]]
    assert run(*common, "--out", tmp_path / "a", "--look", look, "--trim", trim).exit_code == 0
    made = load_rgb(tmp_path / "a" / "AT-0102.png").astype(int)
    original = load_rgb(Path(FRAMES[1])).astype(int)[:, 300:900]
    assert made.shape == (800, 600, 3)
    wall, apron = (slice(20, 120), slice(40, 140)), (slice(420, 560), slice(260, 340))
    assert np.ptp(made[wall], axis=2).max() <= 3
    assert np.abs(made[apron] - original[apron]).mean() < 3 < np.ptp(original[apron], axis=2).mean()
    look.write_text(json.dumps({"areas": [{"area": {"parts": [{"kind": "brush"}]}}]}))
    refused = run(*common, "--out", tmp_path / "b", "--look", look)
    assert refused.exit_code == 2 and "belongs to its frame" in refused.stderr


def test_what_a_lens_did_is_undone_in_raw_files_and_where_it_is_asked(tmp_path: Path) -> None:
    frame, raw, finished = Path(FRAMES[2]), tmp_path / "raw.dng", tmp_path / "finished.jpg"
    make_raw(frame, raw)
    facts = {"Make": "Tidewrack", "Model": "Maker One", "LensModel": "Tidewrack 35 mm F2"}
    tags = [f"-{name}={words}" for name, words in facts.items()]
    subprocess.run(["exiftool", "-q", "-FocalLength=35", "-FNumber=4", *tags, "-o", finished, frame], check=True)
    plain = ("--reference", STILL, "--even", 0, "--strength", 0, "--format", "png", raw, finished)
    undone: dict[str, list[bool]] = {}
    drift: dict[str, float] = {}
    for which in ("usual", "all", "none"):
        out, report = tmp_path / which, tmp_path / f"{which}.json"
        done = run("match", *plain, "--lenses", which, "--out", out, "--report", report)
        assert done.exit_code == 0, done.output
        rows = json.loads(report.read_text())["photos"]
        undone[which] = ["lens" in row for row in rows]
        drift[which] = rows[0]["drift_before"]["value"]
    assert undone == {"usual": [True, False], "all": [True, True], "none": [False, False]}
    assert drift["usual"] == drift["all"] != drift["none"]  # what is measured has the corners' light too
    words = json.loads((tmp_path / "usual.json").read_text())["photos"][0]["lens"]
    assert words == "Tidewrack 35 mm F2: distortion, fringes and dark corners undone"
    assert error_of(tmp_path / "usual" / "raw.png", frame) < 0.5 * error_of(tmp_path / "none" / "raw.png", frame)
    assert np.array_equal(load_rgb(tmp_path / "none" / "finished.png"), load_rgb(tmp_path / "usual" / "finished.png"))
    evened = run("even", "--base", frame, "--out", tmp_path / "even", "--report", tmp_path / "even.json", raw)
    assert evened.exit_code == 0 and "lens" in json.loads((tmp_path / "even.json").read_text())["photos"][0]


def test_even_brings_a_frame_to_its_base(tmp_path: Path) -> None:
    base = DEMO / "truth" / "AT-0102.jpg"
    done = run("even", "--base", base, "--out", tmp_path, FRAMES[1])
    assert done.exit_code == 0
    assert error_of(tmp_path / "AT-0102.jpg", base) < 0.5 * error_of(Path(FRAMES[1]), base)
    whole = load_rgb(tmp_path / "AT-0102.jpg").reshape(-1, 3).mean(axis=0)
    assert run("even", "--base", base, "--out", tmp_path / "dim", "--white", "0", FRAMES[1]).exit_code == 0
    came, dim = (load_rgb(Path(p)).reshape(-1, 3).mean(axis=0) for p in (FRAMES[1], tmp_path / "dim" / "AT-0102.jpg"))
    assert abs(dim[0] / dim[2] - came[0] / came[2]) < 0.3 * abs(whole[0] / whole[2] - came[0] / came[2])
    assert abs(dim.mean() - whole.mean()) < 0.3 * abs(came.mean() - whole.mean()), "exposure all the same"


def test_drift_prints_reasons(tmp_path: Path) -> None:
    rows = json.loads(run("drift", "--reference", STILL, *FRAMES).stdout)["photos"]
    assert "lighter than the target" in rows[1]["drift"]["words"]
    assert all(sum(r["share"] for r in row["drift"]["reasons"]) <= 1.001 for row in rows)


def test_one_bad_photo_is_reported_and_the_others_are_done(tmp_path: Path) -> None:
    bad = tmp_path / "bad.jpg"
    bad.write_text("not a picture")
    done = run("match", "--reference", STILL, "--out", tmp_path / "out", FRAMES[0], bad)
    assert done.exit_code == 1 and "bad.jpg" in done.output
    assert (tmp_path / "out" / "AT-0101.jpg").exists()


def test_nothing_is_overwritten_unless_asked(tmp_path: Path) -> None:
    words = ["even", "--base", FRAMES[0], "--out", tmp_path, FRAMES[1]]
    assert run(*words).exit_code == 0
    before = (tmp_path / "AT-0102.jpg").read_bytes()
    refused = run(*words, "--strength", 0)
    assert refused.exit_code == 1 and "--overwrite" in refused.output
    assert (tmp_path / "AT-0102.jpg").read_bytes() == before
    assert run(*words, "--strength", 0, "--overwrite").exit_code == 0
    assert (tmp_path / "AT-0102.jpg").read_bytes() != before


@pytest.mark.parametrize(
    "words",
    [
        ["read", "missing.jpg"],
        ["read", STILL, "--colours", "99"],
        ["read", STILL, "--patch", "0,0,2,2"],
        ["read", STILL, "--family", "blue"],
        ["match", "--look", "missing.json", "--out", "o", FRAMES[0]],
        ["match", "--reference", STILL, "--out", "o", "--hold", "hair", FRAMES[0]],
        ["match", "--reference", STILL, "--out", "o", "--space", "cmyk", FRAMES[0]],
        ["match", "--reference", STILL, "--out", "o", "--look", STILL, FRAMES[0]],
        ["match", "--reference", f"{STILL}:0", "--out", "o", FRAMES[0]],
        ["match", "--reference", STILL, "--out", "o", FRAMES[0], FRAMES[0]],
        ["apply", "--cube", STILL, "--out", "o", FRAMES[0]],
        ["even", "--base", "missing.jpg", "--out", "o", FRAMES[0]],
        ["drift", FRAMES[0]],
        ["glow"],
    ],
)
def test_impossible_requests_end_with_status_2_and_a_line(
    words: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    done = run(*words)
    assert done.exit_code == 2 and done.output.strip()
    assert "Traceback" not in done.output and not list(tmp_path.rglob("*.jpg"))


def test_infer_writes_a_table_and_says_how_far_to_trust_it(tmp_path: Path) -> None:
    assert run("match", "--reference", STILL, "--out", tmp_path / "out", FRAMES[0]).exit_code == 0
    cube = tmp_path / "found.cube"
    words = ["infer", "--before", FRAMES[0], "--after", tmp_path / "out" / "AT-0101.jpg", "--cube", cube]
    found = json.loads(run(*words).stdout)
    assert found["residual"] < 1 and cube.exists() and found["warnings"] == []
    assert run(*words).exit_code == 2  # it exists
    assert run(*words[:-1], tmp_path / "b.cube", "--before", FRAMES[1]).exit_code == 2


def test_an_identity_table_leaves_every_colour_of_a_wide_file_as_it_is(tmp_path: Path) -> None:
    red = np.zeros((40, 60, 3), np.uint8)
    red[..., :] = (240, 36, 18)  # of Display P3, which sRGB cannot show
    red[:, 30:] = (128, 128, 128)
    wide, cube = tmp_path / "wide.png", tmp_path / "identity.cube"
    wide.write_bytes(encode(red, Format.PNG, 90, Space.P3))
    cube.write_text(write_cube(grid(9), "identity"))
    assert run("apply", "--cube", cube, "--out", tmp_path / "out", wide).exit_code == 0
    picture = decode(tmp_path / "out" / "wide.png", Limits())
    assert picture.domain is Space.WIDE and source_space(tmp_path / "out" / "wide.png") is Space.P3
    made, given = (decode(path, Limits()).pixels.astype(int) for path in (tmp_path / "out" / "wide.png", wide))
    assert np.abs(made - given).max() <= 300, "of 65535"
    grey = (grid(9).mean(axis=-1, keepdims=True) * np.ones(3)).astype(np.float32)
    cube.write_text(write_cube(grey, "grey"))
    for strength, spread in ((100, 2), (50, 200)):
        words = ("apply", "--cube", cube, "--strength", strength, "--overwrite", "--out", tmp_path / "out", wide)
        assert run(*words).exit_code == 0
        made = decode(tmp_path / "out" / "wide.png", Limits()).pixels.astype(int) // 256
        assert np.ptp(made[10, 10]) <= spread and (strength == 100 or np.ptp(made[10, 10]) > 20)


def test_a_look_with_a_lookup_table_finds_it_beside_itself_or_where_it_is_said(tmp_path: Path) -> None:
    folder, elsewhere = tmp_path / "look", tmp_path / "elsewhere"
    folder.mkdir(), elsewhere.mkdir()
    cube = elsewhere / "evening.cube"
    cube.write_text(write_cube((grid(9) ** 2).astype(np.float32), "evening"))
    digest = hashlib.sha256(cube.read_bytes()).hexdigest()
    look = folder / "look.json"
    look.write_text(json.dumps({"strength": 100, "table": {"on": True, "table": digest, "called": "Evening"}}))
    words = ["match", "--reference", STILL, "--look", look, "--size", "90", "--overwrite", "--format", "png"]
    refused = run(*words, "--out", tmp_path / "out", FRAMES[0])
    assert refused.exit_code == 2 and "Evening" in refused.stderr and not (tmp_path / "out").exists()
    assert run(*words, "--out", tmp_path / "given", "--table", cube, FRAMES[0]).exit_code == 0
    (folder / "other name.cube").write_bytes(cube.read_bytes())
    assert run(*words, "--out", tmp_path / "beside", FRAMES[0]).exit_code == 0
    given, beside = (load_rgb(tmp_path / name / "AT-0101.png").astype(int) for name in ("given", "beside"))
    look.write_text(json.dumps({"strength": 100}))
    assert run(*words, "--out", tmp_path / "plain", FRAMES[0]).exit_code == 0
    plain = load_rgb(tmp_path / "plain" / "AT-0101.png").astype(int)
    assert np.array_equal(given, beside) and plain.mean() > given.mean() + 20


def test_files_are_sharpened_kept_small_and_credited_as_the_application_does(tmp_path: Path) -> None:
    words = ["match", "--reference", STILL, "--size", "300", "--overwrite", "--creator", "Ann Example", FRAMES[0]]
    made = {}
    for name, more in (("plain", []), ("sharp", ["--sharpen", "strong"]), ("small", ["--most-kilobytes", "14"])):
        assert run(*words, "--out", tmp_path / name, *more).exit_code == 0
        made[name] = tmp_path / name / "AT-0101.jpg"
    plain, sharp = (load_rgb(made[name]).astype(float) for name in ("plain", "sharp"))
    assert np.abs(np.diff(sharp, axis=1)).mean() > 1.1 * np.abs(np.diff(plain, axis=1)).mean()
    assert made["small"].stat().st_size <= 14_000 < made["plain"].stat().st_size
    said = subprocess.run(["exiftool", "-s3", "-Artist", made["plain"]], capture_output=True, text=True, check=True)
    assert said.stdout.strip() == "Ann Example"
    assert run(*words, "--out", tmp_path, "--sharpen", "wildly").exit_code == 2


def test_a_raw_file_and_the_picture_beside_it_are_one_photo(tmp_path: Path) -> None:
    raw, beside = tmp_path / "AT-0103.dng", tmp_path / "AT-0103.jpg"
    make_raw(Path(FRAMES[2]), raw)
    beside.write_bytes(Path(FRAMES[2]).read_bytes())
    words = ["match", "--reference", STILL, "--even", 0, "--strength", 0, "--format", "png", "--overwrite"]
    done = run(*words, "--out", tmp_path / "out", raw, beside)
    assert done.exit_code == 0 and [p.name for p in (tmp_path / "out").iterdir()] == ["AT-0103.png"]
    assert error_of(tmp_path / "out" / "AT-0103.png", beside) < 6
    assert run(*words, "--out", tmp_path / "out", raw, raw).exit_code == 2


def test_an_area_is_brought_to_a_part_and_set_ups_arrive_in_ways_of_their_own(tmp_path: Path) -> None:
    look = tmp_path / "look.json"
    wall = {"parts": [{"kind": "colour", "colour": [0.62, 0.0, 0.005], "tolerance": 25}], "edges": True}
    common = ["match", "--reference", STILL, "--format", "png", "--look", look, FRAMES[0]]
    part = ["--part", f"corner={STILL}:0,0,0.3,0.3"]
    made = []
    for name, document, more in (
        ("plain", {}, []),
        ("aimed", {"areas": [{"area": wall, "aim": "corner"}]}, part),
        ("gone", {"areas": [{"area": wall, "aim": "corner"}]}, []),
        ("steps", {"setups": [{"setup": "1", "way": "steps"}]}, []),
        ("other", {"setups": [{"setup": "2", "way": "steps"}]}, []),
    ):
        look.write_text(json.dumps(document))
        done = run(*common, *more, "--out", tmp_path / name)
        assert done.exit_code == 0, done.output
        made.append(load_rgb(tmp_path / name / "AT-0101.png").astype(int))
    plain, aimed, gone, steps, other = made
    assert np.abs(aimed - plain).mean() > 3 and np.abs(gone - plain).max() <= 1
    assert np.abs(steps - plain).mean() > 3 and np.array_equal(other, plain)
    for wrong in (["--part", "corner"], ["--part", f"corner={STILL}:1,2"]):
        assert run(*common, *wrong, "--out", tmp_path / "x").exit_code == 2
    assert run("match", *part, "--out", tmp_path / "x", FRAMES[0]).exit_code == 2
