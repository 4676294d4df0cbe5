"""Making the papers of a delivery once its pictures are there."""

import tempfile
import uuid
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import update

from nuvett.core.errors import DiskFullError, NuvettError, StoreAbsentError
from nuvett.services.delivery.papers.kinds import PAPERS, PaperKind
from nuvett.services.delivery.papers.parcel import Parcel, gathered
from nuvett.services.delivery.placing import place_file
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.studio import Studio
from nuvett.store import models


def make_papers(studio: Studio, delivery_id: uuid.UUID, kinds: tuple[PaperKind, ...] = PAPERS) -> None:
    """Make the papers of a delivery that are not made yet; one that fails is left out with words. Raises DiskFullError.

    No session is open while they are made.
    """
    parcel = gathered(studio, delivery_id)
    by_name = {kind.name: kind for kind in kinds}
    for paper in parcel.papers:
        kind = by_name[paper.kind]
        if paper.state == "done" and not kind.last:
            continue
        try:
            _keep(studio, parcel, paper, kind.make(parcel, paper))
        except (DiskFullError, StoreAbsentError):
            raise
        except (NuvettError, OSError) as error:
            words = error.message if isinstance(error, NuvettError) else "It could not be made."
            with studio.database.session() as session:
                failed = update(models.DeliveryFileRow).where(models.DeliveryFileRow.id == paper.id)
                session.execute(failed.values(state="failed", problem=words, finished=datetime.now(UTC)))


def _keep(studio: Studio, parcel: Parcel, paper: models.DeliveryFileRow, data: bytes) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "paper"
        path.write_bytes(data)
        placed = place_file(studio, parcel.settings, paper, path)
        with studio.database.session() as session:
            keep = keeping(session, studio)
            blob, size = keep.put_file(path)
            done = update(models.DeliveryFileRow).where(models.DeliveryFileRow.id == paper.id)
            found = {"name": placed.name, "placed": placed.stamp} if placed else {}
            values = {"state": "done", "problem": "", "blob": blob, "bytes": size, "finished": datetime.now(UTC)}
            session.execute(done.values(**values, **found))
    paper.blob, paper.bytes, paper.state = blob, size, "done"  # for the list of checksums
    if placed:
        paper.name = placed.name
