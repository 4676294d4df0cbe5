"""Finish: what is done to the picture beside its colours."""

from typing import ClassVar

from nuvett.core.fields import number
from nuvett.core.plan.finish import (
    FinishOperation,
    GrainOperation,
    HazeOperation,
    LocalOperation,
    NoiseOperation,
    SharpenOperation,
    SoftnessOperation,
    VignetteOperation,
)
from nuvett.core.steps.step import Ask, Step, taken, taken_below

_SAID = {
    "noise": "noise reduction {noise}",
    "local": "local contrast {local}",
    "haze": "haze removal {haze}",
    "softness": "softness {softness}",
    "sharpening": "sharpening {sharpening}, flat areas spared {masking}",
    "vignette": "vignette {vignette}",
    "grain": "grain {grain}, {grain_size} the usual size",
}


class FinishStep(Step):
    """Finish, sized relative to the frame.

    vignette : EV times 100 at the corners; grain_size : cells along the long edge, as 1 for 3000
    local : local contrast; haze : taken away above 0, added below; masking : how much flat areas are spared sharpening
    """

    name: ClassVar[str] = "finish"
    title: ClassVar[str] = "Finish"
    amount: float = number(100, 0, 100, "Finish")
    noise: float = number(0, 0, 100, "Noise reduction")
    local: float = number(0, -100, 100, "Local contrast")
    haze: float = number(0, -100, 100, "Haze removal")
    softness: float = number(0, 0, 100, "Softness")
    sharpening: float = number(0, 0, 100, "Sharpening")
    masking: float = number(40, 0, 100, "Flat areas spared")
    vignette: float = number(0, -200, 200, "Vignette, corners darker", "% of a stop")
    grain: float = number(0, 0, 100, "Grain")
    grain_size: float = number(1, 0.5, 4, "Size of grain", "times", 0.1)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not any(getattr(self, name) for name in _SAID)

    @property
    def sentence(self) -> str:
        acting = [words for name, words in _SAID.items() if getattr(self, name)]
        return (", ".join(acting) or "nothing yet") + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        idle = [words[0].upper() + words[1:] for name, words in _SAID.items() if not getattr(self, name)]
        return (*idle, *taken_below(self))

    def resolve(self, ask: Ask) -> tuple[FinishOperation, ...]:
        share = self.amount / 1e4
        found: list[FinishOperation] = []
        if self.noise:
            found.append(NoiseOperation(amount=self.noise * share))
        if self.haze:
            found.append(HazeOperation(amount=self.haze * share))
        if self.local:
            found.append(LocalOperation(amount=self.local * share))
        if self.softness:
            found.append(SoftnessOperation(amount=self.softness * share))
        if self.sharpening:
            found.append(SharpenOperation(amount=self.sharpening * share, spared=self.masking / 100))
        if self.vignette:
            found.append(VignetteOperation(stops=self.vignette / 100, amount=self.amount / 100))
        if self.grain:
            found.append(GrainOperation(amount=self.grain * share, size=self.grain_size))
        return tuple(found)
