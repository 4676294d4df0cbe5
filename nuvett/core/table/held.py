"""A lookup table inside a document: named there by its content, with its colours at hand where it is applied."""

import hashlib
from collections.abc import Callable
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from pydantic import GetCoreSchemaHandler
from pydantic_core import CoreSchema, core_schema

from nuvett.core.errors import TableError
from nuvett.core.table.table import check_table
from nuvett.core.types import Encoded01, Floats

_PATTERN = "^([0-9a-f]{64})?$"


def digest_of(table: Floats) -> str:
    """SHA-256 of a table's colours (S, S, S, 3), in hexadecimal."""
    return hashlib.sha256(np.ascontiguousarray(table, dtype="<f4").tobytes()).hexdigest()


class HeldTable:
    """A table by its digest. Two are equal when their digests are; documents keep the digest alone.

    digest : SHA-256 of what it is read from, in hexadecimal, empty for no table
    colours : (S, S, S, 3), indexed red, green, blue; none until they have been found
    """

    def __init__(self, digest: str = "", colours: Floats | None = None) -> None:
        self.digest = digest
        self.colours = None if colours is None else check_table(colours)
        self._processor: ocio.CPUProcessor | None = None

    @classmethod
    def of(cls, colours: Floats) -> "HeldTable":
        """A table from its colours (S, S, S, 3)."""
        return cls(digest_of(colours), colours)

    def looked_up(self, encoded: Encoded01) -> Encoded01:
        """Colours (N, 3), 0 to 1, through the table by tetrahedral interpolation.

        Raises TableError while its colours are not at hand.
        """
        if self.colours is None:
            raise TableError("A lookup table of this look is not kept here; bring it in again. Nothing was changed.")
        if self._processor is None:
            transform = ocio.Lut3DTransform(self.colours.shape[0])
            transform.setData(np.ascontiguousarray(self.colours, dtype=np.float32).reshape(-1))
            transform.setInterpolation(ocio.INTERP_TETRAHEDRAL)
            config = ocio.Config.CreateRaw()
            config.setProcessorCacheFlags(ocio.PROCESSOR_CACHE_OFF)
            self._processor = config.getProcessor(transform).getDefaultCPUProcessor()
        made = np.ascontiguousarray(np.clip(encoded, 0, 1), dtype=np.float32).copy()
        self._processor.apply(ocio.PackedImageDesc(made, len(made), 1, 3))
        return Encoded01(made)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, HeldTable) and other.digest == self.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    def __repr__(self) -> str:
        return f"HeldTable({self.digest[:8]!r})"

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> CoreSchema:
        text = core_schema.no_info_after_validator_function(cls, core_schema.str_schema(pattern=_PATTERN))
        return core_schema.json_or_python_schema(
            json_schema=text,
            python_schema=core_schema.union_schema([core_schema.is_instance_schema(cls), text]),
            serialization=core_schema.plain_serializer_function_ser_schema(
                lambda held: held.digest, return_schema=core_schema.str_schema()
            ),
        )


FindTable = Callable[[str], HeldTable | None]
"""A table with its colours by its digest, none where it is not kept."""
