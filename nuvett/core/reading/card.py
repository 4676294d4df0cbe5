"""Palette cards: a palette to show others, each colour with its name, its numbers and its share, as SVG."""

from dataclasses import dataclass
from html import escape

from nuvett.core.reading.palette import Palette
from nuvett.core.spaces.cielab import linear_to_cielab
from nuvett.core.spaces.oklab import oklab_to_linear
from nuvett.core.types import OKLab

_WIDTH, _ROW, _HEAD, _MARGIN, _SWATCH = 720, 84, 76, 32, 200
_INK, _QUIET, _PAPER = "#111", "#5f5f5f", "#fff"


@dataclass(frozen=True)
class CardRow:
    """One colour of a card: as #rrggbb, its name, lines of numbers, and its share, 0 to 1."""

    hex: str
    name: str
    numbers: tuple[str, ...]
    share: float


def card_rows(palette: Palette) -> list[CardRow]:
    """What a card says of each colour: sRGB, CIE L*a*b* under D65, OKLCh."""
    total = sum(colour.share for colour in palette) or 1.0
    found = []
    for colour in palette:
        lightness, chroma, hue = colour.lch
        cie = linear_to_cielab(oklab_to_linear(OKLab(colour.lab[None])))[0]
        red, green, blue = (int(colour.hex[i : i + 2], 16) for i in (1, 3, 5))
        numbers = (
            f"{colour.hex}   sRGB {red} {green} {blue}",
            f"CIE L*a*b* {cie[0]:.1f} {cie[1]:.1f} {cie[2]:.1f}   OKLCh {lightness:.3f} {chroma:.3f} {hue:.0f}°",
        )
        found.append(CardRow(colour.hex, colour.name, numbers, colour.share / total))
    return found


def card_svg(palette: Palette, title: str) -> str:
    """A card as an SVG picture that needs nothing beside it."""
    rows = card_rows(palette)
    height = _HEAD + _ROW * len(rows) + _MARGIN
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {_WIDTH} {height}" width="{_WIDTH}" height="{height}"'
        f' font-family="sans-serif"><title>{escape(title)}</title>',
        f'  <rect width="{_WIDTH}" height="{height}" fill="{_PAPER}"/>',
        f'  <text x="{_MARGIN}" y="48" font-size="24" font-weight="bold" fill="{_INK}">{escape(title)}</text>',
    ]
    for index, row in enumerate(rows):
        top = _HEAD + index * _ROW
        left = _MARGIN + _SWATCH + 24
        first, second = (escape(line) for line in row.numbers)
        parts += [
            f'  <rect x="{_MARGIN}" y="{top}" width="{_SWATCH}" height="{_ROW - 12}" fill="{row.hex}"/>',
            f'  <text x="{left}" y="{top + 22}" font-size="18" font-weight="bold" fill="{_INK}">'
            f"{escape(row.name)}</text>",
            f'  <text x="{_WIDTH - _MARGIN}" y="{top + 22}" font-size="18" text-anchor="end" fill="{_INK}">'
            f"{100 * row.share:.0f} %</text>",
            f'  <text x="{left}" y="{top + 44}" font-size="14" fill="{_QUIET}" xml:space="preserve">{first}</text>',
            f'  <text x="{left}" y="{top + 64}" font-size="14" fill="{_QUIET}" xml:space="preserve">{second}</text>',
        ]
    return "\n".join([*parts, "</svg>", ""])
