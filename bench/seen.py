"""What somebody sees in Chromium on a long series: the picture after a drag, and Carry while it is scrolled."""

from statistics import median, quantiles

from playwright.sync_api import Page, sync_playwright

from bench.pages import served
from bench.report import Table
from tools.shots import FLAGS

_LENGTHS = (36, 2000)
_DRAGS, _APART, _STEP = 14, 400, 6  # moves of a value, ms between them, pixels of each
_NOTCHES, _NOTCH, _EACH = 60, 240, 50  # turns of the wheel, pixels of each, ms between them
_WATCH_DRAGS = """() => {
    const picture = document.querySelector("[data-picture]");
    window.took = [];
    let moved = 0;
    addEventListener("pointermove", () => (moved = performance.now()), true);
    picture.addEventListener("load", () => requestAnimationFrame(() => window.took.push(performance.now() - moved)));
}"""
_WATCH_FRAMES = """() => {
    window.frames = [];
    let before = performance.now();
    const next = (now) => {
        window.frames.push(now - before);
        before = now;
        requestAnimationFrame(next);
    };
    requestAnimationFrame(next);
}"""


def dragged(page: Page, base: str) -> float:
    """Median ms from a move of the pointer on a value to the picture that shows it."""
    page.goto(f"{base}/shape")
    value = page.get_by_role("slider", name="Strength of the look").first
    value.scroll_into_view_if_needed()
    page.wait_for_load_state("networkidle")
    page.evaluate(_WATCH_DRAGS)
    box = value.bounding_box()
    assert box is not None
    x, y = box["x"] + 3, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for _ in range(_DRAGS):
        x += _STEP
        page.mouse.move(x, y)
        page.wait_for_timeout(_APART)
    took: list[float] = page.evaluate("window.took")
    page.mouse.up()
    return median(took[2:])


def scrolled(page: Page, base: str) -> tuple[float, float]:
    """Ms of a drawn frame while Carry is scrolled, 95 % and the longest: new parts of it come in all the while."""
    page.goto(f"{base}/carry")
    page.wait_for_load_state("networkidle")
    page.mouse.move(700, 400)
    page.evaluate(_WATCH_FRAMES)
    for _ in range(_NOTCHES):
        page.mouse.wheel(0, _NOTCH)
        page.wait_for_timeout(_EACH)
    frames: list[float] = page.evaluate("window.frames")
    return quantiles(frames, n=20)[-1], max(frames)


def run() -> list[Table]:
    """All tables."""
    rows = ("a value dragged, to the picture, ms", "Carry scrolled, a frame, 95 %, ms", "the longest, ms")
    found: list[list[object]] = []
    with served() as (_, of_length):
        for count in _LENGTHS:
            with of_length(count) as base, sync_playwright() as player:
                browser = player.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                found.append([round(dragged(page, base)), *map(round, scrolled(page, base))])
                browser.close()
    table = Table("In Chromium, by the length of a series (aims at 2,000: 90 ms; 50 ms)", ("", *map(str, _LENGTHS)))
    for row, *values in zip(rows, *found, strict=True):
        table.add(row, *values)
    return [table]
