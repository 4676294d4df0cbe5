"""What changed between two looks or trims, in words; and the words, unit and range of every value."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from pydantic import BaseModel

from nuvett.core.look.look import Look, Trim
from nuvett.core.look.steps import FamilyHold, OwnMove
from nuvett.core.reading.palette import Colour
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
        return f"{text}°" if self.unit == "°" else f"{text} {self.unit}".strip()


def point_words(channel: str) -> tuple[ValueWords, ValueWords]:
    """How the two values of a point of a curve are called: where it takes lightness or a channel from, and to."""
    of, unit = ("Tone curve", "L*") if channel == "master" else (f"Curve of {channel}", "%")
    ends = [ValueWords(f"{of}, a point {way}", unit, 0, 100, 1, None) for way in ("from", "to")]
    return ends[0], ends[1]


def held_words(hold: FamilyHold) -> dict[str, ValueWords]:
    """How the limits of a held family are called, by their fields."""
    name = family_name(hold)
    return {
        field: replace(LOOK_VALUES[f"hold.{field}"], label=f"{name}: {words}", usual=None)
        for field, words in (("hue", "hue"), ("chroma", "chroma"), ("lightness", "lightness"))
    }


_LABELS: dict[str, tuple[str, str, float]] = {
    "strength": ("Strength of the look", "%", 1),
    "colour": ("Colour", "%", 1),
    "vivid": ("Strong colours keep at least", "%", 1),
    "pull": ("Pull", "%", 1),
    "even.amount": ("Even light", "%", 1),
    "tone.amount": ("Tone", "%", 1),
    "tone.black": ("Black point", "L*", 0.5),
    "tone.white": ("White point", "L*", 0.5),
    "tone.steepest": ("Contrast rises at most", "-fold", 0.05),
    "zones.amount": ("Zone tints", "%", 1),
    "zones.shadow": ("Shadow tint", "%", 1),
    "zones.midtone": ("Midtone tint", "%", 1),
    "zones.highlight": ("Highlight tint", "%", 1),
    "zones.whites": ("Whites take of the tint", "%", 1),
    "zones.shadow_hue": ("Shadow hue", "°", 1),
    "zones.midtone_hue": ("Midtone hue", "°", 1),
    "zones.highlight_hue": ("Highlight hue", "°", 1),
    "zones.shadow_chroma": ("Shadow chroma", "", 0.2),
    "zones.midtone_chroma": ("Midtone chroma", "", 0.2),
    "zones.highlight_chroma": ("Highlight chroma", "", 0.2),
    "zones.shadow_lightness": ("Shadow lightness", "L*", 0.5),
    "zones.midtone_lightness": ("Midtone lightness", "L*", 0.5),
    "zones.highlight_lightness": ("Highlight lightness", "L*", 0.5),
    "zones.crossover": ("Crossover", "L*", 1),
    "zones.width": ("Crossover width", "L*", 1),
    "spread.amount": ("Colour spread", "%", 1),
    "moves.amount": ("Colour moves", "%", 1),
    "moves.reach": ("Reach of colour moves, in OKLab", "hundredths", 0.5),
    "white.amount": ("White taken", "%", 1),
    "white.warmth": ("Warmth", "%", 1),
    "white.tint": ("Tint", "%", 1),
    "exposure.amount": ("Exposure taken", "%", 1),
    "exposure.exposure": ("Exposure", "EV", 0.05),
    "exposure.contrast": ("Contrast", "%", 1),
    "exposure.pivot": ("Pivot of contrast", "L*", 1),
    "curve.amount": ("Tone curve", "%", 1),
    "curve.faded": ("Faded blacks", "L*", 0.5),
    "saturation.amount": ("Saturation taken", "%", 1),
    "saturation.saturation": ("Saturation", "%", 1),
    "saturation.vibrance": ("Vibrance", "%", 1),
    "wash.amount": ("Palette wash", "%", 1),
    "filter.amount": ("Tint filter", "%", 1),
    "filter.hue": ("Hue of the tint filter", "°", 1),
    "mono.amount": ("Black-and-white", "%", 1),
    "mono.toned": ("Toning of black-and-white", "%", 1),
    "mono.pink": ("Pink in black-and-white", "%", 1),
    "mono.red": ("Red in black-and-white", "%", 1),
    "mono.orange": ("Orange in black-and-white", "%", 1),
    "mono.yellow": ("Yellow in black-and-white", "%", 1),
    "mono.green": ("Green in black-and-white", "%", 1),
    "mono.teal": ("Teal in black-and-white", "%", 1),
    "mono.blue": ("Blue in black-and-white", "%", 1),
    "mono.violet": ("Violet in black-and-white", "%", 1),
    "hold.hue": ("Skin hue held within", "°", 1),
    "hold.chroma": ("Skin chroma held within", "%", 1),
    "hold.lightness": ("Skin lightness held within", "L*", 1),
    "finish.amount": ("Finish", "%", 1),
    "finish.noise": ("Noise reduction", "%", 1),
    "finish.local": ("Local contrast", "%", 1),
    "finish.haze": ("Haze taken away", "%", 1),
    "finish.softness": ("Softness", "%", 1),
    "finish.sharpening": ("Sharpening", "%", 1),
    "finish.masking": ("Flat areas spared", "%", 1),
    "finish.vignette": ("Corners darker", "% of a stop", 1),
    "finish.grain": ("Grain", "%", 1),
    "finish.grain_size": ("Size of grain", "", 0.1),
}
_MOVE_LABELS: dict[str, tuple[str, str, float]] = {
    "hue": ("Hue turned by", "°", 1),
    "chroma": ("Chroma added", "%", 1),
    "lightness": ("Lightness added", "L*", 0.5),
    "reach": ("Reach, in OKLab", "hundredths", 0.5),
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
    "curve": "Tone curve",
    "saturation": "Saturation",
    "wash": "Palette wash",
    "filter": "Tint filter",
    "mono": "Black-and-white",
    "hold": "Hold of skin",
    "finish": "Finish",
}
HELD_WHERE = {"faces": "where a face is found", "everywhere": "in every frame"}
PART_WORDS = {"both": "colour and tone", "colour": "colour only", "tone": "tone only"}


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
MOVE_VALUES = _collect(OwnMove, _MOVE_LABELS)
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
        old_part, new_part = (getattr(getattr(look, step), "part", None) for look in (before, after))
        if old_part != new_part:
            changes.append(f"{title}: {PART_WORDS[new_part or 'both']}")
    if before.hold.where != after.hold.where:
        changes.append(f"Skin held {HELD_WHERE[after.hold.where]}")
    changes += _value_changes(before, after, LOOK_VALUES)
    changes += _curve_changes(before, after) + _wash_changes(before, after) + _move_changes(before, after)
    return _joined(changes + _kept_changes(before, after))


def _curve_changes(before: Look, after: Look) -> list[str]:
    names = ("master", "red", "green", "blue")
    changed = [name for name in names if getattr(before.curve, name) != getattr(after.curve, name)]
    return [f"{name.capitalize()} curve changed" for name in changed]


def _wash_changes(before: Look, after: Look) -> list[str]:
    said = [f"Wash as {after.wash.mode}"] if before.wash.mode != after.wash.mode else []
    if before.wash.colours != after.wash.colours:
        said.append("Wash with another palette" if after.wash.colours else "Wash with the target's palette")
    return said


def _colour_word(colour: Colour) -> str:
    return colour_name(np.array(colour, dtype=np.float32))


def _move_changes(before: Look, after: Look) -> list[str]:
    old, new = before.moves.own, after.moves.own
    said = []
    if len(new) > len(old):
        said.append(f"Move {_colour_word(new[-1].source)}")
    elif len(new) < len(old):
        gone = next(m for i, m in enumerate(old) if i >= len(new) or new[i] != m)
        said.append(f"No longer move {_colour_word(gone.source)}")
    else:
        said += [f"Move of {_colour_word(b.source)}" for a, b in zip(old, new, strict=True) if a != b]
    if before.moves.pins != after.moves.pins:
        more = len(after.moves.pins) - len(before.moves.pins)
        said.append("Pairing pinned" if more > 0 else "Pairing set free" if more < 0 else "Pin of pairing changed")
    return said


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
