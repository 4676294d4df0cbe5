"""The lookbook through Chromium: looks kept, tried on, compared, brought in, worked out, used, revised, written out."""

import re
import zipfile
from collections.abc import Iterator
from pathlib import Path

import cv2
import httpx2
import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect

from nuvett.core.table.cube import write_cube
from nuvett.core.table.table import grid
from tests.conftest import DEMO
from tests.web.conftest import STILL, wait_until_at_rest
from tests.web.driving import source, value
from tools.cluster import Cluster

BOOK, SERIES = "/lookbook?series=lamp-room", "/series/lamp-room"
FRAMES = [DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2, 4, 7, 8, 10)]


@pytest.fixture(scope="module", autouse=True)
def lamp_room(site: str, cluster: Cluster) -> Iterator[None]:
    """A series of its own, so that the demo's is left to other tests as it is."""
    with httpx2.Client(base_url=site, timeout=60, headers={"accept": "application/json"}) as client:
        client.post("/series", data={"title": "Lamp room"})
        for path in FRAMES:
            client.post(f"{SERIES}/frames", files={"file": (path.name, path.read_bytes())})
        client.post(f"{SERIES}/references", files={"file": (STILL.name, STILL.read_bytes())})
        wait_until_at_rest(cluster.database("site"))
        yield
        client.post(f"{SERIES}/delete")


@pytest.fixture
def shaping(quiet: Page, site: str) -> Page:
    quiet.goto(f"{site}{SERIES}/shape")
    expect(quiet.locator("[data-picture]")).to_be_visible()
    return quiet


def row(page: Page, name: str) -> Locator:
    return page.locator(f'[data-called="{name}"]')


def keep(page: Page, name: str, note: str = "") -> None:
    page.keyboard.press("j")
    expect(page.locator("[data-health-short]")).not_to_have_text("looking…")
    page.keyboard.type(name)
    page.get_by_label("Use when").fill(note)
    page.get_by_role("button", name="Keep as a new look").click()
    expect(page.get_by_text(f"Kept as {name} in the lookbook.")).to_be_visible()


def test_a_look_is_kept_and_tried_on_and_the_old_one_comes_back_exactly(shaping: Page) -> None:
    page = shaping
    keep(page, "Lamps", "one lamp in frame")
    expect(page.locator("[data-history]")).to_contain_text("from Lamps, version 1 of the lookbook")
    old = source(page, "[data-picture]")
    page.keyboard.press("l")
    tries = page.locator("button[data-try]")
    expect(tries.first).to_be_focused()
    page.keyboard.press("ArrowRight")
    expect(tries.nth(1)).to_have_attribute("aria-selected", "true")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", old)
    page.keyboard.press("Escape")
    expect(page.locator("[data-picture]")).to_have_attribute("src", old)
    expect(page.locator("[data-proofs]")).to_be_visible()
    page.keyboard.press("l")
    chalk = page.locator("button[data-try]", has_text="Chalk and lilac")
    chalk.hover()
    expect(chalk).to_have_attribute("aria-selected", "true")
    chalk.focus()
    page.keyboard.press("Enter")
    history = page.locator("[data-history]")
    expect(history).to_contain_text("Chalk and lilac, version 1 of the lookbook")
    page.keyboard.press("u")
    expect(history).to_contain_text("from Lamps, version 1")
    expect(page.locator("[data-picture]")).to_have_attribute("src", old)


def test_a_look_is_revised_and_the_series_that_has_the_older_one_is_offered_the_newer(shaping: Page, site: str) -> None:
    page = shaping
    keep(page, "Quay")
    value(page, "Zone tints").focus()
    page.keyboard.type("31")
    page.keyboard.press("Enter")
    expect(page.locator("[data-history]")).to_contain_text("Zone tints")
    page.get_by_role("button", name="Keep…").click()
    page.get_by_role("button", name="Keep as version 2 of Quay").click()
    expect(page.get_by_text("Kept as version 2 of Quay.")).to_be_visible()
    page.goto(f"{site}{BOOK}&find=quay")
    row(page, "Quay").get_by_role("link", name="Quay").click()
    page.get_by_role("button", name="use this one").last.click()
    expect(page.get_by_text("Undo on Shape takes it back.")).to_be_visible()
    page.goto(f"{site}{SERIES}/shape")
    page.get_by_role("button", name="take version 2").click()
    expect(page.locator("[data-history]")).to_contain_text("from Quay, version 2 of the lookbook")
    expect(value(page, "Zone tints")).to_have_text("31 %")


def test_the_matrix_is_worked_from_the_keyboard(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(site + BOOK)
    first = page.locator("[data-kept]").first
    expect(first.locator("[data-said]")).to_contain_text("lands")
    first.focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("[data-kept]").nth(1)).to_be_focused()
    page.keyboard.press("f")
    expect(page.locator("[data-kept]").nth(1).get_by_role("button", name="Favourite")).to_have_attribute(
        "aria-pressed", "true"
    )
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowDown")
    expect(page.locator("[data-kept]").nth(2).locator("[data-cell]").nth(1)).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator("[data-compared]")).to_be_visible()
    expect(page.get_by_label("What stands beside the frame")).to_have_value("kept draft")
    page.keyboard.press("Escape")
    expect(page.locator("[data-compared]")).to_have_count(0)
    page.keyboard.press("/")
    page.keyboard.type("brass")
    expect(page.locator("[data-kept]:not([hidden])")).to_have_count(1)
    row(page, "Old brass").focus()
    page.keyboard.press("d")
    expect(page.locator("[data-compared]")).to_be_visible()


def test_two_looks_beside_each_other_held_split_and_changed_for_a_third(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(site + BOOK)
    row(page, "Harbour dusk").get_by_role("button", name="beside…").click()
    compared = page.locator("[data-compared]")
    expect(compared.locator('[data-show="look"]')).to_have_text("Harbour dusk")
    mine, theirs = source(page, "[data-picture]"), source(page, "[data-reference-picture]")
    assert mine != theirs
    page.keyboard.down("o")
    expect(compared.locator("[data-picture]")).to_have_attribute("src", theirs)
    page.keyboard.up("o")
    expect(compared.locator("[data-picture]")).not_to_have_attribute("src", theirs)
    # A picture that was on its way does not take the place of the one that is held.
    page.evaluate("""async () => {
        const viewer = Alpine.$data(document.querySelector("[data-compared] .viewer"));
        const painted = viewer.paint();
        viewer.hold(true);
        await painted;
    }""")
    expect(compared.locator("[data-picture]")).to_have_attribute("src", theirs)
    page.evaluate("Alpine.$data(document.querySelector('[data-compared] .viewer')).hold(false)")
    compared.get_by_label("What stands beside the frame").select_option(label="Silver, no colour")
    expect(compared.locator('[data-show="original"]')).to_have_text("Silver, no colour")
    compared.get_by_role("button", name="Split").click()
    expect(compared.get_by_role("slider", name="Edge between")).to_be_visible()
    name = compared.get_by_label("Frame", exact=True).locator("option:checked").inner_text()
    page.keyboard.press("n")
    expect(compared.get_by_label("Frame", exact=True).locator("option:checked")).not_to_have_text(name)
    expect(compared.locator('[data-show="original"]')).to_have_text("Silver, no colour")
    page.reload()
    expect(page.locator('[data-compared] [data-show="original"]')).to_have_text("Silver, no colour")


def test_tables_are_brought_in_tried_chosen_and_used_at_a_strength_and_written_for_each_frame(
    quiet: Page, site: str, tmp_path: Path
) -> None:
    page = quiet
    files = []
    for n in range(30):
        files.append(tmp_path / f"Print {n:02}.cube")
        files[-1].write_text(write_cube((grid(9) ** (0.9 + n / 40)).astype(np.float32), "p"))
    (tmp_path / "shopping.cube").write_text("milk, bread")
    page.goto(site + BOOK)
    page.locator('[data-input="book"]').set_input_files([*files, tmp_path / "shopping.cube"])
    expect(page.get_by_text(re.compile(r"30 brought in; shopping\.cube: Line 1"))).to_be_visible()
    page.get_by_role("link", name="Brought in 30").click()
    chosen = row(page, "Print 03")
    expect(chosen.locator("[data-said]")).to_contain_text("expects sRGB, as on a screen")
    picture = chosen.locator(".cells-picture")
    before = picture.get_attribute("src") or ""
    strength = chosen.get_by_role("slider", name="Strength it is used at")
    strength.focus()
    page.keyboard.type("60")
    page.keyboard.press("Enter")
    expect(picture).to_have_attribute("src", before.replace("strength=100", "strength=60"))
    chosen.get_by_role("button", name="use here").click()
    expect(page.get_by_text("Print 03, version 1 of the lookbook, at 60 % for its draft")).to_be_visible()
    chosen.get_by_role("button", name="write out…").click()
    expect(page.locator("[data-carries] li").first).to_contain_text("A table cannot carry")
    page.get_by_label("Points a side").fill("9")
    with page.expect_download() as download:
        page.get_by_role("link", name="One for each frame").click()
    download.value.save_as(tmp_path / "tables.zip")
    assert len(zipfile.ZipFile(tmp_path / "tables.zip").namelist()) == 6
    page.goto(f"{site}{SERIES}/shape?open=table")
    expect(page.locator("[data-history]")).to_contain_text("Print 03, version 1 of the lookbook, at 60 %")
    page.get_by_label("Lookup table").select_option(label="Print 09")
    expect(page.locator("[data-history]")).to_contain_text("Table: Print 09")
    page.keyboard.press("u")
    expect(page.locator("[data-history]")).to_contain_text("at 60 %")
    page.keyboard.press("u")


def test_a_look_is_worked_out_from_a_pair_and_kept(quiet: Page, site: str, tmp_path: Path) -> None:
    page = quiet
    before = DEMO / "frames" / "AT-0104.jpg"
    graded = np.clip(255 * np.power(cv2.imread(str(before)) / 255.0, [1.0, 1.2, 1.3]), 0, 255).astype(np.uint8)
    cv2.imwrite(str(tmp_path / "done.png"), graded[60:740, 90:1110])
    page.goto(f"{site}/lookbook/work/out?series=lamp-room")
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_text("Choose the pictures of a pair first.")).to_be_visible()
    page.get_by_label("Before").set_input_files(before)
    page.get_by_label("After").set_input_files(tmp_path / "done.png")
    page.get_by_role("button", name="Work it out").click()
    expect(page.get_by_text("This look is on trial.")).to_be_visible()
    expect(page.get_by_text(re.compile("one is cropped: the 7. % that both show"))).to_be_visible()
    page.get_by_role("button", name="show where it does not agree").click()
    expect(page.locator('img[src$="/veil"]').first).to_be_visible()
    page.get_by_label("Name").first.fill("From a print")
    page.get_by_role("button", name="Keep it").click()
    expect(row(page, "From a print")).to_be_visible()


def test_a_finished_folder_becomes_a_look_with_progress(page: Page, site: str, bad_file: Path) -> None:
    page.goto(f"{site}/lookbook/work/out?series=lamp-room")
    photos = [DEMO / "frames" / f"AT-01{n:02}.jpg" for n in (1, 2)]
    page.locator('[data-input="finished"]').set_input_files([*photos, bad_file])
    expect(page.get_by_text("Read from 2 finished pictures")).to_be_visible()
    page.get_by_role("button", name="Leave it").click()
    expect(page).to_have_url(re.compile(r"/lookbook\?"))


def test_health_shows_the_place_large_and_mends_the_draft(quiet: Page, site: str) -> None:
    page = quiet
    revision = page.request.get(f"{site}{SERIES}/look").json()["revision"]
    bright = {"exposure": {"exposure": 1.8}, "tone": {"amount": 0}}
    page.request.put(f"{site}{SERIES}/look", data={"document": bright, "revision": revision})
    page.goto(f"{site}{SERIES}/shape")
    page.get_by_role("button", name="Keep…").click()
    page.get_by_role("link", name="See it on all frames").click()
    clipped = page.locator("section", has_text="Newly clipped")
    clipped.locator("[data-see]").first.click()
    expect(page.locator("[data-veil-picture]")).to_have_attribute("src", re.compile("what=clipping"))
    page.keyboard.press("Escape")
    clipped.get_by_role("button", name="do that").click()
    expect(page.locator("section", has_text="Newly clipped")).to_contain_text("Nothing runs into white")
