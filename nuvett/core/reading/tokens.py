"""Palettes as Design Tokens: the Design Tokens Format Module and its Color Module, W3C community group, 2025.10."""

import json
import re
from typing import Any, TypeGuard

import numpy as np

from nuvett.core.errors import DocumentError
from nuvett.core.reading.palette import Palette
from nuvett.core.spaces.oklab import hex_to_oklab, linear_to_oklab, oklch_to_oklab
from nuvett.core.spaces.rgb import SPACES, to_linear
from nuvett.core.types import Encoded01, Linear, OKLab, OKLCh

_SHARE = "nuvett.share"
_DEEPEST = 16  # groups within groups that are looked into
_ALIAS = re.compile(r"\{([^{}]+)\}")
_RGB = {space.token: space.name for space in SPACES.values() if space.token}
_REQUIRED = "#rrggbb, or a colour of a named space with its components"
Found = list[tuple[OKLab, float | None]]


def write_tokens(palette: Palette, title: str) -> str:
    """One group of colour tokens in OKLCh, each with its sRGB form beside and its share as an extension."""
    tokens: dict[str, Any] = {"$type": "color"}
    for index, colour in enumerate(palette, start=1):
        lightness, chroma, hue = colour.lch
        tokens[f"{_plain(colour.name)} {index}"] = {
            "$value": {
                "colorSpace": "oklch",
                "components": [round(lightness, 5), round(chroma, 5), round(hue, 3)],
                "alpha": 1,
                "hex": colour.hex,
            },
            "$extensions": {_SHARE: round(colour.share, 5)},
        }
    return json.dumps({_plain(title): tokens}, indent=2, ensure_ascii=False) + "\n"


def _plain(name: str) -> str:
    """A name as groups and tokens may have: no `$` first, no braces, no dots."""
    return re.sub(r"[{}.]", " ", name).lstrip("$").strip() or "Palette"


def is_tokens(data: object) -> TypeGuard[dict[str, Any]]:
    """Whether a JSON document holds design tokens."""
    return isinstance(data, dict) and any(isinstance(v, dict) and _has_value(v, _DEEPEST) for v in data.values())


def _has_value(node: dict[str, Any], depth: int) -> bool:
    below = [v for k, v in node.items() if not k.startswith("$") and isinstance(v, dict)]
    return "$value" in node or (depth > 0 and any(_has_value(v, depth - 1) for v in below))


def read_tokens(data: dict[str, Any], stem: str) -> tuple[str, Found]:
    """Name of the group (or `stem`) and its colours, OKLab (3,) with shares where they are told, in their order.

    Tokens of other types are passed over; aliases are followed. Raises DocumentError for a colour that is not one.
    """
    found: Found = []
    _walk(data, data, "", found, _DEEPEST)
    groups = [name for name, node in data.items() if not name.startswith("$") and isinstance(node, dict)]
    named = len(groups) == 1 and "$value" not in data[groups[0]]
    return groups[0] if named else stem, found


def _walk(root: dict[str, Any], node: dict[str, Any], kind: str, found: Found, depth: int) -> None:
    told = node.get("$type")
    kind = told if isinstance(told, str) else kind
    if "$value" in node:
        if kind == "color":
            found.append((_colour(root, node["$value"]), _share_of(node)))
        return
    if depth == 0:
        raise DocumentError(f"This palette is damaged: groups lie more than {_DEEPEST} deep.")
    for name, below in node.items():
        if not name.startswith("$") and isinstance(below, dict):
            _walk(root, below, kind, found, depth - 1)


def _share_of(node: dict[str, Any]) -> float | None:
    extensions = node.get("$extensions")
    share = extensions.get(_SHARE) if isinstance(extensions, dict) else None
    return float(share) if isinstance(share, int | float) and 0 <= share <= 1 else None


def _colour(root: dict[str, Any], value: object, hops: int = _DEEPEST) -> OKLab:
    alias = _ALIAS.fullmatch(value) if isinstance(value, str) else None
    if alias is not None:
        target: Any = root
        for part in alias[1].split("."):
            target = target.get(part) if isinstance(target, dict) else None
        if not isinstance(target, dict) or "$value" not in target or hops == 0:
            raise DocumentError(f"This palette is damaged: {value} leads nowhere.")
        return _colour(root, target["$value"], hops - 1)
    if isinstance(value, str):
        return _of_hex(value)
    if isinstance(value, dict):
        return _of_components(value)
    raise DocumentError(f"This palette is damaged: each colour is written as {_REQUIRED}.")


def _of_hex(text: str) -> OKLab:
    try:
        return hex_to_oklab(text)
    except ValueError as error:
        raise DocumentError(f"This palette is damaged: each colour is written as {_REQUIRED}.") from error


def _of_components(value: dict[str, Any]) -> OKLab:
    space, components = value.get("colorSpace"), value.get("components")
    numbers = [0.0 if part == "none" else part for part in components] if isinstance(components, list) else []
    if len(numbers) == 3 and all(isinstance(n, int | float) and abs(n) <= 1000 for n in numbers):
        given = np.array([numbers], dtype=np.float32)
        if space == "oklab":
            return OKLab(given[0])
        if space == "oklch":
            return OKLab(oklch_to_oklab(OKLCh(given))[0])
        if space == "srgb-linear":
            return OKLab(linear_to_oklab(Linear(given))[0])
        if isinstance(space, str) and space in _RGB:
            linear = to_linear(Encoded01(np.clip(given, 0, 1)), _RGB[space])
            return OKLab(linear_to_oklab(linear)[0])
    if isinstance(value.get("hex"), str):  # what the format offers to readers that do not know the space
        return _of_hex(value["hex"])
    raise DocumentError(f"This palette is damaged: each colour is written as {_REQUIRED}.")
