"""Which way of arriving suits the frames of a set-up, from how far each leaves them from the target."""

from collections.abc import Mapping, Sequence

import numpy as np

from nuvett.core.look.look import Look
from nuvett.core.look.ways import WAYS, Way
from nuvett.core.measure.sliced import directions, projected_quantiles
from nuvett.core.types import Floats, OKLab

_SPREAD, _QUANTILES = 24, 64
_ALIKE = 0.1  # of drift, which nobody sees


def has_both(look: Look) -> bool:
    """Whether a look has steps made by hand beside those that go toward a target, so that the way matters."""
    return any(step.acts(aimed=False) for step in look.steps if not step.guards and step.name != "finish")


def ways_of(look: Look) -> tuple[Way, ...]:
    """Ways that a look can arrive in."""
    return ("fit", "steps", "result", "both") if has_both(look) else ("fit",)


def propose(drifts: Mapping[Way, float], in_hero_light: bool) -> tuple[Way, str]:
    """The way that is proposed toward a frame that was finished by the look, and why.

    drifts : mean drift that each way leaves; in_hero_light : whether the set-up is that frame's

    In its own light the same steps bring what frames share nearest to the hero, although frames as wholes come nearer
    by a fit, which takes what is seen for colour (bench, heroes). Elsewhere the light differs, and the result counts.
    """
    if in_hero_light:
        return "steps", "in the hero’s own light the same steps leave shared things as the hero has them"
    # The frame was finished by these steps: they would be made twice if they came after the fit.
    left = {name: value for name, value in drifts.items() if name != "fit"}
    way = min(left, key=lambda name: left[name])
    if left.get("both", np.inf) <= left[way] + _ALIKE:
        way = "both"
    return way, f"{WAYS[way]}, in another light than the hero’s, come{'s' if way == 'result' else ''} nearest to it"


def nearest(cloud: OKLab, goals: Sequence[OKLab]) -> int:
    """Which of several clouds (N, 3) of targets lies nearest to one (N, 3), by their sliced quantiles."""

    def form(of: OKLab) -> Floats:
        return projected_quantiles(of, directions(_SPREAD), _QUANTILES)

    own = form(cloud)
    return int(np.argmin([float(np.abs(form(goal) - own).mean()) for goal in goals]))
