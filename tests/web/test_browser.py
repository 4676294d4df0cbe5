"""The whole job through Chromium, as a photo editor does it."""

import re
import zipfile
from pathlib import Path

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import BrowserContext, Page, Route, expect

from tests.conftest import DEMO
from tests.web.driving import DEMO_SERIES, arrive, place, source, tab_to, value

WITHIN = ("gather", "read?colour=2", "read/compare", "shape", "carry", "trim", "handover")
BOOK = ("/lookbook?series=autumn-table", "/lookbook/work/out", f"{DEMO_SERIES}/health")
SCREENS = ("/", "/glossary", "/nowhere", *BOOK, *(f"{DEMO_SERIES}/{screen}" for screen in WITHIN))


def test_no_screen_breaks_an_accessibility_rule_in_any_surround(page: Page, site: str) -> None:
    for screen in SCREENS:
        page.goto(site + screen)
        for surround in ("light", "mid", "dark"):
            page.evaluate("surround => { document.documentElement.dataset.surround = surround }", surround)
            # What a surround changes is its colours.
            found = Axe().run(page, options={"runOnly": ["cat.color"]} if surround != "light" else None)
            assert found.violations_count == 0, f"{screen} in {surround}: {found.generate_report()}"
            assert page.evaluate("document.documentElement.scrollHeight <= innerHeight"), (
                f"{screen} is longer than it shows in {surround}"
            )
            page.context.add_cookies([{"name": "surround", "value": surround, "url": site}])
            asked = page.request.get(site + screen, headers={"accept": "text/html"})
            assert f'data-surround="{surround}"' in asked.text()


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
    expect(page.locator("[aria-current] [data-stage-count]")).to_have_text("3")
    expect(page.get_by_text("not a picture that can be read")).to_be_visible()
    page.get_by_role("button", name="Clear").click()
    page.get_by_role("button", name="Make hero: AT-0101").click()
    expect(page.get_by_text("set-ups, hero AT-0101")).to_be_visible()

    page.get_by_role("link", name="Read references").click()
    page.locator('[data-input="references"]').set_input_files(DEMO / "stills" / "still_3_green_gold.jpg")
    expect(page.get_by_role("heading", name="Palette")).to_be_visible()
    still = place(page, page.locator("[data-still]"))
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
    expect(page.get_by_text("Tone 65 to 64 %").first).to_be_visible()
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="Carry to all").click()
    expect(page.get_by_text("3 frames follow v1")).to_be_visible()

    page.get_by_role("link", name="Hand over").click()
    page.get_by_label("Names by pattern").fill("{series}-{number}")
    page.get_by_label("Size").select_option("long edge")
    page.get_by_label("Pixels", exact=True).fill("300")
    expect(page.get_by_text("Winter fair-01.jpg to Winter fair-03.jpg: 3 files of 3 frames.")).to_be_visible()
    page.get_by_role("button", name="Make the files").click()
    expect(page.get_by_text("Finished", exact=True)).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download as ZIP").click()
    download.value.save_as(tmp_path / "files.zip")
    names = zipfile.ZipFile(tmp_path / "files.zip").namelist()
    assert names == [f"winter-fair/Winter fair-0{n}.jpg" for n in (1, 2, 3)]

    page.goto(site)
    row = page.locator("article", has_text="Winter fair")
    row.get_by_role("button", name="Rename, duplicate, put away or delete").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_role("link", name="Winter fair")).to_have_count(0)
    bin = page.get_by_role("region", name="Bin")
    bin.get_by_role("button", name="Bring back").click()
    expect(page.get_by_role("link", name="Winter fair")).to_be_visible()
    page.get_by_role("button", name="Rename, duplicate, put away or delete Winter fair").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete", exact=True).click()
    bin.get_by_role("button", name="Remove for good").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove for good").click()
    expect(bin).to_have_count(0)


def test_two_windows_on_one_look_keep_the_changes_of_both(context: BrowserContext, site: str) -> None:
    first, second = context.new_page(), context.new_page()
    for page in (first, second):
        page.goto(f"{site}{DEMO_SERIES}/shape")
        page.locator("[data-bring=white]").click()

    def set_to(page: Page, name: str, number: str) -> None:
        value(page, name).focus()
        page.keyboard.type(number)
        page.keyboard.press("Enter")

    set_to(first, "Tint", "11")
    expect(first.get_by_text("Tint 0 to 11 %").first).to_be_visible()
    set_to(second, "Warmth,", "7")
    expect(second.get_by_text("changed in another window, too")).to_be_visible()
    expect(value(second, "Tint")).to_have_text("+11 %")
    set_to(first, "Tint", "12")  # which does not know of the warmth yet
    expect(first.get_by_text("changed in another window, too")).to_be_visible()
    expect(value(first, "Warmth,")).to_have_text("+7 %")
    second.get_by_role("button", name="Undo").click()  # of a state that is not the newest any more
    expect(second.get_by_text("was changed in another window")).to_be_visible()
    expect(value(second, "Tint")).to_have_text("+12 %")
    for words in ("Tint 11 to 12", "Warmth 0 to 7", "Tint 0 to 11"):
        expect(second.locator("[data-history]")).to_contain_text(words)
        second.get_by_role("button", name="Undo").click()
    expect(second.locator("[data-history]")).to_contain_text("Nothing changed yet")


def test_what_is_changed_while_an_undo_is_under_way_is_done_to_what_it_leads_to(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    history = page.locator("[data-history]")

    def set_to(name: str, number: str) -> None:
        value(page, name).focus()
        page.keyboard.type(number)
        page.keyboard.press("Enter")

    set_to("Tone,", "40")
    expect(history).to_contain_text("Tone 65 to 40 %")
    held: list[Route] = []
    page.route("**/look/undo", lambda route: held.append(route))
    page.get_by_role("button", name="Undo").click()
    page.wait_for_timeout(100)
    set_to("Strength of the look", "80")  # while the answer is on its way
    expect(value(page, "Strength of the look")).to_have_text("80 %")
    held[0].continue_()
    page.unroute("**/look/undo")
    expect(history).to_contain_text("Strength of the look 100 to 80 %")
    expect(value(page, "Tone,")).to_have_text("65 %")
    expect(value(page, "Strength of the look")).to_have_text("80 %")
    page.reload()
    expect(value(page, "Tone,")).to_have_text("65 %")
    expect(value(page, "Strength of the look")).to_have_text("80 %")
    page.keyboard.press("Control+z")
    expect(value(page, "Strength of the look")).to_have_text("100 %")
    page.keyboard.press("Control+Shift+z")
    expect(value(page, "Strength of the look")).to_have_text("80 %")
    page.keyboard.press("Control+z")
    expect(value(page, "Strength of the look")).to_have_text("100 %")


def test_carry_shows_the_series_as_a_set(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/carry")
    expect(page.locator(".tile")).to_have_count(36)
    page.get_by_role("button", name=re.compile("Carry v")).click()
    expect(page.get_by_text(re.compile("36 frames follow"))).to_be_visible()
    drifts = [float(t) for t in re.findall(r"drift ([\d.]+)", " ".join(page.locator(".tile").all_inner_texts()))]
    assert len(drifts) == 36
    page.keyboard.press("q")
    expect(page).to_have_url(re.compile("sort=drift"))
    expect(page.locator(".tile").first).to_contain_text(f"drift {max(drifts):.1f}")
    page.go_back()
    expect(page.locator(".tile").first).to_contain_text("AT-0101")
    page.locator(".tile").nth(1).focus()
    page.keyboard.press("x")
    large = page.locator("[data-large-view]")
    expect(large.get_by_role("img", name="AT-0102, carried, v")).to_be_visible()
    page.keyboard.press("n")
    expect(large.get_by_role("img", name="AT-0103, carried, v")).to_be_visible()
    shown = source(page, "[data-large-view] [data-picture]")
    page.keyboard.down("o")
    expect(large.locator("[data-picture]")).not_to_have_attribute("src", shown)
    page.keyboard.up("o")
    page.keyboard.press("Escape")
    expect(page.locator(".tile").nth(1)).to_be_visible()
    page.keyboard.press("o")
    expect(page.get_by_role("link", name="Original")).to_have_attribute("aria-current", "true")
    page.locator(".tile").nth(3).hover()
    expect(page.locator(".mark[data-lit]")).to_have_count(1)
    page.keyboard.press("l")
    value(page, "Pull").focus()
    page.keyboard.press("Home")
    expect(page.get_by_role("button", name=re.compile("Carry v"))).to_be_enabled()
    page.get_by_role("button", name="Undo").click()


def test_an_older_wall_never_appears_over_a_newer_one(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/carry")
    held: list[Route] = []
    page.route("**/carry/wall?show=original*", lambda route: held.append(route))
    with page.expect_request("**/carry/wall?show=original*"):
        page.get_by_role("link", name="Original").click()
    page.get_by_role("link", name="Evened").click()
    expect(page.get_by_role("link", name="Evened")).to_have_attribute("aria-current", "true")
    with page.expect_response("**/carry/wall?show=original*") as late:
        held[0].continue_()
    late.value.finished()
    page.evaluate("new Promise((resolve) => setTimeout(resolve, 200))")
    expect(page.get_by_role("link", name="Evened")).to_have_attribute("aria-current", "true")
    expect(page.locator(".tile")).to_have_count(36)


def test_what_takes_long_is_seen_and_can_be_stopped(quiet: Page, site: str) -> None:
    page, held = quiet, []
    page.goto(f"{site}{DEMO_SERIES}/carry")
    before = page.locator("[data-shown-state]").get_attribute("data-shown-state") or ""
    waits, stop = page.locator("#waits"), page.locator("#waits").get_by_role("button", name="stop")
    page.route("**/carry/wall?show=original*", lambda route: held.append(route))
    with page.expect_request("**/carry/wall?show=original*"):
        page.get_by_role("link", name="Original", exact=True).click()
    expect(waits.locator("i")).to_be_visible()
    expect(page.get_by_text("At work for")).to_be_visible()
    stop.click()
    expect(page.locator("#said")).to_have_text("Stopped. Nothing was changed.")
    expect(waits).to_be_hidden()
    expect(page.locator("[data-shown-state]")).to_have_attribute("data-shown-state", before)


def test_a_trim_stays_on_its_frame(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/trim")
    before = source(page, "[data-picture]")
    page.locator("[data-bring=exposure]").click()
    expect(value(page, "Exposure, EV")).to_be_focused()
    page.keyboard.press("Shift+ArrowUp")
    expect(page.get_by_text("Exposure 0.00 to 0.50 EV").first).to_be_visible()
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.goto(f"{site}{DEMO_SERIES}/carry")
    expect(page.locator(".tile", has_text="trimmed")).to_have_count(1)
    page.goto(f"{site}{DEMO_SERIES}/trim")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-bring=exposure]")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Nothing changed yet")).to_be_visible()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)


def test_the_whole_job_from_the_keyboard_alone(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/gather")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("add photos")
    page.keyboard.press("Escape")
    page.keyboard.press("]")
    arrive(page, "/read")
    page.keyboard.press("p")
    page.keyboard.press("c")
    expect(page.get_by_text("a patch: 9 %").first).to_be_visible()
    tab_to(page, "Patch 1 left")
    page.keyboard.press("ArrowRight")
    expect(value(page, "Patch 1 left")).to_have_text("36")
    page.keyboard.press("Escape")
    page.keyboard.press("w")
    expect(page.locator("[data-here]")).to_have_text("whole still")
    page.keyboard.press("s")
    arrive(page, "/shape")
    page.keyboard.press("+")
    expect(page.locator("[data-more=white]")).to_be_visible()
    tab_to(page, "Warmth,")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_text("Warmth 0 to −1 %").first).to_be_visible()
    for letter in ("C", "c"):  # at a value, and in lower case, it is no key
        page.keyboard.press(letter)
    page.keyboard.press("Escape")
    page.keyboard.press("u")
    expect(value(page, "Warmth")).to_have_text("0 %")  # and White is idle again for the tests that follow
    page.keyboard.press(".")
    expect(page.get_by_role("button", name="Original")).to_be_focused()
    page.keyboard.press("c")
    arrive(page, "/shape")
    page.keyboard.press("C")
    arrive(page, "/carry")
    page.keyboard.press("]")
    arrive(page, "/trim")
    expect(page.get_by_text("Nothing changed yet")).to_be_visible()
    page.keyboard.press("]")
    arrive(page, "/handover")
    page.keyboard.press("M")
    expect(page.get_by_text(re.compile("Being made|Waiting|Finished")).first).to_be_visible()
    expect(page.get_by_text("36 of 36 files")).to_be_visible()


def test_a_pull_is_suggested_with_its_reason(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/carry")
    page.get_by_role("button", name="suggest how much").click()
    note = page.get_by_text(re.compile(r"\d+ % is suggested: frames come"))
    expect(note).to_be_visible()
    suggested = re.match(r"(\d+)", note.inner_text())
    assert suggested
    before = value(page, "Pull").inner_text()
    expect(value(page, "Pull")).to_have_text(before)  # nothing is set before it is asked for
    page.get_by_role("button", name=f"Use {suggested.group(1)} %").click()
    expect(value(page, "Pull")).to_have_text(f"{suggested.group(1)} %")
