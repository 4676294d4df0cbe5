"""Read through Chromium: clips, patches, points and palettes, by keyboard, mouse and touch."""

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.web.driving import DEMO_SERIES, place, tab_to


def test_from_a_clip_to_a_weighed_target_by_keyboard(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/read")
    page.keyboard.press("k")
    expect(page.get_by_text("0:00.00, frame 0")).to_be_visible()
    found = Axe().run(page)
    assert found.violations_count == 0, found.generate_report()
    for key in ("Home", "Shift+ArrowRight", "n", "n", "b"):
        page.keyboard.press(key)
    expect(page.get_by_text("0:01.04, frame 25")).to_be_visible()
    expect(page).to_have_url(re.compile("frame=25"))
    page.reload()
    page.keyboard.press("a")
    page.get_by_role("link", name="Salt Road 0:01.04").click()
    expect(page.get_by_role("region", name="Sampling Salt Road 0:01.04")).to_be_visible()
    for key, zone in (("ArrowUp", "shadow"), ("ArrowLeft", "highlight")):
        tab_to(page, f"{zone} point, proposed")
        page.keyboard.press(f"Shift+{key}")
        expect(page.get_by_role("button", name=re.compile(f"^{zone} point: "))).to_be_visible()
    tab_to(page, "Salt Road 0:01.04, weight for colour")
    page.keyboard.type("30")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", "Undo: Weights changed")
    bar = page.locator('[data-slot="target"] svg').first.get_attribute("aria-label")
    page.keyboard.press("u")  # at a value letters are no keys
    page.keyboard.press("Escape")
    for _ in range(4):  # weight, two points, the still itself
        undo = page.get_by_role("button", name="Undo").get_attribute("title")
        page.keyboard.press("u")
        expect(page.get_by_role("button", name="Undo")).not_to_have_attribute("title", undo or "")
    expect(page.get_by_role("link", name="Salt Road 0:01.04")).to_have_count(0)
    assert page.locator('[data-slot="target"] svg').first.get_attribute("aria-label") != bar


def test_patches_points_and_palette_by_touch_and_mouse(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/read")
    box = place(page, page.locator("[data-still]"))
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
    chart = place(page, page.locator("[data-chart] svg"))
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
