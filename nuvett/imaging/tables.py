"""Lookup tables as files: Cube LUT, Common LUT Format and ASC CDL, read strictly and written whole or not at all."""

from enum import StrEnum
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from nuvett.core.errors import TableError
from nuvett.core.table.cdl import nearest_cdl
from nuvett.core.table.cube import read_cube, write_cube
from nuvett.core.table.table import check_table, grid
from nuvett.core.types import Floats

_MAX_BYTES = 80_000_000
_BAKED_POINTS = 65


class TableFormat(StrEnum):
    """Table formats by file suffix."""

    CUBE = ".cube"
    CLF = ".clf"
    CDL = ".cdl"


_READ_ONLY = (".cc", ".ccc")


def format_of(path: Path) -> TableFormat:
    """Format that a table is written in under a name. Raises TableError for another suffix."""
    try:
        return TableFormat(path.suffix.lower())
    except ValueError as error:
        raise TableError(f"{path.name}: a table's name ends in .cube, .clf or .cdl.") from error


def read_table(path: Path) -> Floats:
    """Table (S, S, S, 3) on encoded colours of a file of any of the formats.

    Formats other than Cube LUT are sampled at 65 points a side. Raises TableError for anything that is not a usable
    table.
    """
    if path.stat().st_size > _MAX_BYTES:
        raise TableError("The file is too large to be a lookup table.")
    if path.suffix.lower() in (TableFormat.CLF, TableFormat.CDL, *_READ_ONLY):
        return _baked(path)
    return read_cube(path.read_text(encoding="utf-8", errors="replace"))


def _baked(path: Path) -> Floats:
    ocio.ClearAllCaches()  # files are cached by path, and this one may have changed
    colours = np.ascontiguousarray(grid(_BAKED_POINTS).reshape(1, -1, 3))
    try:
        transform = ocio.FileTransform(src=str(path.resolve()), interpolation=ocio.INTERP_TETRAHEDRAL)
        transform.setCDLStyle(ocio.CDL_ASC)
        processor = ocio.Config.CreateRaw().getProcessor(transform).getDefaultCPUProcessor()
        processor.apply(ocio.PackedImageDesc(colours, colours.shape[1], 1, 3))
    except ocio.Exception as error:
        raise TableError("The file is not a table that can be read: it is damaged or of an unknown kind.") from error
    side = _BAKED_POINTS
    return check_table(np.clip(colours, 0, 1).reshape(side, side, side, 3))


def table_text(table: Floats, fmt: TableFormat, title: str, comments: tuple[str, ...] = ()) -> str:
    """Text of a table (S, S, S, 3) in a format; a CDL holds only what slope, offset, power and saturation can."""
    if fmt is TableFormat.CUBE:
        return write_cube(table, title, comments)
    if fmt is TableFormat.CDL:
        return _cdl_text(table, title, comments)
    transform = ocio.Lut3DTransform(check_table(table).shape[0])
    transform.setData(np.ascontiguousarray(table, dtype=np.float32).reshape(-1))
    transform.setInterpolation(ocio.INTERP_TETRAHEDRAL)
    config = ocio.Config.CreateRaw()
    group = config.getProcessor(transform).createGroupTransform()
    group.getFormatMetadata().setID(_plain_id(title))
    _describe(group, comments)
    return str(group.write(formatName="Academy/ASC Common LUT Format", config=config))


def _cdl_text(table: Floats, title: str, comments: tuple[str, ...]) -> str:
    cdl = nearest_cdl(table)
    transform = ocio.CDLTransform()
    transform.setSlope(cdl.slope)
    transform.setOffset(cdl.offset)
    transform.setPower(cdl.power)
    transform.setSat(cdl.saturation)
    transform.getFormatMetadata().setID(_plain_id(title))
    group = ocio.GroupTransform([transform])
    _describe(group, (*comments, cdl.words))
    return str(group.write(formatName="ColorDecisionList", config=ocio.Config.CreateRaw()))


def _plain_id(title: str) -> str:
    return "".join(c for c in title if c.isascii() and c.isalnum())[:40] or "look"


def _describe(group: ocio.GroupTransform, comments: tuple[str, ...]) -> None:
    for comment in comments:
        group.getFormatMetadata().addChildElement("Description", comment)
