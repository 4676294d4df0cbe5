"""The whole job through Chromium, as a photo editor does it."""

import re
import zipfile
from pathlib import Path

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import BrowserContext, Page, expect

from tests.conftest import DEMO

DEMO_SERIES = "/series/autumn-table"
WITHIN = ("gather", "read?colour=2", "read/compare", "shape", "carry", "trim", "handover")
SCREENS = ("/", "/glossary", "/nowhere", *(f"{DEMO_SERIES}/{screen}" for screen in WITHIN))


def value(page: Page, name: str):  # type: ignore[no-untyped-def]
    return page.get_by_role("slider", name=re.compile(f"^{name}")).first


def source(page: Page, selector: str) -> str:
    return page.locator(selector).first.get_attribute("src") or ""


@pytest.mark.parametrize("surround", ["light", "mid", "dark"])
def test_no_screen_breaks_an_accessibility_rule(page: Page, site: str, surround: str) -> None:
    page.context.add_cookies([{"name": "surround", "value": surround, "url": site}])
    for screen in SCREENS:
        page.goto(site + screen)
        assert page.locator("html").get_attribute("data-surround") == surround
        found = Axe().run(page)
        assert found.violations_count == 0, f"{screen} in {surround}: {found.generate_report()}"


def test_from_own_photos_to_finished_files(quiet: Page, site: str, bad_file: Path, tmp_path: Path) -> None:
    page = quiet
    page.goto(site)
    page.get_by_label("Start a series").fill("Winter fair")
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_text("This is where the series goes")).to_be_visible()
    photos = [DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2, 7)]
    page.locator('[data-input="frames"]').set_input_files([*photos, bad_file])
    expect(page.get_by_text("Refused: 1 file. All others were kept.")).to_be_visible()
    expect(page.get_by_text("3 frames in 2 set-ups")).to_be_visible()
    expect(page.get_by_text("not a picture that can be read")).to_be_visible()
    page.get_by_role("button", name="Clear").click()
    page.get_by_role("button", name="Make hero: AT-0101").click()
    expect(page.get_by_text("set-ups, hero AT-0101")).to_be_visible()

    page.get_by_role("link", name="Read references").click()
    page.locator('[data-input="references"]').set_input_files(DEMO / "stills" / "still_3_green_gold.jpg")
    expect(page.get_by_role("heading", name="Palette")).to_be_visible()
    still = page.locator("[data-still]").bounding_box()
    assert still
    page.mouse.move(still["x"] + still["width"] * 0.1, still["y"] + still["height"] * 0.1)
    page.mouse.down()
    page.mouse.move(still["x"] + still["width"] * 0.5, still["y"] + still["height"] * 0.9, steps=4)
    page.mouse.up()
    expect(page.locator("[data-here]")).to_have_text(re.compile(r"a patch: 3[12] %"))
    page.get_by_role("button", name="Colour family").click()
    page.mouse.click(still["x"] + still["width"] * 0.45, still["y"] + still["height"] * 0.5)
    expect(page.get_by_text(re.compile("a patch, one family")).first).to_be_visible()

    page.get_by_role("link", name="Shape the look").click()
    before = source(page, "[data-picture]")
    value(page, "Tone,").focus()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_text("Tone 75 to 74 %").first).to_be_visible()
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="Carry to all").click()
    expect(page.get_by_text("3 frames follow v1")).to_be_visible()

    page.get_by_role("link", name="Hand over").click()
    page.get_by_label("Names by pattern").fill("{series}-{number}")
    page.get_by_label("Long edge in pixels").fill("300")
    page.get_by_role("button", name="Make the files").click()
    expect(page.get_by_text("Finished", exact=True)).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download as ZIP").click()
    download.value.save_as(tmp_path / "files.zip")
    names = zipfile.ZipFile(tmp_path / "files.zip").namelist()
    assert names == [f"winter-fair/Winter fair-0{n}.jpg" for n in (1, 2, 3)]

    page.goto(site)
    page.locator("article", has_text="Winter fair").get_by_role("button", name="Delete…").click()
    page.get_by_role("button", name="Delete for good").click()
    expect(page.get_by_role("link", name="Winter fair")).to_have_count(0)


def test_shape_shows_the_draft_undoes_it_and_compares(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    first = source(page, "[data-picture]")
    strength = value(page, "Strength of the look")
    strength.focus()
    page.keyboard.type("40")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Strength of the look 100 to 40 %").first).to_be_visible()
    expect(strength).to_have_text("40")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", first)
    page.reload()
    expect(value(page, "Strength of the look")).to_have_text("40")
    page.get_by_role("button", name="Undo").click()
    expect(value(page, "Strength of the look")).to_have_text("100")
    expect(page.locator("[data-picture]")).to_have_attribute("src", first)
    page.get_by_role("button", name="Again").click()
    expect(value(page, "Strength of the look")).to_have_text("40")
    page.keyboard.press("u")
    expect(value(page, "Strength of the look")).to_have_text("100")
    step = page.get_by_role("checkbox", name="Tone", exact=True)
    step.uncheck()
    expect(page.get_by_text("Tone off").first).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("checkbox", name="Tone", exact=True)).to_be_checked()
    expect(page.locator("[data-picture]")).to_have_attribute("src", first)
    page.get_by_role("button", name="Split").click()
    expect(page.get_by_role("slider", name="Edge between before and after")).to_be_visible()
    page.get_by_role("button", name="Alone").click()
    expect(page.get_by_alt_text(re.compile("Reference"))).to_be_hidden()
    shown = source(page, "[data-picture]")
    page.locator("body").press("Tab")
    page.keyboard.down("o")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", shown)
    page.keyboard.up("o")
    expect(page.locator("[data-picture]")).to_have_attribute("src", shown)


def test_dragging_a_value_sideways_changes_it(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    warmth = value(page, "Warmth")
    box = warmth.bounding_box()
    assert box
    page.mouse.move(box["x"] + 3, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 63, box["y"] + 8, steps=12)
    page.mouse.up()
    expect(warmth).to_have_text("+20")
    expect(page.get_by_text("Warmth 0 to 20 %").first).to_be_visible()
    warmth.focus()
    page.keyboard.press("Backspace")
    expect(warmth).to_have_text("0")
    expect(page.get_by_text("Warmth 20 to 0 %").first).to_be_visible()


def test_two_windows_on_one_look_do_not_overwrite_each_other(context: BrowserContext, site: str) -> None:
    first, second = context.new_page(), context.new_page()
    for page in (first, second):
        page.goto(f"{site}{DEMO_SERIES}/shape")
    for page, text in ((first, "11"), (second, "12")):
        value(page, "Tint").focus()
        page.keyboard.type(text)
        page.keyboard.press("Enter")
        expect(page.get_by_text(re.compile("Tint 0 to|changed in another window")).first).to_be_visible()
    expect(second.get_by_text("changed in another window")).to_be_visible()
    expect(value(second, "Tint")).to_have_text("+11")
    second.get_by_role("button", name="Undo").click()
    expect(value(second, "Tint")).to_have_text("0")


def test_carry_shows_the_series_as_a_set(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/carry")
    expect(page.locator(".tile")).to_have_count(36)
    page.get_by_role("button", name=re.compile("Carry v")).click()
    expect(page.get_by_text(re.compile("36 frames follow"))).to_be_visible()
    drifts = [float(t) for t in re.findall(r"drift ([\d.]+)", " ".join(page.locator(".tile").all_inner_texts()))]
    assert len(drifts) == 36
    page.keyboard.press("d")
    expect(page).to_have_url(re.compile("sort=drift"))
    expect(page.locator(".tile").first).to_contain_text(f"drift {max(drifts):.1f}")
    page.go_back()
    expect(page.locator(".tile").first).to_contain_text("AT-0101")
    page.keyboard.press("o")
    expect(page.get_by_role("link", name="Original")).to_have_attribute("aria-current", "true")
    page.locator(".tile").nth(3).hover()
    expect(page.locator(".mark[data-lit]")).to_have_count(1)
    page.keyboard.press("l")
    value(page, "Pull").focus()
    page.keyboard.press("Home")
    expect(page.get_by_role("button", name=re.compile("Carry v"))).to_be_enabled()
    page.get_by_role("button", name="Undo").click()


def test_a_trim_stays_on_its_frame(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/trim")
    before = source(page, "[data-picture]")
    value(page, "Exposure").focus()
    page.keyboard.press("Shift+ArrowUp")
    expect(page.get_by_text("Exposure 0.00 to 0.50 EV")).to_be_visible()
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.goto(f"{site}{DEMO_SERIES}/carry")
    expect(page.locator(".tile", has_text="trimmed")).to_have_count(1)
    page.goto(f"{site}{DEMO_SERIES}/trim")
    page.get_by_role("button", name="Undo").click()
    expect(value(page, "Exposure")).to_have_text("0.00")
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)


def test_the_whole_job_from_the_keyboard_alone(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/gather")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("add photos")
    page.keyboard.press("Escape")
    page.keyboard.press("]")
    expect(page).to_have_url(re.compile("/read"))
    page.keyboard.press("p")
    page.keyboard.press("m")
    expect(page.get_by_text("a patch: 9 %").first).to_be_visible()
    _tab_to(page, "Patch 1 left")
    page.keyboard.press("ArrowRight")
    expect(value(page, "Patch 1 left")).to_have_text("36")
    page.keyboard.press("w")
    expect(page.locator("[data-here]")).to_have_text("whole still")
    page.keyboard.press("s")
    expect(page).to_have_url(re.compile("/shape"))
    _tab_to(page, "Saturation,")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_text("Saturation 0 to −1 %").first).to_be_visible()
    page.keyboard.press("c")
    expect(page).to_have_url(re.compile("/carry"))
    page.keyboard.press("]")
    expect(page.get_by_text("Nothing changed yet")).to_be_visible()
    page.keyboard.press("]")
    expect(page).to_have_url(re.compile("/handover"))
    page.keyboard.press("m")
    expect(page.get_by_text(re.compile("Being made|Waiting|Finished")).first).to_be_visible()
    expect(page.get_by_text("36 of 36 files")).to_be_visible()


def _tab_to(page: Page, name: str) -> None:
    for _ in range(120):
        page.keyboard.press("Tab")
        label = page.evaluate("document.activeElement.getAttribute('aria-label') ?? ''")
        if label.startswith(name):
            return
    raise AssertionError(f"{name} cannot be reached with Tab")


def test_from_a_clip_to_a_weighed_target_by_keyboard(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/read")
    page.keyboard.press("c")
    expect(page.get_by_text("0:00.00, frame 0")).to_be_visible()
    found = Axe().run(page)
    assert found.violations_count == 0, found.generate_report()
    for key in ("Home", "Shift+ArrowRight", "n", "n", "b"):
        page.keyboard.press(key)
    expect(page.get_by_text("0:01.04, frame 25")).to_be_visible()
    expect(page).to_have_url(re.compile("frame=25"))
    page.reload()
    page.keyboard.press("t")
    page.get_by_role("link", name="Salt Road 0:01.04").click()
    expect(page.get_by_role("region", name="Sampling Salt Road 0:01.04")).to_be_visible()
    for key, zone in (("ArrowUp", "shadow"), ("ArrowLeft", "highlight")):
        _tab_to(page, f"{zone} point, proposed")
        page.keyboard.press(f"Shift+{key}")
        expect(page.get_by_role("button", name=re.compile(f"^{zone} point: "))).to_be_visible()
    _tab_to(page, "Salt Road 0:01.04, weight for colour")
    page.keyboard.type("30")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", "Undo: Weights changed")
    bar = page.locator('[data-slot="target"] svg').first.get_attribute("aria-label")
    for _ in range(4):  # weight, two points, the still itself
        undo = page.get_by_role("button", name="Undo").get_attribute("title")
        page.keyboard.press("u")
        expect(page.get_by_role("button", name="Undo")).not_to_have_attribute("title", undo or "")
    expect(page.get_by_role("link", name="Salt Road 0:01.04")).to_have_count(0)
    assert page.locator('[data-slot="target"] svg').first.get_attribute("aria-label") != bar


def test_patches_points_and_palette_by_touch_and_mouse(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/read")
    box = page.locator("[data-still]").bounding_box()
    assert box
    outline = [(0.3, 0.3), (0.5, 0.2), (0.6, 0.5), (0.4, 0.6)]
    page.get_by_role("button", name="Outline").click()
    page.evaluate(
        """([places, box]) => {
            const still = document.querySelector("[data-still]");
            still.setPointerCapture = () => {};
            const tell = (kind, [x, y]) => still.dispatchEvent(new PointerEvent(kind, {
                bubbles: true, button: 0, pointerType: "touch", pointerId: 7,
                clientX: box.x + x * box.width, clientY: box.y + y * box.height,
            }));
            tell("pointerdown", places[0]);
            for (const place of places) tell("pointermove", place);
            tell("pointerup", places.at(-1));
        }""",
        [outline, box],
    )
    expect(page.get_by_text(re.compile(r"outline about 30 × 40"))).to_be_visible()
    page.get_by_role("button", name="leave out").first.click()
    expect(page.get_by_text("a part left out").first).to_be_visible()
    page.get_by_role("button", name="Points").click()
    page.mouse.click(box["x"] + box["width"] * 0.8, box["y"] + box["height"] * 0.35)
    expect(page.get_by_role("button", name=re.compile("^free point"))).to_be_visible()
    page.mouse.move(box["x"] + box["width"] * 0.9, box["y"] + box["height"] * 0.3)
    expect(page.locator("[data-here]")).to_have_text(re.compile(r"#[0-9a-f]{6}, L\* \d"))
    expect(page.locator("[data-loupe]")).to_be_visible()
    chart = page.locator("[data-chart] svg").bounding_box()
    assert chart
    page.mouse.move(chart["x"] + chart["width"] / 2, chart["y"] + chart["height"] * 0.35)
    expect(page.locator("[data-lit]")).to_have_attribute("src", re.compile("lit.png"))
    page.locator("[data-colour='0']").click()
    expect(page).to_have_url(re.compile("colour=0"))
    page.get_by_role("button", name="hold", exact=True).first.click()
    expect(page.get_by_text(re.compile(", held$"))).to_have_count(2)
    for _ in range(4):
        undo = page.get_by_role("button", name="Undo").get_attribute("title")
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="Undo")).not_to_have_attribute("title", undo or "")
    expect(page.locator("[data-here]")).to_have_text("whole still")


def test_a_colour_picked_in_the_frame_is_held_and_let_go(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    before = source(page, "[data-picture]")
    page.get_by_role("button", name="Hold a colour…").click()
    box = page.locator("[data-picture]").bounding_box()
    assert box
    page.mouse.click(box["x"] + box["width"] * 0.88, box["y"] + box["height"] * 0.24)  # the blue vase
    expect(page.get_by_text(re.compile(r"^Hold .*blue")).first).to_be_visible()
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="let go").click()
    expect(page.get_by_text(re.compile("No longer hold")).first).to_be_visible()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)


def test_a_pull_is_suggested_with_its_reason(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/carry")
    page.get_by_role("button", name="suggest a pull").click()
    note = page.get_by_text(re.compile(r"\d+ % is suggested: mean drift"))
    expect(note).to_be_visible()
    suggested = re.match(r"(\d+)", note.inner_text())
    assert suggested
    expect(value(page, "Pull")).to_have_text(suggested.group(1))


def test_a_look_is_made_by_handles_and_walked_back_by_branch(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    history = page.locator("[data-history]")
    column = page.locator('[data-share="4"]')
    before = source(page, "[data-picture]")
    box = column.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] - 20, steps=4)
    page.mouse.up()
    expect(history).to_contain_text("Master curve changed")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)
    page.get_by_role("button", name=re.compile("^Shadow tint")).focus()
    page.keyboard.press("Shift+ArrowLeft")
    expect(history).to_contain_text("Shadow hue the target's to")
    page.locator("[data-open=curve]").click()
    page.locator("[data-channel=blue]").click()
    field = page.locator("[data-curve] svg")
    field.scroll_into_view_if_needed()
    where = field.bounding_box()
    assert where
    page.mouse.move(where["x"] + where["width"] * 0.5, where["y"] + where["height"] * 0.5)
    page.mouse.down()
    page.mouse.move(where["x"] + where["width"] * 0.5, where["y"] + where["height"] * 0.4, steps=3)
    page.mouse.up()
    expect(history).to_contain_text("Blue curve changed")
    page.keyboard.press("h")
    dialog = page.get_by_role("dialog", name="History of this look")
    expect(dialog).to_contain_text("another branch")
    dialog.locator("li", has_text="Master curve changed").first.get_by_role("button", name="go there").click()
    page.keyboard.press("Escape")
    expect(history).to_contain_text("Master curve changed")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)


def test_zoom_shows_the_delivery_and_pans_both_pictures(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    page.keyboard.press("1")
    zoomed, beside = page.locator("[data-zoomed]"), page.locator("[data-zoomed-beside]")
    expect(zoomed).to_have_attribute("src", re.compile("frames/.*crop.png"))
    expect(beside).to_have_attribute("src", re.compile("references/.*crop.png"))
    first, other = source(page, "[data-zoomed]"), source(page, "[data-zoomed-beside]")
    page.locator("[data-mat]").focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(zoomed).not_to_have_attribute("src", first)
    expect(beside).not_to_have_attribute("src", other)
    expect(page).to_have_url(re.compile("zoom=1"))
    page.reload()
    expect(zoomed).to_have_attribute("src", re.compile("crop.png"))
    page.keyboard.press("f")
    expect(zoomed).to_be_hidden()
    page.keyboard.press("l")
    expect(page.locator("[data-clipping-picture]")).to_have_attribute("src", re.compile("clipping.png"))
    page.get_by_label("What stands beside the frame").select_option("strength 50")
    expect(page.locator("[data-reference-picture]")).to_have_attribute("alt", "The same frame under strength 50")


def test_ribbons_are_pinned_and_proofs_chosen(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    page.locator("[data-ribbon]").first.focus()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="leave where it is").locator("visible=true").click()
    expect(page.locator("[data-history]")).to_contain_text("Pairing pinned")
    expect(page.locator("[data-more=moves]")).to_contain_text("pinned at 0")
    page.get_by_role("button", name="set free").first.click()
    expect(page.locator("[data-history]")).to_contain_text("Pairing set free")
    page.get_by_role("button", name="choose the frames").click()
    for name in ("AT-0103", "AT-0110"):
        page.get_by_role("dialog").get_by_label(name).check()
    page.get_by_role("button", name="Try on these").click()
    expect(page.locator("[data-proofs] img")).to_have_count(2)
    page.get_by_role("button", name="choose the frames").click()
    page.get_by_role("button", name="The most different ones").click()
    expect(page.locator("[data-proofs] img")).to_have_count(6)
