"""Trim through Chromium: areas by mouse, pen and keyboard, straighten and crop, the same for many, variants."""

import re
from collections.abc import Iterator
from typing import Any

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.web.driving import DEMO_SERIES, bring_in, place, source, value

PICTURE = "[data-picture]"
_PEN = """async ([kind, x, y, pressure]) => {
    const plate = document.querySelector("[data-plate]");
    const box = plate.getBoundingClientRect();
    const at = { clientX: box.left + x * box.width, clientY: box.top + y * box.height };
    const target = kind === "pointerdown" ? document.querySelector("[data-shapes]") : plate;
    target.dispatchEvent(new PointerEvent(kind, {
        bubbles: true, cancelable: true, button: 0, pointerType: "pen", pointerId: 5, pressure, ...at,
    }));
}"""


@pytest.fixture
def trimming(quiet: Page, site: str) -> Iterator[Page]:
    """A frame that nothing was done to, on Trim; what was done to it is taken off afterwards."""
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/trim")
    frame = page.locator("[data-frame-choice] option", has_text="AT-0110").get_attribute("value")
    page.goto(f"{site}{DEMO_SERIES}/trim?frame={frame}")
    expect(page.locator("[data-area]")).to_have_count(0)
    yield page
    page.request.post(f"{site}{DEMO_SERIES}/trims/off", data={"frames": [frame]}, headers={"origin": site})


def history(page: Page) -> Any:
    return page.locator("[data-history]")


def drag(page: Page, selector: str, dx: float, dy: float) -> None:
    box = place(page, page.locator(selector))
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()


def test_a_round_is_drawn_and_moved_by_mouse_and_shows_where_it_is(trimming: Page) -> None:
    page = trimming
    before = source(page, PICTURE)
    page.locator("[data-add-area=round]").click()
    expect(history(page)).to_contain_text("Area: A radial area")
    drag(page, '[data-shape-handle="0.middle"]', 0, -60)
    expect(history(page)).to_contain_text("A radial area: moved")
    drag(page, '[data-shape-handle="0.soft"]', 0, -30)
    expect(history(page)).to_contain_text("A radial area: Feather 60 to")
    page.locator('[data-bring="areas.0.exposure"]').click()
    exposure = page.locator('[data-name="areas.0.exposure.exposure"]')
    expect(exposure).to_be_focused()
    page.keyboard.press("Shift+ArrowDown")
    expect(history(page)).to_contain_text("A radial area: Exposure 0.00 to −0.50 EV")
    expect(page.locator(PICTURE)).not_to_have_attribute("src", before)
    page.get_by_role("button", name="Show where").click()
    expect(page.locator("[data-veil-picture]")).to_have_attribute("src", re.compile("what=where"))
    assert Axe().run(page).violations_count == 0
    page.reload()
    expect(page.locator('[data-shape-handle="0.middle"]')).to_be_visible()  # the address names the area
    for words in ("brought in", "Feather", "moved", "Area: A radial area"):
        page.get_by_role("button", name="Undo").click()
        expect(history(page)).to_contain_text(words)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator(PICTURE)).to_have_attribute("src", before)
    expect(page.locator("[data-shape-handle]")).to_have_count(0)


def test_a_pen_brushes_by_pressure_and_a_lost_pen_leaves_its_stroke(trimming: Page) -> None:
    page = trimming
    page.locator("[data-add-area=brush]").click()
    expect(page.locator("[data-shapes][data-brushing]")).to_be_attached()
    expect(value(page, "Radius of the brush")).to_be_visible()
    page.keyboard.press(">")
    expect(value(page, "Radius of the brush")).to_have_text("4.6 %")
    page.evaluate(_PEN, ["pointerdown", 0.3, 0.3, 0.2])
    for step in range(1, 6):
        page.evaluate(_PEN, ["pointermove", 0.3 + 0.05 * step, 0.3, 0.2 + 0.15 * step])
    page.evaluate(_PEN, ["pointercancel", 0.55, 0.3, 0])
    expect(history(page)).to_contain_text("a stroke brushed")
    document = page.request.get(page.url.split("?")[0].replace("/trim", f"/frames/{_frame(page)}/trim")).json()[
        "document"
    ]
    (stroke,) = document["areas"][0]["area"]["parts"][0]["strokes"]
    assert len(stroke["points"]) == 6 and stroke["radius"] == 4.6
    assert [point[2] for point in stroke["points"]] == pytest.approx([0.2, 0.35, 0.5, 0.65, 0.8, 0.95])
    page.keyboard.press("e")
    page.evaluate(_PEN, ["pointerdown", 0.4, 0.3, 1])
    page.evaluate(_PEN, ["pointerup", 0.4, 0.3, 1])
    expect(history(page)).to_contain_text("a stroke erased")
    page.get_by_role("button", name="dodge").click()
    expect(history(page)).to_contain_text("Dodge")
    expect(value(page, "Flow of the brush")).to_have_text("12 %")


def _frame(page: Page) -> str:
    found = re.search(r"frame=([0-9a-f-]+)", page.url)
    assert found
    return found.group(1)


def test_areas_are_made_and_changed_from_the_keyboard_alone(trimming: Page) -> None:
    page = trimming
    page.keyboard.press("a")
    expect(history(page)).to_contain_text("Area: A radial area")
    page.locator('[data-shape-handle="0.across"]').focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(history(page)).to_contain_text("Reach across, of the long edge 15.0 to")
    page.locator("[data-add-area=brush]").focus()
    page.keyboard.press("Enter")
    expect(page.locator("[data-shapes][data-brushing]")).to_be_attached()
    page.locator("[data-shapes]").focus()
    for key in ("Enter", "Shift+ArrowRight", "Shift+ArrowRight", "Shift+ArrowDown", "Enter"):
        page.keyboard.press(key)
    expect(history(page)).to_contain_text("a stroke brushed")
    page.locator("[data-join-part='1']").select_option("skin")
    expect(history(page)).to_contain_text("the skin joined")
    page.get_by_role("button", name="invert").last.click()
    expect(history(page)).to_contain_text("inverted")


def test_a_frame_is_straightened_and_cut(trimming: Page) -> None:
    page = trimming
    page.keyboard.press("g")
    expect(page.locator('[data-cut-handle="se"]')).to_be_visible()
    expect(page.get_by_text(re.compile(r"long\s+lines"))).to_be_visible()
    drag(page, '[data-cut-handle="se"]', -150, -90)
    expect(history(page)).to_contain_text("Cropped")
    page.locator("[data-proportion]").select_option("1:1")
    expect(history(page)).to_contain_text("Proportion 1 : 1")
    page.get_by_role("button", name="draw along a line").click()
    box = place(page, page.locator("[data-plate]"))
    page.mouse.move(box["x"] + 80, box["y"] + 200)
    page.mouse.down()
    page.mouse.move(box["x"] + 480, box["y"] + 220, steps=3)
    page.mouse.up()
    expect(history(page)).to_contain_text("Straightened by 0.0 to −2.9°")
    page.locator('[data-cut-handle="move"]').focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(history(page)).to_contain_text("Cropped")
    assert Axe().run(page).violations_count == 0
    page.keyboard.press("g")
    expect(page.locator('[data-cut-handle="se"]')).to_have_count(0)
    expect(page.get_by_text("straightened by −2.9°, cropped to 1 : 1")).to_be_visible()
    page.wait_for_function(
        "() => { const p = document.querySelector('[data-picture]');"
        " return Math.abs(p.naturalWidth - p.naturalHeight) <= 2; }"
    )
    page.wait_for_function(  # the plate takes the shape of its picture once that is laid out
        "() => { const r = document.querySelector('[data-plate]').getBoundingClientRect();"
        " return r.width > 0 && Math.abs(r.width - r.height) <= 0.02 * r.height; }"
    )


def test_frames_are_chosen_on_the_wall_and_trimmed_alike(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/carry")
    page.locator(".tile").nth(8).focus()
    page.keyboard.press(" ")
    page.locator(".tile").nth(10).click(modifiers=["Shift"])
    page.locator(".tile").nth(14).click(modifiers=["Control"])
    expect(page.get_by_text("4 frames chosen")).to_be_visible()
    page.reload()
    expect(page.get_by_text("4 frames chosen")).to_be_visible()
    page.get_by_role("button", name="Trim them…").click()
    expect(page).to_have_url(re.compile("/trim"))
    bring_in(page, "white")
    page.keyboard.press("Shift+ArrowUp")
    expect(history(page)).to_contain_text("Warmth 0 to 10 %")
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    page.get_by_role("button", name="those chosen on the wall").click()
    page.get_by_role("button", name="Do the same", exact=True).click()
    expect(page.get_by_text("Done to 3 frames")).to_be_visible()
    page.keyboard.press("k")
    page.get_by_role("button", name="Make it").click()
    expect(page.locator("[data-frame-choice]")).to_contain_text("black-and-white")
    page.goto(f"{site}{DEMO_SERIES}/carry")
    expect(page.locator(".tile", has_text="trimmed")).to_have_count(5)
    page.get_by_role("button", name="those trimmed").click()
    expect(page.get_by_text("5 frames chosen")).to_be_visible()
    page.get_by_role("button", name="Take trims off").click()
    expect(page.locator(".tile", has_text="trimmed")).to_have_count(0)
    page.get_by_role("button", name="none", exact=True).click()
    page.locator("[data-frame]", has_text="black-and").locator("[data-choose-tile]").check(force=True)
    page.get_by_role("button", name="Take out").click()
    expect(page.locator(".tile")).to_have_count(36)
