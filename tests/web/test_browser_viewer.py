"""The viewer and the sheet through Chromium: large pictures, what acts, greys, trims, before and after."""

import re

import httpx2
import pytest
from playwright.sync_api import Page, expect

from tests.web.driving import DEMO_SERIES, bring_in, place, source, value

_MEASURED = """() => {
    const box = (selector) => document.querySelector(selector).getBoundingClientRect();
    const [plate, proofs, words, mat, beside] =
        ["[data-plate]", ".proofs", ".viewer-words", "[data-mat]", "[data-mat-beside]"].map(box);
    const stage = box(".stage-pictures");
    return {
        width: plate.width, aspect: plate.width / plate.height,
        below: proofs.bottom - innerHeight, onProofs: words.bottom - proofs.top,
        sideways: document.documentElement.scrollWidth - innerWidth,
        downwards: document.documentElement.scrollHeight - innerHeight,
        share: (mat.width * mat.height + beside.width * beside.height) / (stage.width * stage.height),
    };
}"""


@pytest.mark.parametrize(("size", "beside", "alone"), [((1280, 800), 560, 880), ((1920, 1080), 900, 1250)])
def test_the_picture_is_large_and_proofs_stay_in_view(
    quiet: Page, site: str, size: tuple[int, int], beside: int, alone: int
) -> None:
    page = quiet
    page.set_viewport_size({"width": size[0], "height": size[1]})
    for address, least in (
        ("shape", beside),
        ("shape?open=moves", beside),
        ("shape?arrange=alone", alone),
        ("trim", beside),
    ):
        page.goto(f"{site}{DEMO_SERIES}/{address}")
        expect(page.locator("[data-picture]")).to_be_visible()
        found = page.evaluate(_MEASURED)
        assert found["width"] >= least and found["aspect"] == pytest.approx(1.5, abs=0.01), address
        assert found["below"] <= 0 and found["onProofs"] <= 1, address
        assert found["sideways"] <= 0 and found["downwards"] <= 0, address
    page.goto(f"{site}{DEMO_SERIES}/shape?zoom=1")
    expect(page.locator("[data-zoomed]")).to_be_visible()
    assert page.evaluate(_MEASURED)["share"] >= 0.5


def test_before_and_after_are_split_at_full_size_too_and_overlays_lie_over_them(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape?zoom=1")
    after, before = page.locator("[data-zoomed]"), page.locator("[data-zoomed-before]")
    expect(after).to_be_visible()
    expect(before).to_be_hidden()
    page.get_by_role("button", name="Split").click()
    expect(before).to_be_visible()
    edge = page.locator("[data-mat] > [data-edge]")
    edge.press("Shift+ArrowRight")
    mat, box = place(page, page.locator("[data-mat]")), place(page, edge)
    assert box["x"] + box["width"] / 2 - mat["x"] == pytest.approx(0.6 * mat["width"], abs=1.5)
    ends = before.evaluate("image => { const box = image.getBoundingClientRect(); return [box.left, box.width]; }")
    right = float(re.findall(r"[\d.]+", before.evaluate("image => image.style.clipPath"))[1]) / 100
    assert ends[0] + (1 - right) * ends[1] == pytest.approx(mat["x"] + 0.6 * mat["width"], abs=1.5)
    seen = place_of(source(page, "[data-zoomed-before]"))
    assert seen == place_of(source(page, "[data-zoomed]")), "the edge was moved, and not the picture"
    page.mouse.move(mat["x"] + 60, mat["y"] + 60)
    page.mouse.down()
    page.mouse.move(mat["x"] + 20, mat["y"] + 60, steps=3)
    page.mouse.up()
    for image in ("[data-zoomed]", "[data-zoomed-before]"):
        expect(page.locator(image)).not_to_have_attribute("src", re.compile(re.escape(seen)))
    assert place_of(source(page, "[data-zoomed-before]")) == place_of(source(page, "[data-zoomed]"))
    page.get_by_role("button", name="Alone").click()
    expect(before).to_be_hidden()
    expect(after).to_be_visible()
    page.get_by_role("button", name="Clipping").click()
    overlay = page.locator("[data-zoomed-veil]")
    expect(overlay).to_be_visible()
    assert place(page, overlay) == place(page, after)
    page.get_by_role("button", name="Clipping").click()
    expect(overlay).to_be_hidden()


def place_of(address: str) -> str:
    """The part of a frame that an address of a crop asks for."""
    return address.partition("place=")[2]


def test_the_usual_sheet_fits_on_one_screen_and_folds_what_does_nothing(quiet: Page, site: str) -> None:
    page = quiet
    with httpx2.Client(base_url=f"{site}{DEMO_SERIES}", headers={"accept": "application/json"}) as client:
        kept = client.get("/look").json()  # as other tests have left it
        usual = {"document": {}, "revision": kept["revision"]}
        assert client.put("/look", json=usual).status_code == 200
    page.goto(f"{site}{DEMO_SERIES}/shape")
    sheet = page.locator("[data-sheet]")
    sheet.evaluate("() => document.fonts.ready")  # until they are there, words are wider
    assert sheet.evaluate("sheet => sheet.scrollHeight <= sheet.clientHeight")
    expect(sheet.locator("[data-idle-line]")).to_contain_text("Palette wash")
    expect(sheet.get_by_text("lays a palette over")).to_be_hidden()
    expect(page.locator("[data-slot-place=chart] svg")).to_have_count(0)
    page.locator("[data-bring=wash]").click()
    expect(sheet.get_by_text("lays a palette over")).to_be_visible()
    expect(value(page, "Palette wash, %")).to_be_focused()
    page.get_by_role("checkbox", name="Palette wash").click()
    expect(sheet.get_by_text("lays a palette over")).to_be_hidden()
    page.locator("[data-bring=wash]").click()
    expect(sheet.get_by_text("lays a palette over")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(sheet.locator("[data-idle-line]")).to_contain_text("Palette wash")
    expect(sheet.get_by_text("Palette wash off")).to_be_hidden()


def test_black_and_white_is_made_on_the_frames_own_colours(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    history = page.locator("[data-history]")
    bring_in(page, "mono")
    greys = page.locator("[data-slot-place] [data-grey]")
    expect(greys).to_have_count(6)
    before = source(page, "[data-picture]")
    richest = "all => all.map(e => Math.hypot(...JSON.parse(e.dataset.lab).slice(1)))"
    chromas = greys.evaluate_all(richest)
    grey = greys.nth(chromas.index(max(chromas)))
    box = place(page, grey)
    page.mouse.move(box["x"] + 10, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 10, box["y"] - 20, steps=5)
    page.mouse.up()
    expect(history).to_contain_text("lighter in black-and-white")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    expect(page.locator("[data-more=mono]")).to_contain_text("reaching 40°")
    grey.focus()
    now = float(grey.get_attribute("aria-valuenow") or 0)
    page.keyboard.press("Shift+ArrowDown")
    expect(grey).not_to_have_attribute("aria-valuenow", str(now))
    expect(grey).to_be_focused()
    page.get_by_role("button", name="Reset Black-and-white").click()
    expect(page.locator("[data-bring=mono]")).to_be_visible()


def test_the_colour_under_the_pointer_is_said_as_it_came_and_is_and_what_the_target_has(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    box = place(page, page.locator("[data-plate]"))
    page.mouse.move(box["x"] + box["width"] * 0.88, box["y"] + box["height"] * 0.24)
    readout = page.locator("[data-readout]")
    expect(readout).to_contain_text(re.compile(r"came .*blue.*L\* \d+.*now .*L\* \d+.*target .*ΔE away", re.S))


def test_a_trim_has_the_sheet_of_a_look_with_its_own_history(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/trim")
    before = source(page, "[data-picture]")
    bring_in(page, "curve")
    expect(page.locator("[data-slot-place=curve] svg")).to_be_visible()
    field = place(page, page.locator("[data-slot-place=curve] svg"))
    page.mouse.move(field["x"] + field["width"] * 0.5, field["y"] + field["height"] * 0.5)
    page.mouse.down()
    page.mouse.move(field["x"] + field["width"] * 0.5, field["y"] + field["height"] * 0.35, steps=4)
    page.mouse.up()
    expect(page.locator("[data-history]")).to_contain_text("Master curve changed")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    trimmed = source(page, "[data-picture]")
    page.keyboard.down("o")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", trimmed)
    expect(page.locator("[data-picture]")).to_have_attribute("alt", "AT-0102, original")
    page.keyboard.up("o")
    page.get_by_role("button", name="Split").click()
    expect(page.get_by_role("slider", name="Edge between before and after")).to_be_visible()
    page.reload()
    expect(page.locator("[data-sheet]").get_by_text("master curve changed")).to_be_visible()
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Nothing changed yet")).to_be_visible()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)


def test_a_frame_is_seen_large_in_the_place_of_the_board_and_beside_a_reference(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/gather")
    page.get_by_role("button", name="See AT-0104 large").click()
    large = page.locator("[data-large-view]")
    expect(large.get_by_alt_text(re.compile("^AT-0104, "))).to_be_visible()
    expect(large.get_by_alt_text(re.compile("^Reference"))).to_be_visible()
    expect(page.get_by_text("36 frames")).to_be_hidden()
    page.keyboard.press("b")
    expect(large.get_by_alt_text(re.compile("^AT-0103, "))).to_be_visible()
    page.get_by_label("What stands beside the frame").select_option("original")
    expect(large.get_by_alt_text("The same frame: original")).to_be_visible()
    expect(page).to_have_url(re.compile("large="))
    page.keyboard.press("Escape")
    expect(page.get_by_text("36 frames")).to_be_visible()
