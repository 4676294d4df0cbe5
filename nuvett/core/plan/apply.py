"""What a plan does to colours."""

from collections.abc import Iterable, Sequence
from itertools import takewhile

import numpy as np

from nuvett.core.fit.regions import move_regions
from nuvett.core.guided import LUMINANCE
from nuvett.core.plan.finish import FinishOperation, RegionsOperation, VignetteOperation
from nuvett.core.plan.fitted import ByLightness, merged
from nuvett.core.plan.frame_plan import FramePlan, Group
from nuvett.core.plan.light import GainsOperation
from nuvett.core.plan.operation import ColourOperation, Stage
from nuvett.core.plan.vignette import vignette
from nuvett.core.spaces.gamut import encoded_in, map_to_gamut
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import Space, to_linear
from nuvett.core.types import Encoded01, Floats, Linear, OKLab


def through(operations: Sequence[ColourOperation], came: OKLab, space: Space = Space.SRGB) -> OKLab:
    """OKLab colours (N, 3) after operations, one after the other, on what came in (N, 3)."""
    return _run(merged(operations), came, space)


def _run(operations: Iterable[ColourOperation | ByLightness], came: OKLab, space: Space) -> OKLab:
    lab = came
    for operation in operations:
        lab = operation.apply(lab, came, space)
    return lab


def after_group(group: Group, lab: OKLab, space: Space = Space.SRGB) -> OKLab:
    """OKLab colours (N, 3) after a group at its strength."""
    if group.strength == 0 or not group.colours:
        return lab
    made = _run(group.compiled, lab, space)
    return made if group.strength == 1 else OKLab(lab + np.float32(group.strength) * (made - lab))


def after_groups(groups: Iterable[Group], lab: OKLab, space: Space = Space.SRGB) -> OKLab:
    """OKLab colours (N, 3) after several groups, one after the other."""
    for group in groups:
        lab = after_group(group, lab, space)
    return lab


def evened_by(plan: FramePlan, linear: Linear) -> Linear:
    """Linear light (..., 3) after a plan's even light."""
    for operation in plan.group("light").operations:
        if isinstance(operation, GainsOperation):
            linear = operation.on_light(linear)
    return linear


def apply_plan(plan: FramePlan, linear: Linear, space: Space = Space.SRGB) -> OKLab:
    """Everything a plan does to colours: linear light (N, 3) in, OKLab (N, 3) out, not yet mapped to a gamut.

    space : where the picture goes; colours are eased before its boundary
    """
    colours = (group for group in plan.groups if group.name != "light")
    return after_groups(colours, linear_to_oklab(evened_by(plan, linear)), space)


def before_kind(plan: FramePlan, name: str, kind: type[ColourOperation], linear: Linear) -> OKLab:
    """OKLab colours (N, 3), of linear light (N, 3), as the first operation of a kind in a group looks at them.

    Of a layer, as they come to it from all groups.
    """
    for layer in plan.layers:
        if layer.name == name:
            below = linear_to_oklab(to_linear(finished(plan, linear, Space.SRGB)))
            return _before(layer.colours.colours, kind, below)
    lab = linear_to_oklab(evened_by(plan, linear))
    for group in plan.groups:
        if group.name == name or (name == "look" and any(isinstance(o, kind) for o in group.colours)):
            return _before(group.colours, kind, lab)
        if group.name != "light":
            lab = after_group(group, lab)
    return lab


def _before(operations: Sequence[ColourOperation], kind: type[ColourOperation], came: OKLab) -> OKLab:
    before = tuple(takewhile(lambda operation: not isinstance(operation, kind), operations))
    lab = through(before, came)
    return operations[len(before)].looked_at(lab, came) if len(before) < len(operations) else lab


def fitted_part(plan: FramePlan) -> tuple[ColourOperation, ...]:
    """The operations of a look that were fitted to the target, and what is kept from them."""
    return tuple(o for o in plan.group("look").colours if o.stage <= Stage.KEPT)


def in_layers(plan: FramePlan, linear: Linear, weights: Sequence[Floats], space: Space = Space.SRGB) -> Encoded01:
    """Encoded colours (N, 3) of `space` after all that a plan does to colours, layers by their weights (N,) there."""
    made = finished(plan, linear, space)
    for layer, weight in zip(plan.layers, weights, strict=True):
        if layer.look is not None:
            made = _laid_over(made, finished(plan.with_look_at(layer.look), linear, space), weight)
    for layer, weight in zip(plan.layers, weights, strict=True):
        if layer.colours.operations:
            lab = after_group(layer.colours, linear_to_oklab(to_linear(made, space)), space)
            made = _laid_over(made, encoded_in(lab, space), weight)
    return made


def finished(plan: FramePlan, linear: Linear, space: Space) -> Encoded01:
    """Colours (N, 3) encoded in a space after everything that a plan does to colours in all of a frame."""
    return encoded_in(apply_plan(plan, linear, space), space)


def _laid_over(below: Encoded01, above: Encoded01, weight: Floats) -> Encoded01:
    return Encoded01(below + weight[:, None] * (above - below))


def seen(plan: FramePlan, linear: Linear, places: Floats, proportion: float, weights: Sequence[Floats] = ()) -> OKLab:
    """OKLab colours (N, 3) as they will be seen in sRGB: after the plan, in gamut, and after what changes tone.

    That is a vignette where it lies, and tone by region, for which single colours are their own base.

    places : (N, 2) shares of what is seen of the frame; proportion : its width over its height
    weights : (N,) of each layer at those places
    """
    everywhere = [(operation, None) for operation in plan.finish if isinstance(operation, _CHANGING_TONE)]
    in_areas = [
        (operation, weight)
        for layer, weight in zip(plan.layers, weights, strict=True)
        for operation in layer.finish
        if isinstance(operation, _CHANGING_TONE)
    ]
    if not plan.layers and not everywhere:
        return linear_to_oklab(Linear(map_to_gamut(apply_plan(plan, linear))))
    encoded = in_layers(plan, linear, weights)
    for operation, weight in (*everywhere, *in_areas):
        made = Encoded01(np.clip(_toned(operation, encoded, places, proportion), 0, 1))
        encoded = made if weight is None else _laid_over(encoded, made, weight)
    return linear_to_oklab(to_linear(encoded))


_CHANGING_TONE = (VignetteOperation, RegionsOperation)


def _toned(operation: FinishOperation, encoded: Encoded01, places: Floats, proportion: float) -> Encoded01:
    planes = np.ascontiguousarray(encoded.T[:, None], dtype=np.float32)
    if isinstance(operation, RegionsOperation):
        move_regions(planes, np.asarray((encoded @ LUMINANCE)[None], dtype=np.float32), operation.shares)
    if isinstance(operation, VignetteOperation):
        x, y = (np.ascontiguousarray(each[None], dtype=np.float32) for each in places.T)
        vignette(operation, planes, np.asarray(x * np.float32(proportion)), y, (proportion, 1))
    return Encoded01(planes[:, 0].T)
