"""How the fields of steps are described: label, unit, range and usual value stand on the field itself."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, Field
from pydantic.fields import FieldInfo

_NUMBER, _CHOICE, _SWITCH = "number", "choice", "switch"


@dataclass(frozen=True)
class Empty:
    """What stands for a number that is not given, in words, and the number that it starts from when it is changed."""

    words: str
    start: float


def number(
    usual: float | None,
    low: float,
    high: float,
    label: str,
    unit: str = "%",
    step: float = 1,
    empty: Empty | None = None,
    full: float | None = None,
) -> Any:
    """A number of a step: usual value, range, label, unit, smallest sensible change, and words for none.

    full : above which it is marked as beyond full
    """
    shown: dict[str, Any] = {"label": label, "unit": unit, "step": step}
    if full is not None:
        shown["full"] = full
    if empty is not None:
        shown |= {"empty": empty.words, "start": empty.start}
    return Field(default=usual, ge=low, le=high, json_schema_extra={_NUMBER: shown})


def clipping(field: Any) -> Any:
    """A number that can push tones beyond black or white: what clips is shown while it moves."""
    field.json_schema_extra[_NUMBER]["clips"] = True
    return field


def choice(usual: str, label: str, words: Mapping[str, str]) -> Any:
    """A choice of a step: usual value, label, and words for each value."""
    return Field(default=usual, json_schema_extra={_CHOICE: {"label": label, "words": dict(words)}})


def switch(usual: bool, label: str) -> Any:
    """Something that is done or not: usual value, and what it is called."""
    return Field(default=usual, json_schema_extra={_SWITCH: {"label": label}})


@dataclass(frozen=True)
class NumberWords:
    """How one number is called, its unit, range, smallest sensible step and usual value; words for none."""

    label: str
    unit: str
    low: float
    high: float
    step: float
    usual: float | None
    empty: str = ""
    start: float = 0
    full: float | None = None
    clips: bool = False

    @property
    def digits(self) -> int:
        """Places after the point that are shown."""
        return max(0, len(f"{self.step:g}".partition(".")[2]))

    def within(self, value: float) -> float:
        """A value kept in the range."""
        return min(self.high, max(self.low, value))

    def bare(self, value: float | None) -> str:
        """A value without its unit."""
        if value is None:
            return self.empty
        text = f"{value:.{self.digits}f}"
        if float(text) == 0:
            text = text.removeprefix("-")
        return text.replace("-", "−")

    def written(self, value: float | None) -> str:
        """A value with its unit."""
        text = self.bare(value)
        if value is None or not self.unit:
            return text
        return f"{text}°" if self.unit == "°" else f"{text} {self.unit}"


@dataclass(frozen=True)
class ChoiceWords:
    """How one choice is called, and the words for each of its values."""

    label: str
    words: Mapping[str, str]


def _extra(field: FieldInfo, kind: str) -> dict[str, Any] | None:
    extra = field.json_schema_extra
    found = extra.get(kind) if isinstance(extra, dict) else None
    return found if isinstance(found, dict) else None


def numbers_of(model: type[BaseModel]) -> dict[str, NumberWords]:
    """The numbers of a model by field, as they are described there."""
    found = {}
    for name, field in model.model_fields.items():
        shown = _extra(field, _NUMBER)
        if shown is not None:
            bounds = {type(rule).__name__: rule for rule in field.metadata}
            found[name] = NumberWords(
                low=float(bounds["Ge"].ge), high=float(bounds["Le"].le), usual=field.default, **shown
            )
    return found


def choices_of(model: type[BaseModel]) -> dict[str, ChoiceWords]:
    """The choices of a model by field, as they are described there."""
    shown = {name: _extra(field, _CHOICE) for name, field in model.model_fields.items()}
    return {name: ChoiceWords(**words) for name, words in shown.items() if words is not None}


def switches_of(model: type[BaseModel]) -> dict[str, str]:
    """What the switches of a model are called, by field."""
    shown = {name: _extra(field, _SWITCH) for name, field in model.model_fields.items()}
    return {name: str(words["label"]) for name, words in shown.items() if words is not None}
