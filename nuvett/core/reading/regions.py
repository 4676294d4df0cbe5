"""Where a reference is read: patches, families, a range of tones, and the places of its points."""

from typing import Annotated, Any, Literal

import cv2
import numpy as np
from pydantic import Field, model_validator

from nuvett.core.reading.family import Family, membership
from nuvett.core.reading.palette import LARGEST, SMALLEST, USUAL, Edits
from nuvett.core.smooth import smooth_step
from nuvett.core.spaces.cielab import lightness_of_oklab
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.types import Document, Linear, Mask01

MAX_PATCHES, MAX_FAMILIES, MAX_POINTS = 12, 6, 12
_MIN_SIDE = 0.002  # share of the picture below which a patch is taken for a slip of the hand
_TONE_EDGE = 3.0  # L* over which a tone range fades
_SUBPIXEL = 4  # bits of the fixed-point places that outlines are drawn with

Share = Annotated[float, Field(ge=0, le=1)]
Light = Annotated[float, Field(gt=0.01, le=4)]
Place = tuple[float, float]
"""x, y in shares of the picture from its top left."""


class Patch(Document):
    """A part of the picture: a rectangle given by two opposite corners, or a free outline of at least 3 points.

    leave_out : read everything but this
    """

    kind: Literal["rectangle", "outline"] = "rectangle"
    points: tuple[Place, ...] = Field(max_length=400)
    leave_out: bool = False

    @model_validator(mode="after")
    def _usable(self) -> "Patch":
        if any(not (0 <= v <= 1) for point in self.points for v in point):
            raise ValueError("the patch lies outside the picture")
        if self.kind == "rectangle" and len(self.points) != 2:
            raise ValueError("a rectangle has two corners")
        if self.kind == "outline" and len(self.points) < 3:
            raise ValueError("an outline has at least three points")
        _, _, w, h = self.box
        if w < _MIN_SIDE or h < _MIN_SIDE:
            raise ValueError("the patch is too small to be read")
        return self

    @property
    def box(self) -> tuple[float, float, float, float]:
        """x, y, width and height of the rectangle around it, in shares of the picture."""
        xs, ys = [p[0] for p in self.points], [p[1] for p in self.points]
        return min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)

    @classmethod
    def rectangle(cls, x: float, y: float, width: float, height: float, leave_out: bool = False) -> "Patch":
        """A rectangle from its top left corner and size. Raises ValueError when it leaves the picture."""
        right, bottom = (1.0 if 1 < v <= 1.000001 else v for v in (x + width, y + height))
        return cls(points=((x, y), (right, bottom)), leave_out=leave_out)


class Point(Document):
    """A place whose colour is averaged over a small disc.

    kind : shadow, midtone and highlight say what that zone's colour is; a free one adds a colour to the palette
    radius : of the disc, in shares of the long edge
    """

    kind: Literal["shadow", "midtone", "highlight", "free"]
    x: Share
    y: Share
    radius: float = Field(default=0.01, ge=0.002, le=0.1)


class Sampling(Document):
    """Which part of a reference is read, and how its palette is made.

    patches : none for the whole picture; only ones to leave out for all but those
    families : only colours of these families; none for every colour
    tone : only pixels between these CIE L*; none for all
    points : those placed by hand; at most one for each zone
    colours : size of the palette
    edits : palette colours that a person decided on
    paper : linear RGB of the paper about a photographed print, which is read as being without colour; none as it is
    """

    schema_version: Literal[2] = 2
    patches: tuple[Patch, ...] = Field(default=(), max_length=MAX_PATCHES)
    families: tuple[Family, ...] = Field(default=(), max_length=MAX_FAMILIES)
    tone: tuple[float, float] | None = None
    points: tuple[Point, ...] = Field(default=(), max_length=MAX_POINTS)
    colours: int = Field(default=USUAL, ge=SMALLEST, le=LARGEST)
    edits: Edits = Edits()
    paper: tuple[Light, Light, Light] | None = None

    @model_validator(mode="before")
    @classmethod
    def _from_schema_1(cls, data: Any) -> Any:
        """Schema 1 had one patch as x, y, width, height and one family."""
        if not isinstance(data, dict) or data.get("schema_version", 2) != 1:
            return data
        found = {k: v for k, v in data.items() if k not in ("schema_version", "patch", "family")}
        if data.get("patch"):
            found["patches"] = (Patch.rectangle(*data["patch"]),)
        if data.get("family"):
            found["families"] = (data["family"],)
        return found

    @model_validator(mode="after")
    def _usable(self) -> "Sampling":
        if self.tone is not None and not (0 <= self.tone[0] < self.tone[1] <= 100):
            raise ValueError("a tone range runs from a darker to a lighter L*, within 0 to 100")
        zones = [p.kind for p in self.points if p.kind != "free"]
        if len(zones) != len(set(zones)):
            raise ValueError("each zone has one point")
        return self


def patch_mask(shape: tuple[int, int], patch: Patch) -> Mask01:
    """(H, W) mask that is 1 inside a patch, whatever it is for."""
    height, width = shape
    mask = np.zeros(shape, dtype=np.uint8)
    if patch.kind == "rectangle":
        x, y, w, h = patch.box
        top, left = round(y * height), round(x * width)
        mask[top : max(top + 1, round((y + h) * height)), left : max(left + 1, round((x + w) * width))] = 1
    else:
        corners = np.array(patch.points) * [width, height] - 0.5
        fixed = np.rint(corners * 2**_SUBPIXEL).astype(np.int32)
        cv2.fillPoly(mask, [fixed], 1, shift=_SUBPIXEL)
    return mask.astype(np.float32)


def _patches_mask(shape: tuple[int, int], patches: tuple[Patch, ...]) -> Mask01:
    taken = [patch_mask(shape, p) for p in patches if not p.leave_out]
    mask: Mask01 = np.maximum.reduce(taken) if taken else np.ones(shape, dtype=np.float32)
    for patch in patches:
        if patch.leave_out:
            mask = mask * (1 - patch_mask(shape, patch))
    return np.asarray(mask, dtype=np.float32)


def _tone_window(lightness: np.ndarray, low: float, high: float) -> np.ndarray:
    """1 between two L*, fading over `_TONE_EDGE` beyond them; an end at 0 or 100 is open."""
    t = np.ones_like(lightness)
    if low > 0:
        t = np.minimum(t, (lightness - low) / _TONE_EDGE + 1)
    if high < 100:
        t = np.minimum(t, (high - lightness) / _TONE_EDGE + 1)
    return smooth_step(t)


def on_white_paper(proxy: Linear, sampling: Sampling) -> Linear:
    """A reference (..., 3) as its print looks on paper without colour: the light that tinged both is taken out.

    By gains of at most 1, so that nothing is clipped.
    """
    if sampling.paper is None:
        return proxy
    paper = np.array(sampling.paper, dtype=np.float32)
    return Linear(np.asarray(proxy * (paper.min() / paper), dtype=np.float32))


def sampling_weights(proxy: Linear, sampling: Sampling) -> Mask01:
    """How far each proxy pixel (H, W, 3) is sampled: (H, W), 0 to 1."""
    weights = _patches_mask(proxy.shape[:2], sampling.patches)
    if sampling.families or sampling.tone is not None:
        index = np.nonzero(weights)
        lab = linear_to_oklab(Linear(proxy[index]))
        if sampling.families:
            weights[index] *= np.maximum.reduce([membership(lab, family) for family in sampling.families])
        if sampling.tone is not None:
            weights[index] *= _tone_window(lightness_of_oklab(lab[..., 0]), *sampling.tone)
    return weights
