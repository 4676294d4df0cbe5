"""Making the papers of a delivery once its pictures are there."""

import tempfile
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import select, update

from nuvett.core.errors import DiskFullError, NuvettError, StoreAbsentError
from nuvett.core.plan.documents import read_plan, with_tables
from nuvett.core.plan.frame_plan import FramePlan
from nuvett.core.reading.column import lightness_marks
from nuvett.core.reading.palette import Palette
from nuvett.core.reading.tokens import write_tokens
from nuvett.core.table.table import USUAL_SIZE
from nuvett.imaging.facts import FileFacts
from nuvett.imaging.tables import TableFormat
from nuvett.services.delivery.deliveries import PICTURE, settings_of
from nuvett.services.delivery.delivery_settings import DeliverySettings
from nuvett.services.delivery.kept_settings import credits_of
from nuvett.services.delivery.papers import names
from nuvett.services.delivery.papers.contact_sheet import TILE_EDGE, Tile, sheet_pdf, sheet_picture
from nuvett.services.delivery.papers.record import (
    ColourShare,
    FileRecord,
    LookRecord,
    Record,
    record_page,
    steps_in_words,
)
from nuvett.services.delivery.placing import place_file
from nuvett.services.delivery.tables_out import shared_table
from nuvett.services.engine.facts import Facts, FrameFacts
from nuvett.services.engine.measures import Summary
from nuvett.services.looks.carrying import Following, followings
from nuvett.services.platform.blobs import keeping
from nuvett.services.platform.studio import Studio
from nuvett.services.series.frame_facts import series_facts
from nuvett.store import models


@dataclass(frozen=True)
class _Made:
    """A picture of a delivery as its rows say it, with its frame."""

    row: models.DeliveryFile
    frame: models.Frame | None


@dataclass(frozen=True)
class _Parcel:
    """All that papers tell of. `pictures` are the rows of pictures, `seen` the facts of their frames by id."""

    series: models.Series
    delivery: models.Delivery
    settings: DeliverySettings
    pictures: list[_Made]
    papers: list[models.DeliveryFile]
    seen: dict[uuid.UUID, FrameFacts]
    facts: Facts
    versions: dict[uuid.UUID, Following]


def make_papers(studio: Studio, delivery_id: uuid.UUID) -> None:
    """Make the papers of a delivery that are not made yet; one that fails is left out with words. Raises DiskFullError.

    No session is open while they are made.
    """
    parcel = _gathered(studio, delivery_id)
    maker = _Maker(studio, parcel)
    for paper in parcel.papers:
        if paper.state == "done" and paper.kind != names.CHECKSUMS:
            continue
        try:
            _keep(studio, parcel, paper, maker.made(paper))
        except (DiskFullError, StoreAbsentError):
            raise
        except (NuvettError, OSError) as error:
            words = error.message if isinstance(error, NuvettError) else "It could not be made."
            with studio.database.session() as session:
                failed = update(models.DeliveryFile).where(models.DeliveryFile.id == paper.id)
                session.execute(failed.values(state="failed", problem=words, finished=datetime.now(UTC)))


def _gathered(studio: Studio, delivery_id: uuid.UUID) -> _Parcel:
    with studio.database.session() as session:
        delivery = session.get_one(models.Delivery, delivery_id)
        series = session.get_one(models.Series, delivery.series_id)
        rows = list(delivery.files)
        of_series = select(models.Frame).where(models.Frame.series_id == series.id)
        frames = {frame.id: frame for frame in session.scalars(of_series)}
        pictures = [_Made(row, frames.get(row.frame_id) if row.frame_id else None) for row in rows if _is_picture(row)]
        facts = series_facts(session, series)
        used = {made.row.version_id for made in pictures if made.row.version_id}
        return _Parcel(
            series,
            delivery,
            settings_of(delivery),
            pictures,
            [row for row in rows if not _is_picture(row)],
            {frame.id: frame for frame in facts},
            facts,
            followings(session, used),
        )


def _is_picture(row: models.DeliveryFile) -> bool:
    return row.kind == PICTURE


def _keep(studio: Studio, parcel: _Parcel, paper: models.DeliveryFile, data: bytes) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "paper"
        path.write_bytes(data)
        placed = place_file(studio, parcel.settings, paper, path)
        with studio.database.session() as session:
            keep = keeping(session, studio)
            blob, size = keep.put_file(path)
            done = update(models.DeliveryFile).where(models.DeliveryFile.id == paper.id)
            found = {"name": placed.name, "placed": placed.stamp} if placed else {}
            values = {"state": "done", "problem": "", "blob": blob, "bytes": size, "finished": datetime.now(UTC)}
            session.execute(done.values(**values, **found))
    paper.blob, paper.bytes, paper.state = blob, size, "done"  # for the list of checksums
    if placed:
        paper.name = placed.name


class _Maker:
    """Makes papers of one parcel; what several of them need is made once."""

    def __init__(self, studio: Studio, parcel: _Parcel) -> None:
        self._studio, self._parcel = studio, parcel
        self._sheet: bytes | None = None
        self._record: Record | None = None

    def made(self, paper: models.DeliveryFile) -> bytes:
        """Bytes of a paper."""
        kinds: dict[str, Callable[[models.DeliveryFile], bytes]] = {
            names.SHEET_PDF: lambda _: self._pdf(),
            names.SHEET_JPEG: self._page,
            names.TABLE: self._table,
            names.PALETTE: lambda _: self._palette(),
            names.RECORD_JSON: lambda _: self._whole_record().model_dump_json(indent=2).encode(),
            names.RECORD_PAGE: lambda _: record_page(self._whole_record()).encode(),
            names.CHECKSUMS: lambda _: self._checksums(),
        }
        return kinds[paper.kind](paper)

    def _plan(self, row: models.DeliveryFile) -> FramePlan:
        return with_tables(read_plan(row.plan), self._studio.bench.tables.find)

    def _firsts(self) -> list[_Made]:
        """One picture of each frame: those of the first kind of file."""
        return [made for made in self._parcel.pictures if made.row.output == 0 and made.row.plan and made.frame]

    def _summary(self, row: models.DeliveryFile, frame: FrameFacts, plan: FramePlan | None) -> Summary:
        followed = self._followed(row)
        return self._studio.bench.measures.summary(frame, plan, followed.aimed if followed else None)

    def _pdf(self) -> bytes:
        if self._sheet is None:
            papers, tiles = self._parcel.settings.papers, []
            for made in self._firsts():
                frame = self._frame(made.row)
                if frame is None:
                    continue
                plan = self._plan(made.row)
                summary = self._summary(made.row, frame, plan) if papers.palette or papers.drift else None
                drift = summary.drift if summary and papers.drift else None
                tiles.append(
                    Tile(
                        self._studio.bench.pictures.preview(frame, plan, TILE_EDGE),
                        Path(made.row.name).name,
                        tuple((c.hex, c.share) for c in summary.palette) if summary and papers.palette else (),
                        f"drift {drift.value:.1f}" if drift else "",
                    )
                )
            rights = credits_of(self._parcel.series).rights
            below = f"{self._parcel.delivery.created:%d %B %Y}, {len(tiles)} pictures. {rights}".strip()
            self._sheet = sheet_pdf(self._parcel.series.title, below, tiles, papers)
        return self._sheet

    def _page(self, paper: models.DeliveryFile) -> bytes:
        pages = [row.id for row in self._parcel.papers if row.kind == names.SHEET_JPEG]
        return sheet_picture(self._pdf(), pages.index(paper.id))

    def _frame(self, row: models.DeliveryFile) -> FrameFacts | None:
        return self._parcel.seen.get(row.frame_id) if row.frame_id else None

    def _followed(self, row: models.DeliveryFile) -> Following | None:
        return self._parcel.versions.get(row.version_id) if row.version_id else None

    def _table(self, paper: models.DeliveryFile) -> bytes:
        order = sorted(self._parcel.versions.values(), key=lambda one: one.number)
        tables = [row.id for row in self._parcel.papers if row.kind == names.TABLE]
        followed = order[tables.index(paper.id)]
        title, bench = f"{self._parcel.series.title} v{followed.number}", self._studio.bench
        return shared_table(bench, self._parcel.facts, followed.aimed, TableFormat.CUBE, USUAL_SIZE, title).encode()

    def _newest(self) -> Following | None:
        return max(self._parcel.versions.values(), key=lambda one: one.number, default=None)

    def _palette(self) -> bytes:
        newest = self._newest()
        palette: Palette = newest.aimed.target.palette if newest else ()
        return write_tokens(palette, self._parcel.series.title).encode()

    def _whole_record(self) -> Record:
        if self._record is None:
            credits, parcel = credits_of(self._parcel.series), self._parcel
            self._record = Record(
                series=parcel.series.title,
                ordered=parcel.delivery.created,
                settings=parcel.settings.words,
                creator=credits.creator,
                rights=credits.rights,
                caption=credits.caption,
                looks=tuple(_look_record(one) for one in sorted(parcel.versions.values(), key=lambda v: v.number)),
                files=tuple(self._file_record(made) for made in parcel.pictures),
            )
        return self._record

    def _file_record(self, made: _Made) -> FileRecord:
        row, frame = made.row, made.frame
        seen = self._frame(row)
        measured = seen is not None and bool(row.plan)
        before = self._summary(row, seen, None).drift if seen and measured else None
        after = self._summary(row, seen, self._plan(row)).drift if seen and measured else None
        shot = FileFacts.model_validate(frame.shot or {}) if frame else FileFacts()
        followed = self._followed(row)
        return FileRecord(
            name=row.name,
            frame=frame.name if frame else "",
            taken=frame.taken if frame else None,
            camera=" ".join(dict.fromkeys(f"{shot.camera_maker} {shot.camera}".split())),
            lens=shot.lens,
            look=followed.number if followed else 0,
            light=seen.even.words if seen else "",
            trim=steps_in_words(seen.trim) if seen else (),
            drift_before=round(before.value, 2) if before else None,
            drift_after=round(after.value, 2) if after else None,
            drift_words=after.words if after else "",
            bytes=row.bytes,
            sha256=row.blob or "",
            problem=row.problem if row.state == "failed" else "",
        )

    def _checksums(self) -> bytes:
        rows = [made.row for made in self._parcel.pictures] + self._parcel.papers
        listed = [row for row in rows if row.state == "done" and row.blob and row.kind != names.CHECKSUMS]
        return "".join(f"{row.blob}  {row.name}\n" for row in listed).encode()


def _look_record(followed: Following) -> LookRecord:
    target = followed.aimed.target
    return LookRecord(
        version=followed.number,
        steps=steps_in_words(followed.aimed.look),
        palette=tuple(ColourShare(hex=c.hex, name=c.name, share=c.share) for c in target.palette),
        tones=tuple(lightness_marks(target.statistics.lightness).values()),
    )
