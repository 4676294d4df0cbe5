"""Finish: what is done to the picture beside its colours."""

from typing import Any, ClassVar

from pydantic import model_validator

from nuvett.core.fields import number
from nuvett.core.plan.finish import (
    FineOperation,
    FinishOperation,
    GlowOperation,
    GrainOperation,
    HalationOperation,
    HazeOperation,
    LocalOperation,
    NoiseOperation,
    SharpenOperation,
    SoftnessOperation,
    VignetteOperation,
)
from nuvett.core.steps.step import Ask, Step, taken, taken_below

_SAID = {
    ("noise", "noise_colour"): "noise reduction {noise}, of colour {noise_colour}",
    ("local", "fine"): "local contrast {local}, fine {fine}",
    ("haze",): "haze removal {haze}",
    ("softness",): "softness {softness}",
    ("glow", "halation"): "glow {glow}, halation {halation}",
    ("sharpening",): "sharpening {sharpening}",
    ("vignette",): "vignette {vignette}",
    ("grain",): "grain {grain}",
}
"""What is said of each part of the finish, by the numbers that bring it about."""

_MORE = {
    "sharpening": "Sharpening with {radius} the usual radius, flat areas spared {masking}",
    "vignette": "Vignette from {vignette_begins} of the way to the corners, soft over {vignette_soft}, following the "
    "frame {vignette_frame}, highlights spared {vignette_spared}, centre {vignette_x} across and {vignette_y} down",
    "grain": "Grain of {grain_size} the usual size, rough {grain_rough}, toward lights {grain_lights}",
}
"""What is said further, for while the step is open."""


class FinishStep(Step):
    """Finish, sized relative to the frame.

    local, fine : contrast of middling and of fine things, less below 0; haze : taken away above 0, added below
    masking : how much flat areas are spared sharpening; radius : times the usual one
    vignette : EV times 100 at the corners; vignette_begins, vignette_soft : percent of the half diagonal
    grain_size : cells along the long edge, as 1 for 3000; grain_lights : more in lights above 0, in shadows below
    """

    name: ClassVar[str] = "finish"
    title: ClassVar[str] = "Finish"
    amount: float = number(100, 0, 100, "Finish")
    noise: float = number(0, 0, 100, "Noise reduction")
    noise_colour: float = number(0, 0, 100, "Colour noise reduction")
    local: float = number(0, -100, 100, "Local contrast")
    fine: float = number(0, -100, 100, "Fine contrast")
    haze: float = number(0, -100, 100, "Haze removal")
    softness: float = number(0, 0, 100, "Softness")
    glow: float = number(0, 0, 100, "Glow of highlights")
    halation: float = number(0, 0, 100, "Halation")
    sharpening: float = number(0, 0, 100, "Sharpening")
    radius: float = number(1, 0.4, 4, "Radius of sharpening", "times", 0.1)
    masking: float = number(40, 0, 100, "Flat areas spared")
    vignette: float = number(0, -200, 200, "Vignette, corners darker", "% of a stop")
    vignette_begins: float = number(35, 0, 100, "Vignette begins")
    vignette_soft: float = number(70, 5, 150, "Softness of the vignette")
    vignette_frame: float = number(0, 0, 100, "Vignette follows the frame")
    vignette_spared: float = number(0, 0, 100, "Highlights spared the vignette")
    vignette_x: float = number(50, 0, 100, "Centre of the vignette, across")
    vignette_y: float = number(50, 0, 100, "Centre of the vignette, down")
    grain: float = number(0, 0, 100, "Grain")
    grain_size: float = number(1, 0.5, 4, "Size of grain", "times", 0.1)
    grain_rough: float = number(0, 0, 100, "Roughness of grain")
    grain_lights: float = number(0, -100, 100, "Grain toward lights")

    @model_validator(mode="before")
    @classmethod
    def _of_one_noise(cls, data: Any) -> Any:
        """Before colour noise had a number of its own, one number took both away."""
        if isinstance(data, dict) and data.get("noise") and "noise_colour" not in data:
            return data | {"noise_colour": data["noise"]}
        return data

    def _acts(self, names: tuple[str, ...]) -> bool:
        return any(getattr(self, name) for name in names)

    @property
    def _does_nothing(self) -> bool:
        return self.amount == 0 or not any(self._acts(names) for names in _SAID)

    @property
    def sentence(self) -> str:
        acting = [words for names, words in _SAID.items() if self._acts(names)]
        return (", ".join(acting) or "nothing yet") + taken(self)

    @property
    def more(self) -> tuple[str, ...]:
        idle = [words[0].upper() + words[1:] for names, words in _SAID.items() if not self._acts(names)]
        return (*idle, *_MORE.values(), *taken_below(self))

    def resolve(self, ask: Ask) -> tuple[FinishOperation, ...]:
        share = self.amount / 1e4
        found: list[FinishOperation] = [*self._less_noise(share)]
        for name, kind in _PLAIN.items():
            if getattr(self, name):
                found.append(kind(amount=getattr(self, name) * share))
        if self.sharpening:
            spared, radius = self.masking / 100, self.radius
            found.append(SharpenOperation(amount=self.sharpening * share, spared=spared, radius=radius))
        if self.vignette:
            found.append(self._vignetted())
        if self.grain:
            rough, lights = self.grain_rough / 100, self.grain_lights / 100
            found.append(GrainOperation(amount=self.grain * share, size=self.grain_size, rough=rough, lights=lights))
        return tuple(found)

    def _less_noise(self, share: float) -> tuple[NoiseOperation, ...]:
        """Noise of light and colour taken away at once where both are as strong, else one after the other."""
        if self.noise == self.noise_colour:
            return (NoiseOperation(amount=self.noise * share),) if self.noise else ()
        asked = (("colour", self.noise_colour), ("light", self.noise))
        return tuple(NoiseOperation(amount=amount * share, of=of) for of, amount in asked if amount)

    def _vignetted(self) -> VignetteOperation:
        shares = {name: getattr(self, f"vignette_{name}") / 100 for name in ("begins", "soft", "spared", "x", "y")}
        framed = self.vignette_frame / 100
        return VignetteOperation(stops=self.vignette / 100, amount=self.amount / 100, framed=framed, **shares)


_PLAIN: dict[str, type[FinishOperation]] = {
    "haze": HazeOperation,
    "local": LocalOperation,
    "fine": FineOperation,
    "softness": SoftnessOperation,
    "glow": GlowOperation,
    "halation": HalationOperation,
}
"""What has one number only, in the order in which it acts."""
