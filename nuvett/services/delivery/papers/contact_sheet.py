"""Contact sheets: small pictures with their names on pages of A4, as PDF and as pictures of its pages; and cards."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import as_file, files
from io import BytesIO
from math import ceil
from pathlib import Path

import pypdfium2
from fpdf import FPDF
from PIL import Image

from nuvett.core.reading.card import CardRow
from nuvett.services.delivery.delivery_settings import Papers

_WIDTH, _HEIGHT, _MARGIN, _HEAD, _GAP = 210.0, 297.0, 12.0, 14.0, 4.0  # millimetres
_BOX = 0.75  # height of the box over its width; upright pictures stand in it too
_CAPTION, _STRIP, _WORDS = 4.2, 2.6, 3.8
_DPI = 200
_CARD_ROW, _CARD_SWATCH = 20.0, 52.0
_INK, _QUIET = (17, 17, 17), (95, 95, 95)
_FONT = "Schibsted Grotesk"
TILE_EDGE = 720
"""Long edge of the small pictures in pixels."""


@dataclass(frozen=True)
class Layout:
    """How pictures lie on a page: columns and rows, the box that each is fitted into, and the room below, in mm."""

    columns: int
    rows: int
    side: float
    height: float
    below: float

    @classmethod
    def of(cls, papers: Papers) -> "Layout":
        side = (_WIDTH - 2 * _MARGIN - _GAP * (papers.columns - 1)) / papers.columns
        below = _CAPTION + (_STRIP if papers.palette else 0) + (_WORDS if papers.drift else 0)
        room = _HEIGHT - 2 * _MARGIN - _HEAD
        height = side * _BOX
        return cls(papers.columns, max(1, int((room + _GAP) // (height + below + _GAP))), side, height, below)

    @property
    def on_a_page(self) -> int:
        return self.columns * self.rows


def page_count(papers: Papers, frames: int) -> int:
    """How many pages a sheet of so many frames has."""
    return max(1, ceil(frames / Layout.of(papers).on_a_page))


@dataclass(frozen=True)
class SheetTile:
    """One picture as JPEG, and what stands under it: its name, colours with shares that sum to 1, and words."""

    picture: bytes
    name: str
    palette: tuple[tuple[str, float], ...] = ()
    words: str = ""


@cache
def _font(weight: str) -> Path:
    with as_file(files("nuvett.services.delivery.papers") / "fonts" / f"schibsted-grotesk-{weight}.ttf") as path:
        return path


def sheet_pdf(title: str, below: str, tiles: list[SheetTile], papers: Papers) -> bytes:
    """A contact sheet; `title` and `below` stand at the head of every page."""
    layout = Layout.of(papers)
    pdf = _paper(title)
    pages = max(1, ceil(len(tiles) / layout.on_a_page))
    for page in range(pages):
        pdf.add_page()
        _head(pdf, title, below, f"{page + 1} of {pages}")
        for place, tile in enumerate(tiles[page * layout.on_a_page : (page + 1) * layout.on_a_page]):
            row, column = divmod(place, layout.columns)
            left = _MARGIN + column * (layout.side + _GAP)
            top = _MARGIN + _HEAD + row * (layout.height + layout.below + _GAP)
            _draw(pdf, tile, left, top, layout)
    return bytes(pdf.output())


def _paper(title: str) -> FPDF:
    """A document of A4 pages that are still to be added."""
    pdf = FPDF(format="A4")
    pdf.set_auto_page_break(False)
    pdf.set_title(title)
    pdf.c_margin = 0
    for style, weight in (("", "regular"), ("B", "bold")):
        pdf.add_font(_FONT, style, _font(weight))
    return pdf


def _text(pdf: FPDF, left: float, top: float, text: str, width: float, align: str = "L") -> None:
    """One line of text, cut to a width with an ellipsis."""
    shown = text
    while shown and pdf.get_string_width(shown) > width - 0.5:
        shown = shown.removesuffix("…")[:-1].rstrip() + "…"
        if shown == "…":
            break
    pdf.set_xy(left, top)
    pdf.cell(width, pdf.font_size * 1.2, shown, align=align)


def _head(pdf: FPDF, title: str, below: str, page: str) -> None:
    wide = _WIDTH - 2 * _MARGIN
    pdf.set_text_color(*_INK)
    pdf.set_font(_FONT, "B", 13)
    _text(pdf, _MARGIN, _MARGIN, title, wide * 0.8)
    pdf.set_font(_FONT, "", 8)
    _text(pdf, _MARGIN, _MARGIN + 0.8, page, wide, "R")
    pdf.set_text_color(*_QUIET)
    _text(pdf, _MARGIN, _MARGIN + 6.2, below, wide)


def _draw(pdf: FPDF, tile: SheetTile, left: float, top: float, layout: Layout) -> None:
    side = layout.side
    with Image.open(BytesIO(tile.picture)) as picture:
        across, down = picture.size
    scale = min(side / across, layout.height / down)
    width, height = across * scale, down * scale
    pdf.image(BytesIO(tile.picture), left, top + layout.height - height, width, height)
    at = top + layout.height + 0.6
    pdf.set_text_color(*_INK)
    pdf.set_font(_FONT, "", 7.5 if side > 24 else 6)
    _text(pdf, left, at, tile.name, side)
    at += _CAPTION - 0.8
    if tile.palette:
        x = left
        for colour, share in tile.palette:
            pdf.set_fill_color(*(int(colour[i : i + 2], 16) for i in (1, 3, 5)))
            pdf.rect(x, at, width * share, _STRIP - 0.8, "F")
            x += width * share
        at += _STRIP
    if tile.words:
        pdf.set_text_color(*_QUIET)
        pdf.set_font(_FONT, "", 6.5 if side > 24 else 5.5)
        _text(pdf, left, at - 0.4, tile.words, side)


def card_pdf(title: str, rows: Sequence[CardRow]) -> bytes:
    """A palette card on a page of A4: every colour with its name, numbers and share."""
    pdf = _paper(title)
    pdf.add_page()
    pdf.set_text_color(*_INK)
    pdf.set_font(_FONT, "B", 13)
    wide = _WIDTH - 2 * _MARGIN
    _text(pdf, _MARGIN, _MARGIN, title, wide)
    for place, row in enumerate(rows):
        top, left = _MARGIN + _HEAD + place * _CARD_ROW, _MARGIN + _CARD_SWATCH + 6
        pdf.set_fill_color(*(int(row.hex[i : i + 2], 16) for i in (1, 3, 5)))
        pdf.rect(_MARGIN, top, _CARD_SWATCH, _CARD_ROW - 3, "F")
        pdf.set_text_color(*_INK)
        pdf.set_font(_FONT, "B", 11)
        _text(pdf, left, top + 1, row.name, wide - _CARD_SWATCH - 30)
        _text(pdf, _MARGIN, top + 1, f"{100 * row.share:.0f} %", wide, "R")
        pdf.set_text_color(*_QUIET)
        pdf.set_font(_FONT, "", 9)
        for line, words in enumerate(row.numbers):
            _text(pdf, left, top + 7 + line * 4.6, words, wide - _CARD_SWATCH - 6)
    return bytes(pdf.output())


def sheet_picture(pdf: bytes, page: int) -> bytes:
    """JPEG of a page of a contact sheet, from 0."""
    document = pypdfium2.PdfDocument(pdf)
    try:
        picture = document[page].render(scale=_DPI / 72).to_pil().convert("RGB")
    finally:
        document.close()
    out = BytesIO()
    picture.save(out, "JPEG", quality=90, dpi=(_DPI, _DPI))
    return out.getvalue()
