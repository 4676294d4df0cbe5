"""Looks worked out from before and after of the same pictures; tried first, and kept when a person says so."""

import tempfile
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from nuvett.core.book.files import Labels
from nuvett.core.errors import FileError, NuvettError, PairError
from nuvett.core.spaces.oklab import linear_to_oklab
from nuvett.core.spaces.rgb import to_linear
from nuvett.core.table.cube import write_cube
from nuvett.core.table.held import HeldTable
from nuvett.core.table.infer import SIZE, Inference, infer_table
from nuvett.core.table.pairs import LaidOver, disagreement, disagrees, lay_over
from nuvett.core.table.table import grid
from nuvett.core.types import Document, Encoded01
from nuvett.imaging.decode import decode
from nuvett.imaging.encode import Format, encode
from nuvett.imaging.opened import Limits
from nuvett.services.files.measuring import small_encoded
from nuvett.services.lookbook.book import TRIAL, add_kept
from nuvett.services.lookbook.table_import import table_look
from nuvett.services.platform.blobs import Keeping, keeping
from nuvett.services.platform.incoming import display_name
from nuvett.services.platform.studio import Studio
from nuvett.store import models

MAX_PAIRS = 12
_CELLS = 12  # a side of the chart of what was seen
_CHART = 0.17  # OKLab chroma at the chart's rim
_MIN_SEEN = 0.15  # of the colours behind a cell of the chart
_TOLD = 0.005  # share of a picture that must disagree before that is said
_VEILED = (119, 119, 119, 200)


class WorkedOutLook(Document):
    """What working out a look found.

    residual : mean CIEDE2000 where the pairs agree; coverage : share of the cube that was seen
    unseen : places on the chart, -1 to 1 rightward and upward, whose colours no pair showed
    """

    residual: float = 0
    coverage: float = 0
    warnings: tuple[str, ...] = ()
    unseen: tuple[tuple[float, float], ...] = ()
    cell: float = 2 / _CELLS


@dataclass(frozen=True)
class PairFiles:
    """Files of one pair, by name and content."""

    before: tuple[str, bytes]
    after: tuple[str, bytes]


def work_out(studio: Studio, pairs: Sequence[PairFiles]) -> uuid.UUID:
    """Work a look out from pairs; the id of it, which is on trial until it is kept.

    Raises PairError where a pair does not show the same, StoppingError where nobody waits for it any more, and as
    `decode` for a file that cannot be read.
    """
    if not 0 < len(pairs) <= MAX_PAIRS:
        raise PairError(f"Give 1 to {MAX_PAIRS} pairs of before and after.")
    laid = []
    for files in pairs:
        studio.pause()
        laid.append(_laid(files, studio.limits))
    found = infer_table([(pair.before, pair.after) for pair in laid])
    name = display_name(pairs[0].after[0])
    text = write_cube(found.table, name, found.warnings).encode()
    views = [_views(pair, HeldTable.of(found.table)) for pair in laid]
    studio.pause()
    with studio.database.session() as session:
        keep = keeping(session, studio)
        blob, _ = keep.put(BytesIO(text))
        if session.get(models.LookupTableRow, blob) is None:
            words = "worked out from pairs on a screen"
            row = models.LookupTableRow(file=blob, name=name, state="ready", kind=f"{SIZE} points a side", words=words)
            session.add(row)
        count = f"{len(pairs)} pair{'' if len(pairs) == 1 else 's'}"
        labels = Labels(name=name, came_from=f"Worked out from {count}: {', '.join(p.after[0] for p in pairs)}"[:280])
        kept = table_look(HeldTable(blob), name)
        look = add_kept(session, labels, kept, "Worked out from pairs", state=TRIAL)
        for position, (files, pair, view) in enumerate(zip(pairs, laid, views, strict=True), start=1):
            _add_pair(session, keep, look.id, position, files, (pair, view))
        session.add(models.WorkedOutRow(look_id=look.id, document=_found(found).model_dump(mode="json")))
        return look.id


def _laid(pair: PairFiles, limits: Limits) -> LaidOver:
    before, after = (_decoded(file, limits) for file in (pair.before, pair.after))
    try:
        return lay_over(before, after)
    except PairError as error:
        raise PairError(f"{pair.before[0]} and {pair.after[0]}: {error.message}") from error


def _decoded(file: tuple[str, bytes], limits: Limits) -> Encoded01:
    """Encoded sRGB (h, w, 3) of a picture file at the size that everything is measured on."""
    name, data = file
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture"
        path.write_bytes(data)
        try:
            picture = decode(path, limits)
        except NuvettError as error:
            raise FileError(f"{name}: {error.message}") from error
    return small_encoded(picture)


@dataclass(frozen=True)
class _Views:
    before: bytes
    after: bytes
    veil: bytes
    share: float


def _views(pair: LaidOver, table: HeldTable) -> _Views:
    """JPEG of both pictures of a pair, and a veil over all but the places where they do not agree with the table."""
    off = disagrees(disagreement(pair, table))
    veil = np.full((*off.shape, 4), _VEILED, dtype=np.uint8)
    veil[off] = 0
    shown = [np.rint(np.clip(p, 0, 1) * 255).astype(np.uint8) for p in (pair.before, pair.after)]
    jpegs = [encode(picture, Format.JPEG, 90) for picture in shown]
    png = cv2.imencode(".png", veil, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()
    return _Views(jpegs[0], jpegs[1], png, float(off.mean()))


def _add_pair(
    session: Session,
    keep: Keeping,
    look_id: uuid.UUID,
    position: int,
    files: PairFiles,
    made: tuple[LaidOver, _Views],
) -> None:
    pair, views = made
    blobs = [keep.put(BytesIO(data))[0] for data in (views.before, views.after, views.veil)]
    left_out = f"{100 * views.share:.0f} % does not agree and was left out"
    words = f"{pair.words}; {left_out if views.share >= _TOLD else 'all of it agrees'}"
    row = models.PairRow(
        look_id=look_id,
        position=position,
        name=f"{display_name(files.before[0])} and {display_name(files.after[0])}",
        words=words,
        before=blobs[0],
        after=blobs[1],
        veil=blobs[2],
    )
    session.add(row)


def _found(inference: Inference) -> WorkedOutLook:
    return WorkedOutLook(
        residual=inference.residual,
        coverage=inference.coverage,
        warnings=inference.warnings,
        unseen=_unseen(inference.seen),
    )


def _unseen(seen: NDArray[np.bool_]) -> tuple[tuple[float, float], ...]:
    """Middles of the cells of the chart whose colours were hardly seen; cells that no sRGB colour has are left out."""
    lab = linear_to_oklab(to_linear(Encoded01(grid(len(seen)).reshape(-1, 3))))
    place = np.clip((lab[:, 1:] / _CHART + 1) / 2, 0, 1 - 1e-6)
    index = (place * _CELLS).astype(int)
    count, hits = np.zeros((_CELLS, _CELLS)), np.zeros((_CELLS, _CELLS))
    np.add.at(count, (index[:, 0], index[:, 1]), 1)
    np.add.at(hits, (index[:, 0], index[:, 1]), seen.reshape(-1))
    cells = np.argwhere((count > 0) & (hits < _MIN_SEEN * np.maximum(count, 1)))
    middles = (cells + 0.5) * 2 / _CELLS - 1
    return tuple((round(float(x), 4), round(float(y), 4)) for x, y in middles if np.hypot(x, y) < 1)
