"""Operations that need more than a colour: the pixels around it, or its place in the frame.

They act on the finished colours, encoded, in the order in which they stand in the plan; noise goes before the colours.
Everything is sized relative to the frame.
"""

from typing import ClassVar, Literal

from pydantic import Field

from nuvett.core.plan.operation import Operation, Reach, Stage


class FinishOperation(Operation):
    """amount : 0 to 1, or -1 to 1 where it goes both ways."""

    stage: ClassVar[Stage] = Stage.FINISHED
    reach: ClassVar[Reach] = "neighbourhood"
    amount: float = Field(ge=0, le=1)


class NoiseOperation(FinishOperation):
    """Noise taken away before colours are changed."""

    kind: Literal["noise"] = "noise"


class HazeOperation(FinishOperation):
    """Haze removal above 0, added below."""

    kind: Literal["haze"] = "haze"
    amount: float = Field(ge=-1, le=1)


class LocalOperation(FinishOperation):
    """Local contrast."""

    kind: Literal["local"] = "local"
    amount: float = Field(ge=-1, le=1)


class SoftnessOperation(FinishOperation):
    """A soft picture laid over the sharp one."""

    kind: Literal["softness"] = "softness"


class SharpenOperation(FinishOperation):
    """Sharpening; spared : how much flat areas are left out of it, 0 to 1."""

    kind: Literal["sharpen"] = "sharpen"
    spared: float = Field(default=0.4, ge=0, le=1)


class VignetteOperation(FinishOperation):
    """Vignette, corners darker by stops of exposure, or lighter below 0."""

    kind: Literal["vignette"] = "vignette"
    reach: ClassVar[Reach] = "place"
    amount: float = Field(default=1, ge=0, le=1)
    stops: float = Field(ge=-2, le=2)


class GrainOperation(FinishOperation):
    """Grain; size : cells along the long edge, as 1 for 3000."""

    kind: Literal["grain"] = "grain"
    reach: ClassVar[Reach] = "place"
    size: float = Field(default=1, ge=0.5, le=4)
