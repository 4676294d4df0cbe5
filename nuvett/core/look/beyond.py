"""More than full: a strength over 100 % asks for more of every step, while what guards a look acts as ever."""

from nuvett.core.look.look import Look
from nuvett.core.steps.step import MAX, Step

FULL = 100.0
_WHOLE = ("finish", "mono")
"""Steps that more of a look does not ask more of, beside those that guard: greys are grey at full."""


def asked_for(look: Look) -> Look:
    """A look whose strength is at most full, with its steps asked for more where it was more.

    A strength over full would otherwise carry colours past holds, past what is kept of strong colours and past the
    gamut, since a group of operations is drawn further as a whole.
    """
    if look.strength <= FULL:
        return look
    by = look.strength / FULL
    more = {step.name: _more(step, by) for step in look.steps if not (step.guards or step.name in _WHOLE)}
    return look.model_copy(update={"strength": FULL, **more})


def _more(step: Step, by: float) -> Step:
    amount = getattr(step, "amount", None)
    return step if amount is None else step.model_copy(update={"amount": min(FULL * MAX, amount * by)})
