"""How numbers, times and sizes are written on screens."""

from collections.abc import Callable
from datetime import datetime
from typing import Any

from nuvett.core.fields import NumberWords


def number(value: float, digits: int = 0) -> str:
    """A number with a true minus sign; never "-0"."""
    text = f"{value:.{digits}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", "−")


def signed(value: float, digits: int = 0) -> str:
    """A number with its sign, none for zero."""
    text = number(value, digits)
    return text if text.startswith("−") or float(text) == 0 else f"+{text}"


def with_unit(value: float | None, words: NumberWords) -> str:
    """A live value as it is shown: with its sign where it can have two, and its unit."""
    if value is None or words.low >= 0 or value <= 0 or not words.unit:
        return words.written(value)
    text = words.written(value)
    return text if float(f"{value:.{words.digits}f}") == 0 else f"+{text}"


def size(count: int) -> str:
    """Bytes in the unit that reads best."""
    for unit, scale in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if count >= scale:
            return f"{count / scale:.1f} {unit}"
    return f"{count} bytes"


def clock(moment: datetime | None) -> str:
    """Date and time of day, as kept."""
    return moment.strftime("%d %b %Y, %H:%M") if moment else ""


def day(moment: datetime) -> str:
    """A day, as kept."""
    return f"{moment.day} {moment:%B %Y}"


def plural(count: int, word: str, many: str | None = None) -> str:
    """A count with its noun."""
    return f"{count} {word if count == 1 else many or word + 's'}"


def label_places(marks: list[tuple[float, float]], height: float, gap: float = 12) -> list[float]:
    """Where labels of marks (share, L*) stand beside a column of a height, kept apart and inside; dark ones first."""
    places = [8 + (100 - lightness) / 100 * height for _, lightness in marks]
    lowest = 8 + height
    for i, place in enumerate(places):
        places[i] = lowest = min(place, lowest)
        lowest -= gap
    highest = 8.0
    for i in reversed(range(len(places))):
        places[i] = highest = max(places[i], highest)
        highest += gap
    return places


FILTERS: dict[str, Callable[..., Any]] = {
    "number": number,
    "signed": signed,
    "with_unit": with_unit,
    "size": size,
    "clock": clock,
    "day": day,
    "plural": plural,
    "label_places": label_places,
}
