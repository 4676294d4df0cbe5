"""All steps, in the order in which they act. To add one, see docs/adding.md."""

from collections.abc import Iterable

from nuvett.core.fields import ChoiceWords, NumberWords, choices_of, numbers_of
from nuvett.core.steps.casts import CastStep
from nuvett.core.steps.curve import CurveStep
from nuvett.core.steps.ends import EndsStep
from nuvett.core.steps.even import EvenStep
from nuvett.core.steps.exposure import ExposureStep
from nuvett.core.steps.finish import FinishStep
from nuvett.core.steps.hold import HoldStep
from nuvett.core.steps.hues import HueStep
from nuvett.core.steps.lookup import TableStep
from nuvett.core.steps.mono import MonoStep
from nuvett.core.steps.moves import MoveStep
from nuvett.core.steps.primaries import PrimariesStep
from nuvett.core.steps.regions import RegionStep
from nuvett.core.steps.saturation import SaturationStep
from nuvett.core.steps.soft_colour import SoftColourStep
from nuvett.core.steps.spread import SpreadStep
from nuvett.core.steps.step import Step
from nuvett.core.steps.tint_filter import FilterStep
from nuvett.core.steps.tone import ToneStep
from nuvett.core.steps.veil import VeilStep
from nuvett.core.steps.wash import WashStep
from nuvett.core.steps.white import WhiteStep
from nuvett.core.steps.zones import ZoneStep

REGISTRY: tuple[type[Step], ...] = (
    EvenStep,
    ToneStep,
    ZoneStep,
    SpreadStep,
    MoveStep,
    WhiteStep,
    ExposureStep,
    VeilStep,
    CastStep,
    CurveStep,
    EndsStep,
    PrimariesStep,
    SaturationStep,
    HueStep,
    WashStep,
    FilterStep,
    MonoStep,
    TableStep,
    HoldStep,
    SoftColourStep,
    RegionStep,
    FinishStep,
)
"""Every step, in the order in which they act and stand on the sheet."""


def step_numbers(steps: Iterable[type[Step]] = REGISTRY) -> dict[str, NumberWords]:
    """All numbers of steps, by `step.field`."""
    return {f"{kind.name}.{field}": words for kind in steps for field, words in numbers_of(kind).items()}


def step_choices(steps: Iterable[type[Step]] = REGISTRY) -> dict[str, ChoiceWords]:
    """All choices of steps, by `step.field`."""
    return {f"{kind.name}.{field}": words for kind in steps for field, words in choices_of(kind).items()}
