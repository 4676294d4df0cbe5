"""Names of finished files: by pattern, and such that every system can keep them side by side in one folder."""

import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from nuvett.core.errors import InvalidChangeError

FIELDS: dict[str, str] = {
    "name": "the frame's name",
    "original": "the number in the frame's name",
    "date": "when it was taken, 2026-09-18",
    "time": "when it was taken, 0905",
    "series": "the series",
    "number": "a counter",
    "variant": "the variant's name",
    "version": "the version of the look",
}
"""What a pattern may hold, and what stands there."""

_MAX_BYTES = 200  # of a name with its suffix; most systems allow 255
_MAX_FOLDERS = 6
_UNSAFE = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*]')
_RESERVED = frozenset(
    ["con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in [*range(1, 10), "¹", "²", "³"])]
)


@dataclass(frozen=True)
class Labelled:
    """What the name of a file can be made of."""

    name: str
    version: int = 1
    variant: str = ""
    taken: datetime | None = None


@dataclass(frozen=True)
class Pattern:
    """How the files of one kind are named. folder : pattern of the folders that they lie in, with / between.

    start, digits : of the counter; none for as many digits as it takes, two at least
    """

    stem: str
    suffix: str
    folder: str = ""
    start: int = 1
    digits: int | None = None


@dataclass(frozen=True)
class FileNames:
    """Names with their folders; those that would have been equal got a number, and are counted."""

    names: list[str]
    equal: int


def check_pattern(pattern: str) -> None:
    """Raises InvalidChangeError for a field that is not there."""
    unknown = [word for word in re.findall(r"{([^{}]*)}", pattern) if word not in FIELDS]
    rest = re.sub(r"{[a-z]+}", "", pattern)
    if unknown or "{" in rest or "}" in rest:
        raise InvalidChangeError(
            f"The name pattern may hold {', '.join('{' + f + '}' for f in FIELDS)} and plain text."
        )


def file_names(patterns: Sequence[Pattern], series: str, frames: Sequence[Labelled]) -> FileNames:
    """Names of the files of each frame, one for each pattern, frame by frame; equal names get a number.

    Raises InvalidChangeError for an unknown field in a pattern.
    """
    for pattern in patterns:
        check_pattern(pattern.stem)
        check_pattern(pattern.folder)
    taken: set[str] = set()
    names: list[str] = []
    equal = 0
    for index, frame in enumerate(frames):
        for pattern in patterns:
            values = _values(pattern, series, frame, index, len(frames))
            folder = _folder(pattern.folder, values)
            stem = safe_stem(_filled(pattern.stem, values), pattern.suffix) or values["number"]
            unique = _free(folder, stem, pattern.suffix, taken)
            equal += unique != stem
            taken.add(_folded(folder + unique + pattern.suffix))
            names.append(folder + unique + pattern.suffix)
    return FileNames(names, equal)


def _values(pattern: Pattern, series: str, frame: Labelled, index: int, count: int) -> dict[str, str]:
    last = pattern.start + count - 1
    digits = pattern.digits or max(2, len(str(last)))
    numbers = re.findall(r"\d+", frame.name)
    return {
        "name": frame.name,
        "original": numbers[-1] if numbers else "",
        "date": frame.taken.strftime("%Y-%m-%d") if frame.taken else "undated",
        "time": frame.taken.strftime("%H%M") if frame.taken else "",
        "series": series,
        "number": str(pattern.start + index).zfill(digits),
        "variant": frame.variant,
        "version": str(frame.version),
    }


def _filled(pattern: str, values: dict[str, str]) -> str:
    filled = re.sub(r"{([a-z]+)}", lambda field: values[field[1]], pattern)
    return filled if "{variant}" not in pattern or values["variant"] else filled.strip(" -_")


def _folder(pattern: str, values: dict[str, str]) -> str:
    """Folders with a / after each; what would lead out of the folder is none."""
    # Fields are filled in for each folder by itself, so that what they hold makes no further ones.
    parts = [safe_stem(_filled(part, values), "") for part in pattern.split("/") if part.strip(" .")]
    return "".join(f"{part}/" for part in parts[:_MAX_FOLDERS] if part)


def safe_stem(stem: str, suffix: str) -> str:
    """A name without what some system refuses: unsafe signs, reserved words, ends in a dot, more than 200 bytes."""
    composed = unicodedata.normalize("NFC", stem.encode("utf-8", "replace").decode())
    plain = _UNSAFE.sub("-", "".join(c if c.isprintable() else "-" for c in composed)).strip(" .")
    if _folded(plain.split(".")[0].strip()) in _RESERVED:
        plain = f"_{plain}"
    return _cut(plain, _MAX_BYTES - len(suffix.encode()))


def _free(folder: str, stem: str, suffix: str, taken: set[str]) -> str:
    unique, extra = stem, 2
    while _folded(folder + unique + suffix) in taken:
        end = f"-{extra}"
        unique = _cut(stem, _MAX_BYTES - len((suffix + end).encode())) + end
        extra += 1
    return unique


def _cut(text: str, most: int) -> str:
    """A text of at most so many bytes, whole letters."""
    return text.encode()[:most].decode("utf-8", "ignore").rstrip(" .")


def _folded(text: str) -> str:
    """The same for all names that some system takes for one: whatever the case, and the way letters are composed."""
    return unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", text).casefold())
