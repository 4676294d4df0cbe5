"""Array types that carry scale and meaning in signatures, and the base of all stored documents."""

import base64
import binascii
from collections.abc import Mapping
from typing import Annotated, Any, NewType, Self, TypeAlias

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, BeforeValidator, ConfigDict, PlainSerializer

Floats: TypeAlias = NDArray[np.float32]
"""Any float32 array."""

Linear = NewType("Linear", NDArray[np.float32])
"""(..., 3) linear light, sRGB primaries, D65, extended range: 0 to 1 is the sRGB cube, wider colours leave it."""

Encoded01 = NewType("Encoded01", NDArray[np.float32])
"""(..., 3) encoded RGB of some registered space, 0 to 1."""

OKLab = NewType("OKLab", NDArray[np.float32])
"""(..., 3) OKLab: L 0 to 1, a and b about -0.4 to 0.4."""

OKLCh = NewType("OKLCh", NDArray[np.float32])
"""(..., 3) OKLCh: L 0 to 1, chroma from 0, hue in degrees 0 to 360."""

CIELab = NewType("CIELab", NDArray[np.float64])
"""(..., 3) CIE L*a*b* relative to D65: L* 0 to 100."""

Quantiles: TypeAlias = NDArray[np.float32]
"""(Q,) ascending values at the probabilities of `nuvett.core.measure.statistics.PROBABILITIES`."""

Mask01: TypeAlias = NDArray[np.float32]
"""(...) weights from 0 (not sampled) to 1 (sampled)."""


class Document(BaseModel):
    """A frozen, versioned document: stored as JSONB, written to files, hashed to name renders."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with other values; what was worked out from the former ones and kept is not taken along."""
        made = super().model_copy(update=update, deep=deep)
        for name in set(made.__dict__) - set(type(self).model_fields):
            del made.__dict__[name]
        return made


def _decode_array(value: Any) -> Floats:
    """Accept an array, a nested list or the stored form `{"shape": [...], "float32": base64}`."""
    if isinstance(value, dict):
        try:
            raw = base64.b64decode(value["float32"], validate=True)
            array = np.frombuffer(raw, dtype="<f4").reshape(value["shape"]).astype(np.float32)
        except (KeyError, TypeError, binascii.Error) as error:
            raise ValueError("a stored array is damaged") from error
    else:
        array = np.array(value, dtype=np.float32)
    if not np.isfinite(array).all():
        raise ValueError("a stored array holds values that are not finite")
    array.setflags(write=False)
    return array


def _encode_array(array: Floats) -> dict[str, Any]:
    raw = np.ascontiguousarray(array, dtype="<f4").tobytes()
    return {"shape": list(array.shape), "float32": base64.b64encode(raw).decode("ascii")}


StoredArray = Annotated[Any, BeforeValidator(_decode_array), PlainSerializer(_encode_array, return_type=dict)]
"""A float32 array inside a document; exact through JSON, little-endian base64."""
