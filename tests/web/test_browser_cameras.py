"""From the camera to the client through Chromium: raw files, a phone and JPEGs become one series and leave as files."""

import json
import re
import zipfile
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, expect

from nuvett.imaging.facts import read_facts
from nuvett.imaging.lens_database import usual_correction
from tests.conftest import DEMO
from tests.web.driving import place, value
from tools.camera import make_raw

FRAMES = DEMO / "frames"


def test_raw_files_phones_and_jpegs_become_one_series_and_leave_with_their_papers(
    quiet: Page, site: str, tmp_path: Path
) -> None:
    page = quiet
    raws = [tmp_path / f"AT-010{n}.dng" for n in (1, 2)]
    for raw in raws:
        make_raw(FRAMES / f"{raw.stem}.jpg", raw)
    page.goto(site)
    page.get_by_label("Start a series").fill("Mixed shoot")
    page.get_by_role("button", name="Start").click()
    files = [*raws, FRAMES / "AT-0101.jpg", FRAMES / "AT-0103.jpg", DEMO / "phone" / "PH-2041.heic"]
    page.locator('[data-input="frames"]').set_input_files(files)
    expect(page.get_by_text("raw + JPEG")).to_be_visible()
    expect(page.get_by_text("4 frames in 2 set-ups")).to_be_visible()
    expect(page.get_by_text("HEIC 11:00")).to_be_visible()
    expect(page.get_by_text("distortion, fringes and dark corners undone").first).to_be_visible()
    page.locator('[data-input="frames"]').set_input_files(files)
    expect(page.get_by_text("5 of these files were in this series already").first).to_be_visible()

    page.get_by_role("button", name="Lens of AT-0101").click()
    page.get_by_label("leave it as it is").check()
    page.get_by_role("button", name="Take it").click()
    expect(page.get_by_text("Tidewrack 35 mm F2: left as it is")).to_be_visible()
    page.get_by_label("How AT-0102 is developed").select_option("neutral, its light as it is")
    expect(page.get_by_text("3 frames in")).to_be_visible()
    expect(page.get_by_text("4 frames in")).to_be_visible()
    expect(page.get_by_label("How AT-0102 is developed")).to_have_value("neutral")

    page.get_by_role("link", name="Read references").click()
    page.locator('[data-input="references"]').set_input_files(DEMO / "stills" / "still_1_teal_amber.jpg")
    expect(page.get_by_role("heading", name="Palette")).to_be_visible()
    page.get_by_role("link", name="Carry").click()
    page.get_by_role("button", name="Carry v1 to all").click()
    expect(page.get_by_text("4 frames follow v1")).to_be_visible()
    page.get_by_role("checkbox", name="Choose AT-0103").check()
    page.get_by_role("button", name="Favourite", exact=True).click()
    expect(page.get_by_text("AT-0103, favourite")).to_be_visible()

    page.locator("[data-stage]", has_text="Trim").click()
    page.locator("[data-frame-choice]").select_option(label="AT-0102")
    page.locator("[data-add-area=round]").click()
    handle, plate = page.locator('[data-shape-handle="0.middle"]'), place(page, page.locator("[data-plate]"))
    handle.drag_to(page.locator("[data-plate]"), target_position={"x": plate["width"] / 8, "y": plate["height"] / 8})
    expect(page.locator("[data-history]")).to_contain_text("A radial area: moved")
    size = (1200, 800)
    lens = usual_correction(read_facts(raws[1]), size, raw=True)
    assert lens is not None
    there = lens.in_file(np.array(0.125), np.array(0.125), size)
    found = [float(value(page, f"Middle, {axis}").get_attribute("data-value") or 0) for axis in ("across", "down")]
    assert np.abs(np.subtract(found, there)).max() < 0.0015 < np.abs(np.subtract(there, 0.125)).max()

    page.get_by_role("link", name="Hand over").click()
    page.get_by_label("Format").select_option("TIFF, 16 bit")
    page.get_by_role("button", name="Another kind of file").click()
    second = page.locator("[data-output]").nth(1)
    second.get_by_label("Size").select_option("long edge")
    second.get_by_label("Pixels", exact=True).fill("400")
    second.get_by_label("Into folders").fill("web/{date}")
    page.get_by_label("Contact sheet").select_option("PDF")
    for words in ("a record of what was done", "a list of checksums", "the look as a lookup table"):
        page.get_by_label(words).check()
    page.get_by_label("Creator").fill("Ann Example")
    expect(page.get_by_text("8 files of 4 frames")).to_be_visible()
    page.get_by_role("button", name="Make the files").click()
    expect(page.get_by_text("Finished", exact=True)).to_be_visible()
    expect(page.get_by_text("13 of 13 files")).to_be_visible()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download as ZIP").click()
    download.value.save_as(tmp_path / "files.zip")
    parcel = zipfile.ZipFile(tmp_path / "files.zip")
    names = {name.removeprefix("mixed-shoot/") for name in parcel.namelist()}
    assert {"AT-0101.tif", "web/2026-09-18/PH-2041.jpg", "contact sheet.pdf", "SHA256SUMS", "record.json"} <= names
    record = json.loads(parcel.read("mixed-shoot/record.json"))
    assert record["creator"] == "Ann Example" and len(record["files"]) == 8

    page.get_by_role("button", name="Keep as").click()
    page.get_by_label("Called", exact=True).fill("For the client")
    page.get_by_role("button", name="Keep them").click()
    expect(page.get_by_role("combobox", name="Settings")).to_have_value(re.compile(".{36}"))
    page.locator('[name="what"]').select_option("favourites")
    expect(page.get_by_text("2 files of 1 frame")).to_be_visible()

    page.goto(site)
    page.get_by_role("button", name="Rename, duplicate, put away or delete Mixed shoot").click()
    page.get_by_role("dialog").get_by_role("button", name="Delete", exact=True).click()
    expect(page.get_by_role("link", name="Mixed shoot")).to_have_count(0)
