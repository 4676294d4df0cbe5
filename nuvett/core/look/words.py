"""What changed between two looks or trims, in words; and the words, unit and range of every value."""

from nuvett.core.fields import ChoiceWords, NumberWords, choices_of, numbers_of
from nuvett.core.fit.moves import OwnMove
from nuvett.core.geometry.spots import Spots
from nuvett.core.geometry.words import geometry_changes
from nuvett.core.look.common import common_changes
from nuvett.core.look.local import locals_changed
from nuvett.core.look.look import Look, WholeLook
from nuvett.core.look.trim import Trim, WholeTrim
from nuvett.core.look.ways import WAYS, changed_setups
from nuvett.core.look.with_steps import WithSteps
from nuvett.core.steps.hold import FamilyHold
from nuvett.core.steps.registry import step_choices, step_numbers
from nuvett.core.steps.step import Step, changed

LOOK_VALUES: dict[str, NumberWords] = numbers_of(WholeLook) | step_numbers(Look.kinds)
LOOK_CHOICES: dict[str, ChoiceWords] = choices_of(WholeLook) | step_choices(Look.kinds)
TRIM_VALUES: dict[str, NumberWords] = numbers_of(WholeTrim) | step_numbers(Trim.kinds)
MOVE_VALUES = numbers_of(OwnMove)
HELD_VALUES = numbers_of(FamilyHold)


def point_words(channel: str) -> tuple[NumberWords, NumberWords]:
    """How the two values of a point of a curve are called: where it takes lightness or a channel from, and to."""
    of, unit = ("Tone curve", "L*") if channel == "master" else (f"Curve of {channel}", "%")
    start, end = (NumberWords(f"{of}, a point {way}", unit, 0, 100, 1, None) for way in ("from", "to"))
    return start, end


def describe(before: WithSteps, after: WithSteps) -> str:
    """What changed between two looks, or two trims, in words for a history: "Tone 75 to 68 %"."""
    said = []
    for kind in after.kinds:
        said += changed(getattr(before, kind.name), getattr(after, kind.name))
    said += _spots_changed(getattr(before, "spots", ()), getattr(after, "spots", ()))
    said += geometry_changes(getattr(before, "geometry", None), getattr(after, "geometry", None))
    said += locals_changed(getattr(before, "areas", ()), getattr(after, "areas", ()))
    said += _left_out(getattr(before, "without", ()), getattr(after, "without", ()))
    said += common_changes(getattr(before, "common", None), getattr(after, "common", None))
    for name, words in numbers_of(type(after)).items():
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            said.append(f"{words.label} {words.bare(old)} to {words.written(new)}")
    for name, choice in choices_of(type(after)).items():
        if getattr(before, name) != getattr(after, name):
            said.append(f"{choice.label} {choice.words[getattr(after, name)]}")
    said += changed_setups(getattr(before, "setups", ()), getattr(after, "setups", ()))
    if not said:
        return "No change"
    return said[0] if len(said) == 1 else f"{said[0]} and {len(said) - 1} more"


def _spots_changed(before: Spots, after: Spots) -> list[str]:
    if len(before) != len(after):
        more = len(after) - len(before)
        spots = "1 spot" if abs(more) == 1 else f"{abs(more)} spots"
        return [f"{spots} {'painted out' if more > 0 else 'no longer painted out'}"]
    return ["A spot changed"] if before != after else []


def _left_out(before: tuple[str, ...], after: tuple[str, ...]) -> list[str]:
    if len(after) > len(before):
        return ["An area of the look left out here"]
    return ["An area of the look taken up again"] if len(after) < len(before) else []


def value_at(document: WithSteps, path: str) -> float | None:
    """The number of a document at `step.field` or `field`; the usual one of a step that is not there."""
    head, _, rest = path.partition(".")
    kinds = {kind.name: kind for kind in document.kinds}
    found: float | None = getattr(document.step(kinds[head]), rest) if rest else getattr(document, head)
    return found


def in_words(document: WithSteps, aimed: bool = True) -> list[tuple[str, str]]:
    """What a look or trim does, step by step: titles and plain sentences; steps that do nothing are left out.

    aimed : whether there is a target
    """
    said = [(step.title, plain_sentence(step)) for step in document.steps if step.acts(aimed)]
    if isinstance(document, Look) and aimed and document.way != "fit":
        said.append((LOOK_CHOICES["way"].label, WAYS[document.way]))
    return said


def goes(look: Look, aimed: bool) -> str:
    """What of a look goes to frames, as a list: "tone, zone tints and two areas"."""
    said = [step.title.lower() for step in look.steps if step.acts(aimed)]
    areas = sum(not area.is_idle for area in look.areas)
    said += [f"{areas} area{'' if areas == 1 else 's'}"] if areas else []
    said += [] if look.common.is_none else ["what trims have in common"]
    if len(said) < 2:
        return "".join(said) or "nothing"
    return f"{', '.join(said[:-1])} and {said[-1]}"


def plain_sentence(step: Step) -> str:
    """A step's sentence with its values written out."""
    kind = type(step)
    values = {name: words.written(getattr(step, name)) for name, words in numbers_of(kind).items()}
    values |= {name: words.words[getattr(step, name)] for name, words in choices_of(kind).items()}
    return step.sentence.format(**values)
