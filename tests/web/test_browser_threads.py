"""Through Chromium: a thing pointed at in two frames, asked about, its outline changed by key, named, undone."""

import re

from playwright.sync_api import Page, expect

from tests.web.test_browser_hand import begin, no_violations

BOWL = {"AT-0101": (0.53, 0.74), "AT-0107": (0.45, 0.6)}


def test_a_thing_is_followed_from_frame_to_frame(quiet: Page, site: str) -> None:
    page, address = quiet, begin(quiet, site, "Threads")
    page.goto(f"{address}/carry")
    page.get_by_role("link", name="Threads").click()
    expect(page.get_by_text("on a thing in any frame")).to_be_visible()
    expect(page.locator("[data-thread]")).to_contain_text("Faces, medium, 1 frame")
    for name, (x, y) in BOWL.items():
        plate = page.get_by_role("button", name=f"{name}: point at the thing")
        box = plate.bounding_box()
        assert box is not None
        plate.click(position={"x": x * box["width"], "y": y * box["height"]})
        expect(page.get_by_role("button", name=f"{name}: seen here")).to_be_visible()
        expect(page.locator("[data-waiting]")).to_have_count(0)
        if name == "AT-0101":  # another bowl stands in that frame
            expect(page.get_by_role("button", name="yes: AT-0102")).to_be_visible()
            no_violations(page)
            page.keyboard.press("n")
            expect(page.locator("[data-question]")).to_have_count(0)
    thread = page.locator("[data-thread]:has([aria-current])")
    expect(thread).to_have_count(1)
    expect(thread).to_contain_text("2 frames")
    expect(page.locator("[data-go-tile]")).to_have_count(2)
    page.get_by_label("Called").fill("the blue bowl")
    page.get_by_label("Called").press("Enter")
    expect(thread).to_contain_text("the blue bowl")
    line = page.locator("[data-tile] .thread-over").first
    before = line.get_attribute("d")
    plate = page.get_by_role("button", name="AT-0101: seen here")
    plate.focus()
    page.keyboard.press("+")
    expect(line).not_to_have_attribute("d", before or "")
    page.keyboard.press("-")
    expect(line).to_have_attribute("d", before or "")
    box = plate.bounding_box()
    assert box is not None
    tile = page.locator("[data-tile]").first
    for count, keys in ((1, []), (2, ["Alt"])):
        for key in keys:
            page.keyboard.down(key)
        page.mouse.move(box["x"] + 0.5 * box["width"], box["y"] + 0.72 * box["height"])
        page.mouse.down()
        page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 0.9 * box["height"], steps=6)
        page.mouse.up()
        for key in keys:
            page.keyboard.up(key)
        expect(tile).to_have_attribute("data-strokes", re.compile(r"^\[" + ", ".join([r"\{[^}]+\}"] * count) + r"\]$"))
    for left in (1, 0):
        page.get_by_role("button", name="Undo").click()
        expect(tile).to_have_attribute("data-strokes", re.compile(r"^\[" + r"\{[^}]+\}" * left + r"\]$"))
    page.get_by_label("Should be").select_option("a colour as given")
    page.get_by_label("Colour", exact=True).fill("#2f6f7f")
    page.get_by_label("Colour", exact=True).press("Enter")
    expect(page.get_by_label("Colour", exact=True)).to_have_value("#2f6f7f")
    expect(page.get_by_text(re.compile(r"^2 threads, \d"))).to_be_visible()
    no_violations(page)
    page.get_by_role("button", name="AT-0107: seen here").focus()
    page.keyboard.press("Delete")
    expect(thread).to_contain_text("1 frame")
    page.get_by_role("button", name="Undo").click()
    expect(thread).to_contain_text("2 frames")
    plate = page.get_by_role("button", name="AT-0108: point at the thing")
    plate.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(thread).to_contain_text("3 frames")
    page.reload()
    expect(thread).to_contain_text("3 frames")
    page.get_by_role("button", name="follow it no longer").click()
    expect(thread).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(thread).to_contain_text("the blue bowl")
