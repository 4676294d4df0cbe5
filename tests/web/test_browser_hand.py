"""Through Chromium: frames without any still, one finished by hand, its look carried in two ways, handed over."""

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

from tests.conftest import DEMO
from tests.web.driving import arrive, bring_in, value

NAMES = ("AT-0101", "AT-0102", "AT-0103", "AT-0107", "AT-0108")


def no_violations(page: Page) -> None:
    found = Axe().run(page).response["violations"]
    assert not found, [(one["id"], one["nodes"][0]["html"][:160]) for one in found]


def begin(page: Page, site: str, title: str = "By hand") -> str:
    """A series of five frames without any reference, evened; its address."""
    page.goto(f"{site}/")
    made = page.request.post(f"{site}/series", form={"title": title}, headers={"origin": site})
    address = made.url.removesuffix("/gather")
    for name in NAMES:
        data = (DEMO / "frames" / f"{name}.jpg").read_bytes()
        file = {"name": f"{name}.jpg", "mimeType": "image/jpeg", "buffer": data}
        page.request.post(f"{address}/frames", multipart={"file": file}, headers={"origin": site})
    for _ in range(240):
        page.goto(f"{address}/by-setup")
        if page.get_by_text("there is no target: all set-ups do").count():
            page.goto(f"{address}/carry")
            if page.locator("[data-large]").count() == len(NAMES):
                return str(address)
        page.wait_for_timeout(500)
    raise AssertionError("the frames were not measured in time")


def test_a_frame_finished_by_hand_becomes_the_look_of_its_series(quiet: Page, site: str) -> None:
    page, address = quiet, begin(quiet, site)
    page.goto(f"{address}/shape")
    expect(page.get_by_text("Wait for a target:")).to_be_visible()
    for step, name, keys in (("exposure", "Exposure, EV", 8), ("white", "Warmth", 12)):
        bring_in(page, step)
        for _ in range(keys):
            value(page, name).press("ArrowUp")
        expect(page.locator("[data-history]")).to_contain_text(re.compile(name.split(",")[0]))
    page.goto(f"{address}/read")
    page.get_by_role("button", name="Take a frame…").click()
    expect(page.get_by_role("button", name="As finished")).to_have_attribute("aria-pressed", "true")
    page.locator("#frames form button").first.click()
    expect(page.get_by_text("As it is finished now")).to_be_visible()
    page.get_by_label("Name of a part").fill("wall")
    page.get_by_role("button", name="Keep", exact=True).first.click()
    expect(page.get_by_role("button", name="Take the part wall away")).to_be_visible()
    page.goto(f"{address}/shape")
    page.get_by_role("button", name="Fit it to the target").click()
    expect(page.get_by_label("Way Arrives by")).to_have_value("both")
    page.get_by_role("link", name="By set-up…").click()
    arrive(page, "/by-setup")
    columns = page.locator("[data-part] [aria-pressed=true]")
    expect(columns).to_have_count(2)
    expect(page.get_by_text("In the hero’s own light the same steps")).to_be_visible()
    no_violations(page)
    page.get_by_role("button", name="Each set-up as proposed").click()
    expect(page.locator("[aria-label$=': the same steps'][aria-pressed=true]")).to_have_count(1)
    expect(columns).to_have_count(2)
    page.goto(f"{address}/carry")
    expect(page.get_by_text("Carries to 4 frames:")).to_be_visible()
    page.get_by_role("button", name="Carry v2 to all").click()
    expect(page.get_by_role("button", name="v2 is carried")).to_be_disabled()
    expect(page.get_by_text("1 frame follows v1")).to_be_visible()
    boxes = page.locator("[data-choose-tile]")
    for place in (0, 1):
        boxes.nth(place).check(force=True)
    page.get_by_role("button", name="See beside each other").click()
    arrive(page, "/beside")
    expect(page.locator("[data-beside-mat]")).to_have_count(2)
    no_violations(page)
    with page.expect_navigation():
        page.get_by_role("button", name="a quarter").first.click()
    expect(page.locator("[data-beside-mat]")).to_have_count(2)
    page.locator("[data-beside-mat]").first.click(position={"x": 200, "y": 200})
    expect(page.locator("[data-part-of]:visible")).to_have_count(2)
    page.keyboard.press("0")
    expect(page.locator("[data-part-of]:visible")).to_have_count(0)
    page.goto(f"{address}/handover")
    expect(page.get_by_text("5 of 5 frames follow the look")).to_be_visible()
    page.get_by_role("button", name="Make the files").click()
    expect(page.locator("[data-queue]").get_by_text(re.compile("5 files"))).to_be_visible()
    page.request.post(f"{address}/duplicate", headers={"origin": site})
    page.goto(f"{address}/trim")
    bring_in(page, "saturation")
    value(page, "Saturation").press("Shift+ArrowUp")
    expect(page.locator("[data-history]")).to_contain_text("Saturation 0 to 10 %")
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    page.get_by_label("Frames of").select_option(label="By hand copy")
    page.locator("#same").get_by_role("button", name="its set-up").wait_for(state="hidden")
    page.locator("#same").get_by_role("button", name="all", exact=True).click()
    no_violations(page)
    page.get_by_role("button", name="Do the same", exact=True).click()
    expect(page.get_by_text("Done to 5 frames of By hand copy")).to_be_visible()
    # The hero itself follows the look that it was finished by, which had no target.
    page.get_by_role("button", name="Next frame").click()
    expect(page.locator("[data-frame-choice] option:checked")).to_contain_text("AT-0102")
    expect(page.locator("[data-history]")).to_contain_text("Toward AT-0101: ")  # a quarter of the way, as was asked
    page.locator("[data-add-area=straight]").click()
    aim = page.get_by_label("Part that the area is brought to")
    expect(aim.locator("option", has_text="wall")).to_have_count(1)
    aim.select_option(index=1)
    expect(page.locator("[data-history]")).to_contain_text("brought to a part of a reference")
