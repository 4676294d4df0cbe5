"""What the tests through Chromium share."""

import re
from typing import Any

from playwright.sync_api import Locator, Page, expect

DEMO_SERIES = "/series/autumn-table"
_PLACE = """element => {
    element.scrollIntoView({ block: "nearest" });
    const { x, y, width, height } = element.getBoundingClientRect();
    return { x, y, width, height };
}"""


def revision_at(client: Any, address: str) -> dict[str, int]:
    """The revision of what is kept at an address, as a step through its history names it."""
    return {"revision": client.get(address).json()["revision"]}


def value(page: Page, name: str) -> Locator:
    """A live value of a sentence, by how its name begins."""
    return page.get_by_role("slider", name=re.compile(f"^{name}")).first


def source(page: Page, selector: str) -> str:
    """Address of the picture that is shown."""
    return page.locator(selector).first.get_attribute("src") or ""


def place(page: Page, found: Locator) -> dict[str, Any]:
    """Where an element lies, brought into view, in one go: instruments are drawn anew while a look settles."""
    for _ in range(100):
        box: dict[str, Any] = found.first.evaluate(_PLACE)
        if box["width"]:
            return box
        page.wait_for_timeout(50)
    raise AssertionError(f"{found} has no place on the screen")


def arrive(page: Page, address: str) -> None:
    """Wait for a page to which a key led; its scripts listen to keys from then on."""
    expect(page).to_have_url(re.compile(address))
    page.wait_for_load_state("load")


def tab_to(page: Page, name: str) -> None:
    """Reach an element by its name with the Tab key alone."""
    for _ in range(120):
        page.keyboard.press("Tab")
        label = page.evaluate("document.activeElement.getAttribute('aria-label') ?? ''")
        if label.startswith(name):
            return
    raise AssertionError(f"{name} cannot be reached with Tab")


def bring_in(page: Page, step: str) -> None:
    """Bring in a step that is idle, and wait until the sheet has come to rest about it."""
    page.locator(f"[data-bring={step}]").click()
    expect(page.locator(f"[data-step={step}] :focus")).to_have_count(1)
