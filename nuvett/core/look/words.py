"""What changed between two looks or trims, in words; and the words, unit and range of every value."""

from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import BaseModel

from nuvett.core.look.look import FamilyHold, Look, Trim
from nuvett.core.spaces.names import colour_name


@dataclass(frozen=True)
class ValueWords:
    """How one value is called, its unit, range, smallest sensible step and usual value."""

    label: str
    unit: str
    low: float
    high: float
    step: float
    usual: float | None

    def written(self, value: float | None) -> str:
        """A value with its unit."""
        if value is None:
            return "the target's"
        digits = max(0, len(f"{self.step:g}".partition(".")[2]))
        text = f"{value:.{digits}f}".replace("-", "−")
        return f"{text} {self.unit}".strip()


_LABELS: dict[str, tuple[str, str, float]] = {
    "strength": ("Strength of the look", "%", 1),
    "colour": ("Colour", "%", 1),
    "pull": ("Pull", "%", 1),
    "even.amount": ("Even light", "%", 1),
    "tone.amount": ("Tone", "%", 1),
    "tone.black": ("Black point", "L*", 0.5),
    "tone.white": ("White point", "L*", 0.5),
    "tone.steepest": ("Steepest tone", "", 0.05),
    "zones.amount": ("Zone tints", "%", 1),
    "zones.shadow": ("Shadow tint", "%", 1),
    "zones.midtone": ("Midtone tint", "%", 1),
    "zones.highlight": ("Highlight tint", "%", 1),
    "zones.crossover": ("Crossover", "L*", 1),
    "zones.width": ("Crossover width", "L*", 1),
    "spread.amount": ("Colour spread", "%", 1),
    "moves.amount": ("Colour moves", "%", 1),
    "moves.reach": ("Reach of colour moves", "", 0.5),
    "white.warmth": ("Warmth", "%", 1),
    "white.tint": ("Tint", "%", 1),
    "exposure.exposure": ("Exposure", "EV", 0.05),
    "exposure.contrast": ("Contrast", "%", 1),
    "exposure.pivot": ("Pivot of contrast", "L*", 1),
    "saturation.saturation": ("Saturation", "%", 1),
    "saturation.vibrance": ("Vibrance", "%", 1),
    "hold.hue": ("Skin hue held within", "°", 1),
    "hold.chroma": ("Skin chroma held within", "%", 1),
    "hold.lightness": ("Skin lightness held within", "L*", 1),
}
_TRIM_LABELS: dict[str, tuple[str, str, float]] = {
    "exposure": ("Exposure", "EV", 0.05),
    "warmth": ("Warmth", "%", 1),
    "tint": ("Tint", "%", 1),
    "saturation": ("Saturation", "%", 1),
    "strength": ("Strength of the look", "%", 1),
}
STEP_TITLES = {
    "even": "Even light",
    "tone": "Tone",
    "zones": "Zone tints",
    "spread": "Colour spread",
    "moves": "Colour moves",
    "white": "White",
    "exposure": "Exposure and contrast",
    "saturation": "Saturation",
    "hold": "Hold of skin",
}


def _field(model: type[BaseModel], path: str) -> tuple[float, float, float | None]:
    """Lowest, highest and usual value of a field given as `step.field`, read from the model itself."""
    head, _, rest = path.partition(".")
    field = model.model_fields[head]
    if rest:
        return _field(type(field.default), rest)
    bounds = {type(rule).__name__: rule for rule in field.metadata}
    return float(bounds["Ge"].ge), float(bounds["Le"].le), field.default


def _collect(model: type[BaseModel], labels: dict[str, tuple[str, str, float]]) -> dict[str, ValueWords]:
    found = {}
    for path, (label, unit, step) in labels.items():
        low, high, usual = _field(model, path)
        found[path] = ValueWords(label, unit, low, high, step, usual)
    return found


LOOK_VALUES = _collect(Look, _LABELS)
TRIM_VALUES = _collect(Trim, _TRIM_LABELS)


def value_at(document: BaseModel, path: str) -> Any:
    """Value of a document at a path of names joined by dots."""
    value: Any = document
    for name in path.split("."):
        value = getattr(value, name)
    return value


def describe(before: Look, after: Look) -> str:
    """What changed, in words for a history: "Tone 75 to 68 %"."""
    changes = []
    for step, title in STEP_TITLES.items():
        old, new = getattr(before, step).on, getattr(after, step).on
        if old != new:
            changes.append(f"{title} {'on' if new else 'off'}")
    changes += _value_changes(before, after, LOOK_VALUES)
    return _joined(changes + _kept_changes(before, after))


def family_name(hold: FamilyHold) -> str:
    """A held family's colour in words."""
    return colour_name(np.array(hold.family.colour, dtype=np.float32))


def _kept_changes(before: Look, after: Look) -> list[str]:
    if len(after.kept) > len(before.kept):
        return [f"Hold {family_name(after.kept[-1])}"]
    if len(after.kept) < len(before.kept):
        gone = next(h for i, h in enumerate(before.kept) if i >= len(after.kept) or after.kept[i] != h)
        return [f"No longer hold {family_name(gone)}"]
    return [f"Hold of {family_name(b)}" for a, b in zip(before.kept, after.kept, strict=True) if a != b]


def describe_trim(before: Trim, after: Trim) -> str:
    """What changed between two trims, in words."""
    return _joined(_value_changes(before, after, TRIM_VALUES))


def _value_changes(before: BaseModel, after: BaseModel, values: dict[str, ValueWords]) -> list[str]:
    found = []
    for path, words in values.items():
        old, new = value_at(before, path), value_at(after, path)
        if old != new:
            found.append(f"{words.label} {words.written(old).removesuffix(words.unit).strip()} to {words.written(new)}")
    return found


def _joined(changes: list[str]) -> str:
    if not changes:
        return "No change"
    return changes[0] if len(changes) == 1 else f"{changes[0]} and {len(changes) - 1} more"
