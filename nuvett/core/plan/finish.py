"""Operations that need more than a colour: the pixels around it, or its place in the frame.

They act on the finished colours, encoded, in the order in which they stand in the plan; noise goes before the colours.
Everything is sized relative to the frame.
"""

from typing import ClassVar, Literal

from pydantic import Field

from nuvett.core.fit.regions import REGIONS
from nuvett.core.plan.operation import Operation, Reach, Stage


class FinishOperation(Operation):
    """amount : 0 to 1, or -1 to 1 where it goes both ways; by_strength : whether a weaker group takes less of it."""

    stage: ClassVar[Stage] = Stage.FINISHED
    reach: ClassVar[Reach] = "neighbourhood"
    by_strength: ClassVar[bool] = True
    amount: float = Field(ge=0, le=1)


class SoftColourOperation(FinishOperation):
    """Fine differences of colour in soft places, kept near the frame's own, right after the colours were changed.

    most : times the frame's own that they may be
    """

    kind: Literal["soft_colour"] = "soft_colour"
    by_strength: ClassVar[bool] = False
    most: float = Field(default=1, ge=0.5, le=4)


class NoiseOperation(FinishOperation):
    """Noise taken away before colours are changed; of : all of it, or that of light or of colour alone."""

    kind: Literal["noise"] = "noise"
    of: Literal["all", "light", "colour"] = "all"


class RegionsOperation(FinishOperation):
    """Broad light of regions moved, shares from -1 to 1 of what each can be at most."""

    kind: Literal["regions"] = "regions"
    highlights: float = Field(default=0, ge=-1, le=1)
    shadows: float = Field(default=0, ge=-1, le=1)
    whites: float = Field(default=0, ge=-1, le=1)
    blacks: float = Field(default=0, ge=-1, le=1)

    @property
    def shares(self) -> dict[str, float]:
        """What each region is moved by, with the amount taken."""
        return {name: getattr(self, name) * self.amount for name in REGIONS}


class HazeOperation(FinishOperation):
    """Haze removal above 0, added below."""

    kind: Literal["haze"] = "haze"
    amount: float = Field(ge=-1, le=1)


class LocalOperation(FinishOperation):
    """Local contrast."""

    kind: Literal["local"] = "local"
    amount: float = Field(ge=-1, le=1)


class FineOperation(FinishOperation):
    """Contrast of what is finer than local, as cloth and leaves; smoothed below 0."""

    kind: Literal["fine"] = "fine"
    amount: float = Field(ge=-1, le=1)


class GlowOperation(FinishOperation):
    """Light of what is bright laid over what is about it."""

    kind: Literal["glow"] = "glow"


class HalationOperation(FinishOperation):
    """A reddish seam of light about what is nearly white, as film has it."""

    kind: Literal["halation"] = "halation"


class SoftnessOperation(FinishOperation):
    """A soft picture laid over the sharp one."""

    kind: Literal["softness"] = "softness"


class SharpenOperation(FinishOperation):
    """Sharpening; spared : how much flat areas are left out of it, 0 to 1; radius : times the usual one."""

    kind: Literal["sharpen"] = "sharpen"
    spared: float = Field(default=0.4, ge=0, le=1)
    radius: float = Field(default=1, ge=0.4, le=4)


class VignetteOperation(FinishOperation):
    """Vignette, corners darker by stops of exposure, or lighter below 0.

    begins : distance from the centre, in half diagonals; soft : over which it becomes whole
    framed : how far it follows the frame, 0 for circles; spared : how far highlights are left out of a darker one
    x, y : its centre in shares of what is seen
    """

    kind: Literal["vignette"] = "vignette"
    reach: ClassVar[Reach] = "place"
    amount: float = Field(default=1, ge=0, le=1)
    stops: float = Field(ge=-2, le=2)
    begins: float = Field(default=0.35, ge=0, le=1)
    soft: float = Field(default=0.7, ge=0.05, le=1.5)
    framed: float = Field(default=0, ge=0, le=1)
    spared: float = Field(default=0, ge=0, le=1)
    x: float = Field(default=0.5, ge=0, le=1)
    y: float = Field(default=0.5, ge=0, le=1)


class GrainOperation(FinishOperation):
    """Grain; size : cells along the long edge, as 1 for 3000.

    rough : share of it that lies in clumps; lights : more in lights above 0, in shadows below
    """

    kind: Literal["grain"] = "grain"
    reach: ClassVar[Reach] = "place"
    size: float = Field(default=1, ge=0.5, le=4)
    rough: float = Field(default=0, ge=0, le=1)
    lights: float = Field(default=0, ge=-1, le=1)
