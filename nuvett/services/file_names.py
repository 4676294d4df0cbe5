"""Names of finished files: by pattern, and such that every system can keep them side by side in one folder."""

import re
import unicodedata

from nuvett.core.errors import InvalidChangeError

FIELDS = ("name", "series", "number", "version")
_MOST_BYTES = 200  # of a name with its suffix; most systems allow 255
_UNSAFE = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*]')
_RESERVED = frozenset(
    ["con", "prn", "aux", "nul", *(f"{port}{n}" for port in ("com", "lpt") for n in [*range(1, 10), "¹", "²", "³"])]
)


def check_pattern(pattern: str) -> None:
    """Raises InvalidChangeError for a field that is not there."""
    unknown = [word for word in re.findall(r"{([^{}]*)}", pattern) if word not in FIELDS]
    if unknown or re.sub(r"{[a-z]+}", "", pattern).count("{"):
        raise InvalidChangeError(
            f"The name pattern may hold {', '.join('{' + f + '}' for f in FIELDS)} and plain text."
        )


def file_names(pattern: str, suffix: str, series: str, frames: list[tuple[str, int]]) -> list[str]:
    """File names by pattern for frames given as name and version followed; equal names get a number.

    Raises InvalidChangeError for an unknown field in the pattern.
    """
    check_pattern(pattern)
    digits = max(2, len(str(len(frames))))
    taken: set[str] = set()
    names = []
    for index, (name, version) in enumerate(frames, start=1):
        values = {"name": name, "series": series, "number": str(index).zfill(digits), "version": str(version)}
        stem = re.sub(r"{([a-z]+)}", lambda field, values=values: values[field[1]], pattern)  # type: ignore[misc]
        unique = _free(safe_stem(stem, suffix) or values["number"], suffix, taken)
        taken.add(_folded(unique))
        names.append(unique + suffix)
    return names


def safe_stem(stem: str, suffix: str) -> str:
    """A name without what some system refuses: unsafe signs, reserved words, ends in a dot, more than 200 bytes."""
    composed = unicodedata.normalize("NFC", stem.encode("utf-8", "replace").decode())
    plain = _UNSAFE.sub("-", "".join(c if c.isprintable() else "-" for c in composed)).strip(" .")
    if _folded(plain.split(".")[0].strip()) in _RESERVED:
        plain = f"_{plain}"
    return _cut(plain, _MOST_BYTES - len(suffix.encode()))


def _free(stem: str, suffix: str, taken: set[str]) -> str:
    unique, extra = stem, 2
    while _folded(unique) in taken:
        end = f"-{extra}"
        unique = _cut(stem, _MOST_BYTES - len((suffix + end).encode())) + end
        extra += 1
    return unique


def _cut(text: str, most: int) -> str:
    """A text of at most so many bytes, whole letters."""
    return text.encode()[:most].decode("utf-8", "ignore").rstrip(" .")


def _folded(text: str) -> str:
    """The same for all names that some system takes for one: whatever the case, and the way letters are composed."""
    return unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", text).casefold())
