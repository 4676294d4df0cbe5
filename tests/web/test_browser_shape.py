"""Shape through Chromium: the look made by sentences and by handles, compared, zoomed and walked back."""

import re

from playwright.sync_api import Page, expect

from tests.web.driving import DEMO_SERIES, bring_in, place, source, value


def test_shape_shows_the_draft_undoes_it_and_compares(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    first = source(page, "[data-picture]")
    strength = value(page, "Strength of the look")
    strength.focus()
    page.keyboard.type("40")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Strength of the look 100 to 40 %").first).to_be_visible()
    expect(strength).to_have_text("40 %")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", first)
    page.reload()
    expect(value(page, "Strength of the look")).to_have_text("40 %")
    page.get_by_role("button", name="Undo").click()
    expect(value(page, "Strength of the look")).to_have_text("100 %")
    expect(page.locator("[data-picture]")).to_have_attribute("src", first)
    page.get_by_role("button", name="Redo").click()
    expect(value(page, "Strength of the look")).to_have_text("40 %")
    page.keyboard.press("u")
    expect(value(page, "Strength of the look")).to_have_text("100 %")
    step = page.get_by_role("checkbox", name="Tone", exact=True)
    step.click()
    expect(step).to_be_hidden()  # what does nothing is folded away
    expect(page.get_by_text("Tone off").first).to_be_visible()
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", first)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("checkbox", name="Tone", exact=True)).to_be_checked()
    expect(page.locator("[data-picture]")).to_have_attribute("src", first)
    page.get_by_role("button", name="Split").click()
    expect(page.get_by_role("slider", name="Edge between before and after")).to_be_visible()
    page.get_by_role("button", name="Alone").click()
    expect(page.get_by_alt_text(re.compile("Reference"))).to_be_hidden()
    shown = source(page, "[data-picture]")
    page.locator("body").press("Tab")
    page.keyboard.down("o")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", shown)
    page.keyboard.up("o")
    expect(page.locator("[data-picture]")).to_have_attribute("src", shown)


def test_dragging_a_value_sideways_changes_it(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    bring_in(page, "white")
    warmth = value(page, "Warmth")
    expect(warmth).to_be_focused()  # the sheet has come to rest about it
    box = place(page, warmth)
    page.mouse.move(box["x"] + 3, box["y"] + 8)
    page.mouse.down()
    page.mouse.move(box["x"] + 63, box["y"] + 8, steps=12)
    page.mouse.up()
    expect(warmth).to_have_text("+20 %")
    expect(page.get_by_text("Warmth 0 to 20 %").first).to_be_visible()
    warmth.focus()
    page.keyboard.press("Backspace")
    expect(warmth).to_have_text("0 %")
    expect(warmth).to_be_focused()  # the sheet was written anew around it
    expect(page.get_by_text("Warmth 20 to 0 %").first).to_be_visible()
    page.get_by_role("button", name="More of White").click()
    expect(warmth).to_be_hidden()  # emptied and closed, it is folded again


def test_a_colour_picked_in_the_frame_is_held_and_let_go(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    before = source(page, "[data-picture]")
    page.get_by_role("button", name="More of Holds").click()
    page.get_by_role("button", name="Hold a colour…").click()
    box = place(page, page.locator("[data-picture]"))
    page.mouse.click(box["x"] + box["width"] * 0.88, box["y"] + box["height"] * 0.24)  # the blue vase
    expect(page.get_by_text(re.compile(r"^Hold .*blue")).first).to_be_visible()
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="let go").click()
    expect(page.get_by_text(re.compile("No longer hold")).first).to_be_visible()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)


def test_a_look_is_made_by_handles_and_walked_back_by_branch(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    history = page.locator("[data-history]")
    column = page.locator('[data-share="4"]')
    before = source(page, "[data-picture]")
    box = place(page, column)
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] - 20, steps=4)
    page.mouse.up()
    expect(history).to_contain_text("Master curve changed")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)
    page.get_by_role("button", name="More of Zone tints").click()
    page.get_by_role("button", name=re.compile("^Shadow tint")).focus()
    page.keyboard.press("Shift+ArrowLeft")
    expect(history).to_contain_text("Shadow hue the target’s to")
    chosen = history.inner_text()
    page.keyboard.press("Shift+ArrowLeft")  # the handle is drawn anew and still in focus
    expect(history).not_to_have_text(chosen, use_inner_text=True)
    bring_in(page, "curve")
    page.get_by_role("button", name="blue", exact=True).click()
    field = page.locator("[data-slot-place=curve] svg")
    where = place(page, field)
    page.mouse.move(where["x"] + where["width"] * 0.5, where["y"] + where["height"] * 0.5)
    page.mouse.down()
    page.mouse.move(where["x"] + where["width"] * 0.5, where["y"] + where["height"] * 0.4, steps=3)
    page.mouse.up()
    expect(history).to_contain_text("Blue curve changed")
    point = page.locator('[data-slot-place] [data-of="blue"] [data-point="1"]')
    point.focus()
    for _ in range(2):  # a point, too, is drawn anew and still in focus
        height = point.get_attribute("aria-valuenow") or ""
        page.keyboard.press("ArrowUp")
        expect(point).not_to_have_attribute("aria-valuenow", height)
    expect(point).to_be_focused()
    page.keyboard.press("z")
    dialog = page.get_by_role("dialog", name="History of this look")
    expect(dialog).to_contain_text("another branch")
    dialog.locator("li", has_text="Master curve changed").first.get_by_role("button", name="go there").click()
    page.keyboard.press("Escape")
    expect(history).to_contain_text("Master curve changed")
    expect(page.locator("[data-picture]")).not_to_have_attribute("src", before)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-picture]")).to_have_attribute("src", before)


def test_zoom_shows_the_delivery_and_pans_both_pictures(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    page.keyboard.press("1")
    zoomed, beside = page.locator("[data-zoomed]"), page.locator("[data-zoomed-beside]")
    expect(zoomed).to_have_attribute("src", re.compile("frames/.*crop.png"))
    expect(beside).to_have_attribute("src", re.compile("references/.*crop.png"))
    first, other = source(page, "[data-zoomed]"), source(page, "[data-zoomed-beside]")
    page.locator("[data-mat]").focus()
    page.keyboard.press("Shift+ArrowRight")
    expect(zoomed).not_to_have_attribute("src", first)
    expect(beside).not_to_have_attribute("src", other)
    expect(page).to_have_url(re.compile("zoom=1"))
    page.reload()
    expect(zoomed).to_have_attribute("src", re.compile("crop.png"))
    page.keyboard.press("0")
    expect(zoomed).to_be_hidden()
    page.keyboard.press("v")
    expect(page.locator("[data-veil-picture]")).to_have_attribute("src", re.compile(r"veil.png.*what=clipping"))
    page.get_by_label("What stands beside the frame").select_option("strength 50")
    expect(page.locator("[data-reference-picture]")).to_have_attribute("alt", "The same frame: strength 50")
    page.get_by_role("button", name="More of Zone tints").click()
    page.get_by_role("button", name="Next frame").click()
    expect(page.locator("[data-more=zones]")).to_be_visible()  # another frame is looked at in the same way
    expect(page.locator("[data-reference-picture]")).to_have_attribute("alt", "The same frame: strength 50")


def test_ribbons_are_pinned_and_proofs_chosen(quiet: Page, site: str) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    page.get_by_role("button", name="More of Colour moves").click()
    page.locator("[data-slot-place] [data-ribbon]").first.focus()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="don’t move").locator("visible=true").click()
    expect(page.locator("[data-history]")).to_contain_text("Pairing pinned")
    expect(page.locator("[data-more=moves]")).to_contain_text("pinned at 0 %")
    page.get_by_role("button", name="automatic").first.click()
    expect(page.locator("[data-history]")).to_contain_text("Pairing automatic")
    page.get_by_role("button", name="choose…").click()
    for name in ("AT-0103", "AT-0110"):
        page.get_by_role("dialog").get_by_label(name).check()
    page.get_by_role("button", name="Try on these").click()
    expect(page.locator("[data-proofs] img")).to_have_count(2)
    page.get_by_role("button", name="choose…").click()
    page.get_by_role("button", name="The most different ones").click()
    expect(page.locator("[data-proofs] img")).to_have_count(6)


def test_a_hue_range_is_begun_dragged_held_off_and_shown_and_what_should_be_neutral_is_pointed_at(
    quiet: Page, site: str
) -> None:
    page = quiet
    page.goto(f"{site}{DEMO_SERIES}/shape")
    history, picture = page.locator("[data-history]"), page.locator("[data-picture]")
    before = source(page, "[data-picture]")
    bring_in(page, "hues")
    page.locator("[data-slot-place=families] [data-add-band]").first.click()
    expect(history).to_contain_text("Range of")
    landing = page.locator('[data-slot-place=chart] [data-handle="band.0.to"]')
    box = place(page, landing)
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.mouse.move(box["x"] + 30, box["y"] + 20, steps=4)
    page.mouse.up()
    expect(page.locator('[data-step="hues"]')).to_contain_text(re.compile(r"turned [+−]\d"))
    expect(picture).not_to_have_attribute("src", before)
    turned = re.compile(re.escape(source(page, "[data-picture]").removesuffix("&quick=true")))
    without = page.locator('[data-without="hues.bands.0"]')
    without.focus()
    page.keyboard.down("Enter")
    expect(picture).not_to_have_attribute("src", turned)
    page.keyboard.up("Enter")
    expect(picture).to_have_attribute("src", turned)
    page.locator('[data-more="hues"]').get_by_role("button", name="show where").click()
    expect(page.locator("[data-veil-picture]")).to_have_attribute("src", re.compile("what=hues&part=look:0"))
    page.locator('[data-more="hues"]').get_by_role("button", name="show where").click()
    page.get_by_role("button", name="Pick a hue…").click()
    chart = place(page, page.locator("[data-slot-place=chart] svg"))
    page.mouse.click(chart["x"] + chart["width"] * 0.5, chart["y"] + chart["height"] * 0.8)
    expect(page.locator('[data-more="hues"]')).to_contain_text("about 270°")
    bring_in(page, "casts")
    page.get_by_role("button", name="Point at what should be neutral…").click()
    frame = place(page, picture)
    page.mouse.click(frame["x"] + frame["width"] * 0.9, frame["y"] + frame["height"] * 0.06)
    expect(history).to_contain_text("toward red")
    bring_in(page, "regions")
    live = page.locator('[data-sheet] .live[data-name="regions.shadows"]')
    live.focus()
    page.keyboard.press("Shift+ArrowUp")
    expect(history).to_contain_text("Shadows 0 to 10 %")
    page.reload()
    expect(page.locator('[data-step="regions"]')).to_contain_text("shadows +10 %")
