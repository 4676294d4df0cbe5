"""Documents that hold steps: looks, where every step stands, and trims, where only those brought in do."""

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any, ClassVar, Self, TypeVar

from pydantic import create_model

from nuvett.core.steps.step import Step
from nuvett.core.types import Document

_Kind = TypeVar("_Kind", bound=Step)


class WithSteps(Document):
    """A document whose fields are partly steps, named as the steps are, in the order in which they act.

    kinds : the steps that it can hold
    """

    kinds: ClassVar[tuple[type[Step], ...]] = ()

    if TYPE_CHECKING:  # fields of steps are made from the registry

        def __getattr__(self, name: str) -> Any: ...

    @classmethod
    def of(cls, *steps: Step, **whole: float) -> Self:
        """A document with steps, and numbers that it has beside them."""
        return cls.model_validate({step.name: step for step in steps} | whole)

    @property
    def steps(self) -> tuple[Step, ...]:
        """The steps that it holds."""
        held = (getattr(self, kind.name) for kind in self.kinds)
        return tuple(step for step in held if step is not None)

    def step(self, kind: type[_Kind]) -> _Kind:
        """A step by its kind; as it begins where it is not held."""
        found = getattr(self, kind.name)
        return kind() if found is None else found

    def with_step(self, step: Step) -> Self:
        """The document with a step in place of its own of that kind."""
        return self.model_copy(update={step.name: step})


def with_steps(base: type[WithSteps], kinds: Iterable[type[Step]], only_brought_in: bool = False) -> Any:
    """A base with a field for every kind of step; none is the usual value where only those brought in are held."""
    held = tuple(kinds)
    fields: dict[str, Any] = {kind.name: (kind | None, None) if only_brought_in else (kind, kind()) for kind in held}
    made = create_model(f"{base.__name__}Steps", __base__=base, **fields)
    made.kinds = held
    return made
