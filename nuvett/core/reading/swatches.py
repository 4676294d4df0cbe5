"""Palettes as open text: Design Tokens, CSS custom properties and SVG; the first two are read back."""

import json
import re
from html import escape

from pydantic import Field

from nuvett.core.errors import DocumentError
from nuvett.core.reading.card import card_svg
from nuvett.core.reading.palette import LARGEST, SMALLEST, Palette, PaletteColour
from nuvett.core.reading.tokens import Found, is_tokens, read_tokens, write_tokens
from nuvett.core.spaces.oklab import hex_to_oklab
from nuvett.core.types import Document, OKLab

FORMATS: dict[str, str] = {
    "tokens": "application/design-tokens+json",
    "css": "text/css; charset=utf-8",
    "svg": "image/svg+xml",
    "card": "image/svg+xml",
}
"""Formats that are written, with their media types."""
SUFFIXES = {"tokens": ".tokens.json", "css": ".css", "svg": ".svg", "card": ".card.svg"}
_LONGEST = 200_000  # characters; a palette of twelve colours needs a few hundred
_SCHEMA = 1
_HEX = re.compile(r"#(?:[0-9a-fA-F]{6}|[0-9a-fA-F]{3})\b")


class SavedPalette(Document):
    """A palette kept by name; colours in the order they are shown."""

    name: str = Field(min_length=1, max_length=80)
    colours: Palette = Field(min_length=SMALLEST, max_length=LARGEST)


def _key(colour: PaletteColour, index: int) -> str:
    plain = re.sub(r"[^a-z]+", "-", colour.name.lower()).strip("-")
    return f"--{plain}-{index + 1}"


def write_palette(palette: Palette, name: str, kind: str) -> str:
    """Text of a palette in one of FORMATS. Raises ValueError for another format."""
    title = " ".join(name.split()) or "Palette"
    if kind == "tokens":
        return write_tokens(palette, title)
    if kind == "css":
        rows = [f"  {_key(c, i)}: {c.hex}; /* {c.name}, {c.share:.1%} */" for i, c in enumerate(palette)]
        return "\n".join([f"/* {title.replace('*/', '')} */", ":root {", *rows, "}", ""])
    if kind == "svg":
        return _svg(palette, title)
    if kind == "card":
        return card_svg(palette, title)
    raise ValueError(f"{kind} is not a palette format")


def _svg(palette: Palette, title: str) -> str:
    total = sum(c.share for c in palette)
    rows, x = [], 0.0
    for colour in palette:
        width = 600 * (colour.share / total if total > 0 else 1 / len(palette))
        rows.append(
            f'  <rect x="{x:.2f}" width="{width:.2f}" height="100" fill="{colour.hex}">'
            f"<title>{escape(colour.name)}, {colour.share:.1%}</title></rect>"
        )
        x += width
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 600 100" role="img"><title>{escape(title)}</title>'
    return "\n".join([head, *rows, "</svg>", ""])


def read_palette(data: bytes, file_name: str) -> SavedPalette:
    """A palette from Design Tokens, CSS or JSON of an earlier version; the format is told from the content.

    Raises DocumentError when nothing can be read, and for fewer or more colours than a palette takes.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise DocumentError("This is not a palette: the file is not text.") from error
    if len(text) > _LONGEST:
        raise DocumentError("This file is too large to be a palette.")
    stem = re.sub(r"\.[^.]*$", "", file_name.replace("\\", "/").rsplit("/", 1)[-1]).strip() or "Palette"
    if text.lstrip().startswith(("{", "[")):
        name, found = _read_json(text, stem)
    else:
        plain = re.sub(r"/\*.*?\*/", "", text, flags=re.DOTALL)
        name, found = stem, [(_of_hex(h), None) for h in _HEX.findall(plain)]
    if not SMALLEST <= len(found) <= LARGEST:
        raise DocumentError(
            f"{len(found) or 'No'} colours were found in this file; a palette has {SMALLEST} to {LARGEST}."
            " Nothing was kept."
        )
    shares = [1.0 if share is None else share for _, share in found]
    total = sum(shares) or 1.0
    colours = tuple(
        PaletteColour(lightness=float(lab[0]), a=float(lab[1]), b=float(lab[2]), share=share / total)
        for (lab, _), share in zip(found, shares, strict=True)
    )
    return SavedPalette(name=" ".join(name.split())[:80] or "Palette", colours=colours)


def _of_hex(text: str) -> OKLab:
    full = text if len(text) == 7 else "#" + "".join(c * 2 for c in text[1:])
    return hex_to_oklab(full)


def _read_json(text: str, stem: str) -> tuple[str, Found]:
    try:
        data = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        raise DocumentError("This palette is damaged: it is not valid JSON.") from error
    if is_tokens(data):
        return read_tokens(data, stem)
    schema = data.get("schema", _SCHEMA) if isinstance(data, dict) else _SCHEMA
    if schema != _SCHEMA:
        raise DocumentError(f"This palette has schema {schema}; this version reads schema {_SCHEMA}.")
    entries = data.get("colours", []) if isinstance(data, dict) else data
    name = str(data.get("name", stem)) if isinstance(data, dict) else stem
    found: Found = []
    for entry in entries if isinstance(entries, list) else []:
        text_of = entry.get("hex") if isinstance(entry, dict) else entry
        share = entry.get("share") if isinstance(entry, dict) else None
        if not isinstance(text_of, str) or not _HEX.fullmatch(text_of):
            raise DocumentError("This palette is damaged: each colour is written as #rrggbb.")
        found.append((_of_hex(text_of), float(share) if isinstance(share, int | float) and 0 <= share <= 1 else None))
    return name, found
