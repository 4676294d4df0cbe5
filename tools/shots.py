"""Renews docs/screenshots: starts a fresh copy with the demo, does the job once and pictures every main view."""

import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, expect, sync_playwright

from tools.camera import make_raw
from tools.cluster import cluster_of

PROJECT = Path(__file__).resolve().parent.parent
SHOTS = PROJECT / "docs" / "screenshots"
SERIES = "/series/autumn-table"
_BOWL = ("AT-0101", 0.53, 0.70)
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]


def _shoot(page: Page, address: str, name: str) -> None:
    page.goto(address, wait_until="networkidle")
    page.wait_for_timeout(400)
    page.screenshot(path=SHOTS / f"{name}.png")


def do_the_job(page: Page, base: str) -> None:
    """Go through all stages as a new user would, leaving a picture of each."""
    page.set_default_timeout(120_000)
    expect.set_options(timeout=120_000)
    page.goto(f"{base}{SERIES}/gather")
    expect(page.get_by_text("36 frames in 7 set-ups")).to_be_visible()
    expect(page.get_by_role("link", name="Read references")).to_be_visible()
    _shoot(page, f"{base}{SERIES}/gather", "gather")
    _shoot(page, f"{base}{SERIES}/read?colour=5", "read")
    _shoot(page, f"{base}{SERIES}/read/compare", "compare")
    page.goto(f"{base}{SERIES}/read")
    page.get_by_role("link", name="Clip Salt Road").click()
    _shoot(page, f"{page.url}?frame=120", "clip")
    _shoot(page, f"{base}{SERIES}/shape?open=moves", "shape")
    page.get_by_role("button", name="Carry to all").click()
    expect(page.get_by_text("36 frames follow")).to_be_visible()
    _shoot(page, f"{base}{SERIES}/carry", "carry")
    page.get_by_role("button", name=re.compile("^AT-0103,.*see it large")).click()
    expect(page.locator("[data-large-view]")).to_be_visible()
    _shoot(page, page.url, "large")
    _threads(page, f"{base}{SERIES}/threads")
    _trim_in_areas(page, f"{base}{SERIES}/trim")
    _hand_over(page, f"{base}{SERIES}/handover")
    _the_book(page, base)
    _mixed_shoot(page, base)
    _by_hand(page, base)
    _shoot(page, base, "shelf")
    _shoot(page, f"{base}/glossary", "glossary")


def _hand_over(page: Page, address: str) -> None:
    """Two kinds of file with a contact sheet, being made."""
    page.goto(address)
    page.get_by_label("Format").select_option("TIFF, 16 bit")
    page.get_by_role("button", name="Another kind of file").click()
    second = page.locator("[data-output]").nth(1)
    second.get_by_label("Size").select_option("long edge")
    second.get_by_label("Pixels", exact=True).fill("600")
    second.get_by_label("Into folders").fill("web")
    page.get_by_label("Contact sheet").select_option("PDF and JPEG")
    page.get_by_label("each frame's palette on the sheet").check()
    page.get_by_label("a record of what was done").check()
    page.get_by_role("button", name="Make the files").click()
    expect(page.get_by_text("Finished", exact=True)).to_be_visible()
    _shoot(page, address, "handover")


def _threads(page: Page, address: str) -> None:
    """A bowl that is pointed at once, found in other frames, and asked about in one."""
    page.goto(f"{address}?thread=new")
    frame, x, y = _BOWL
    plate = page.get_by_role("button", name=f"{frame}: point at the thing")
    box = plate.bounding_box()
    if box is None:
        raise SystemExit(f"{frame} is not there.")
    plate.click(position={"x": x * box["width"], "y": y * box["height"]})
    expect(page.get_by_role("button", name=f"{frame}: seen here")).to_be_visible()
    expect(page.locator("[data-waiting]")).to_have_count(0)
    page.get_by_label("Called").fill("the blue bowl")
    page.get_by_label("Called").press("Enter")
    expect(page.locator("[data-waiting]")).to_have_count(0)
    expect(page.locator("[data-tiles] img").first).to_be_visible()
    page.get_by_label("Called").evaluate("field => field.blur()")
    page.locator("[data-hold]").check(force=True)
    expect(page.locator("[data-thread]").get_by_text("held within 1.5").first).to_be_visible()
    page.locator("[data-tiles]").evaluate("tiles => tiles.scrollTo(0, 0)")
    page.wait_for_timeout(2500)
    page.screenshot(path=SHOTS / "threads.png")


def _mixed_shoot(page: Page, base: str) -> None:
    """A series of raw files, JPEGs and pictures of a phone on Gather."""
    with tempfile.TemporaryDirectory() as name:
        frames = sorted((PROJECT / "demo" / "frames").glob("*.jpg"))[:6]
        files = [*frames[:3], frames[5], *sorted((PROJECT / "demo" / "phone").glob("*.heic"))]
        for frame in (frames[0], frames[1], frames[4]):
            files.append(Path(name) / f"{frame.stem}.dng")
            make_raw(frame, files[-1])
        page.goto(base)
        page.get_by_label("Start a series").fill("Mixed shoot")
        page.get_by_role("button", name="Start").click()
        page.locator('[data-input="frames"]').set_input_files(files)
        expect(page.get_by_text("8 frames in")).to_be_visible()
        expect(page.get_by_role("link", name="Read references")).to_be_visible()
        _shoot(page, page.url, "shoot")


def _by_hand(page: Page, base: str) -> None:
    """A series without stills: one frame finished by hand, and its look by set-up."""
    names = (101, 102, 107, 110, 112, 117, 119, 123, 125, 128, 132, 133)
    page.goto(base)
    page.get_by_label("Start a series").fill("By hand")
    page.get_by_role("button", name="Start").click()
    page.locator('[data-input="frames"]').set_input_files(
        [PROJECT / "demo" / "frames" / f"AT-0{number}.jpg" for number in names]
    )
    expect(page.get_by_text("12 frames in")).to_be_visible()
    expect(page.get_by_role("link", name="Read references")).to_be_visible()
    series, own = f"{base}/series/by-hand", {"origin": base}
    document = page.request.get(f"{series}/look").json()["document"]
    document["exposure"] |= {"exposure": 0.2, "contrast": 18}
    document["white"] |= {"warmth": 10}
    document["zones"] |= {"amount": 100, "shadow_hue": 215.0, "shadow_chroma": 3.0}
    page.request.put(f"{series}/look", data={"document": document, "revision": 1}, headers=own)
    page.goto(f"{series}/read")
    page.get_by_role("button", name="Take a frame…").click()
    page.locator("#frames form button").nth(1).click()
    expect(page.get_by_text("As it is finished now")).to_be_visible()
    page.request.post(f"{series}/look/aim-own", headers=own)
    page.goto(f"{series}/by-setup")
    expect(page.get_by_text("Trying its ways")).to_have_count(0)
    page.wait_for_load_state("networkidle")
    page.screenshot(path=SHOTS / "by-setup.png")


def _the_book(page: Page, base: str) -> None:
    """The lookbook with a look kept, two beside each other, one worked out from a pair, and the health of one."""
    page.goto(f"{base}{SERIES}/shape", wait_until="networkidle")
    page.keyboard.press("j")
    expect(page.locator("[data-health-short]")).not_to_have_text("looking…")
    page.keyboard.type("Autumn by lamplight")
    page.get_by_label("Use when").fill("one lamp, dark walls")
    page.get_by_role("button", name="Keep as a new look").click()
    expect(page.get_by_text("Kept as Autumn by lamplight")).to_be_visible()
    page.goto(f"{base}/lookbook?series=autumn-table", wait_until="networkidle")
    for place in range(4):
        expect(page.locator("[data-said]").nth(place)).to_contain_text("from its target")
    page.screenshot(path=SHOTS / "lookbook.png")
    page.locator('[data-called="Harbour dusk"]').get_by_role("button", name="beside…").click()
    page.get_by_label("What stands beside the frame").select_option(label="Chalk and lilac")
    expect(page.locator('[data-show="original"]')).to_have_text("Chalk and lilac")
    page.wait_for_timeout(2500)
    page.screenshot(path=SHOTS / "beside.png")
    page.goto(f"{base}{SERIES}/health", wait_until="networkidle")
    page.wait_for_timeout(1500)
    page.screenshot(path=SHOTS / "health.png")
    page.goto(f"{base}/lookbook/work/out?series=autumn-table")
    before = PROJECT / "demo" / "frames" / "AT-0101.jpg"
    graded = 255 * np.power(np.asarray(cv2.imread(str(before))) / 255.0, [1.0, 1.2, 1.3])
    graded[300:420, 500:700] = graded[300:420, 500:700] * 0.6 + 60
    with tempfile.TemporaryDirectory() as folder:
        after = Path(folder) / "By lamplight.png"
        cv2.imwrite(str(after), np.clip(graded, 0, 255).astype(np.uint8))
        page.get_by_label("Before").set_input_files(before)
        page.get_by_label("After").set_input_files(after)
        page.get_by_role("button", name="Work it out").click()
        expect(page.get_by_text("This look is on trial.")).to_be_visible()
    page.get_by_role("button", name="show where it does not agree").click()
    expect(page.locator("[data-said]")).to_contain_text("has no target")
    page.screenshot(path=SHOTS / "worked-out.png")


def _drag(page: Page, selector: str, dx: float, dy: float) -> None:
    """Drag a handle, once it is drawn: handles are drawn anew while a picture settles."""
    box = None
    while box is None:
        expect(page.locator(selector)).to_be_visible()
        box = page.locator(selector).bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=4)
    page.mouse.up()


def _trim_in_areas(page: Page, address: str) -> None:
    """A frame with a round about the face, chosen and shown, and the cut being made."""
    page.goto(address, wait_until="networkidle")
    page.locator("[data-add-area=round]").click()
    history = page.locator("[data-history]")
    for name, by, words in (("middle", (0, -115), "moved"), ("across", (-48, 0), "across"), ("down", (0, -20), "down")):
        _drag(page, f'[data-shape-handle="0.{name}"]', *by)
        expect(history).to_contain_text(words)
    page.locator('[data-bring="areas.0.exposure"]').click()
    expect(page.locator('[data-name="areas.0.exposure.exposure"]')).to_be_focused()
    page.keyboard.type("0.5")
    page.keyboard.press("Enter")
    expect(history).to_contain_text("0.50 EV")
    page.get_by_role("button", name="Show where").click()
    _shoot(page, page.url, "trim")
    page.keyboard.press("g")
    _drag(page, '[data-cut-handle="se"]', -100, -70)
    expect(history).to_contain_text("Cropped")
    page.wait_for_timeout(1500)
    page.screenshot(path=SHOTS / "cut.png")


def main() -> None:
    """Start, shoot, stop."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as state:
        environment = os.environ | {"NUVETT_STATE": state, "NUVETT_BLOBS": f"{state}/blobs"}
        environment.pop("NUVETT_DATABASE", None)
        command = [sys.executable, "-m", "tools.serve", "--demo", "--port", "0"]
        with subprocess.Popen(command, cwd=PROJECT, env=environment, stdout=subprocess.PIPE, text=True) as process:
            try:
                assert process.stdout is not None
                base = process.stdout.readline().split()[3].rstrip("/")
                with sync_playwright() as playwright:
                    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                    page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
                    do_the_job(page, base)
                    browser.close()
            finally:
                process.terminate()
                process.wait()
                cluster_of(Path(state)).remove()


if __name__ == "__main__":
    main()
