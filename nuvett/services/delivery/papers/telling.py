"""What the contact sheet and the record of a delivery say of its pictures."""

import uuid
from pathlib import Path

from nuvett.core.reading.column import lightness_marks
from nuvett.core.spaces.oklab import oklab_to_linear
from nuvett.core.spaces.rgb import from_linear, to_hex
from nuvett.core.thread.colours import GOALS
from nuvett.core.types import OKLab
from nuvett.imaging.facts import FileFacts
from nuvett.services.delivery.kept_settings import credits_of
from nuvett.services.delivery.papers.contact_sheet import TILE_EDGE, SheetTile, sheet_pdf, sheet_picture
from nuvett.services.delivery.papers.parcel import MadePicture, Parcel
from nuvett.services.delivery.papers.record import (
    ColourShare,
    FileRecord,
    LookRecord,
    PlaceRecord,
    Record,
    ThreadRecord,
    steps_in_words,
)
from nuvett.services.looks.carrying import Following
from nuvett.services.threads.thread_colours import Strip, strip_of
from nuvett.store import models


def sheet_of(parcel: Parcel) -> bytes:
    """The contact sheet, as PDF."""
    return parcel.once("contact sheet", lambda: _sheet(parcel))


def sheet_page(parcel: Parcel, paper: models.DeliveryFileRow) -> bytes:
    """A page of the contact sheet, as JPEG."""
    return sheet_picture(sheet_of(parcel), parcel.place(paper))


def _sheet(parcel: Parcel) -> bytes:
    tiles = [tile for made in parcel.firsts if (tile := _tile(parcel, made))]
    rights = credits_of(parcel.series).rights
    below = f"{parcel.delivery.created:%d %B %Y}, {len(tiles)} pictures. {rights}".strip()
    return sheet_pdf(parcel.series.title, below, tiles, parcel.settings.papers)


def _tile(parcel: Parcel, made: MadePicture) -> SheetTile | None:
    frame, papers = parcel.frame(made.row), parcel.settings.papers
    if frame is None:
        return None
    plan = parcel.plan(made.row)
    summary = parcel.summary(made.row, frame, plan) if papers.palette or papers.drift else None
    drift = summary.drift if summary and papers.drift else None
    return SheetTile(
        parcel.studio.bench.pictures.preview(frame, plan, TILE_EDGE),
        Path(made.row.name).name,
        tuple((c.hex, c.share) for c in summary.palette) if summary and papers.palette else (),
        f"drift {drift.value:.1f}" if drift else "",
    )


def record_of(parcel: Parcel) -> Record:
    """The record, as a document."""
    return parcel.once("record", lambda: _record(parcel))


def _record(parcel: Parcel) -> Record:
    credits = credits_of(parcel.series)
    return Record(
        series=parcel.series.title,
        ordered=parcel.delivery.created,
        settings=parcel.settings.words,
        creator=credits.creator,
        rights=credits.rights,
        caption=credits.caption,
        looks=tuple(_look_record(one) for one in parcel.followed),
        files=tuple(_file_record(parcel, made) for made in parcel.pictures),
        threads=_thread_records(parcel),
    )


def _thread_records(parcel: Parcel) -> tuple[ThreadRecord, ...]:
    wanted = {frame for thread in parcel.threads for frame in thread.places}
    firsts = [one for one in parcel.firsts if one.row.frame_id in wanted]
    made = [(frame, parcel.plan(one.row)) for one in firsts if (frame := parcel.frame(one.row)) is not None]
    names = {one.frame.id: one.frame.name for one in firsts if one.frame is not None}
    bench, hero = parcel.studio.bench, parcel.series.hero_id
    return tuple(_thread_record(strip_of(bench, thread, made, hero), names) for thread in parcel.threads)


def _thread_record(strip: Strip, names: dict[uuid.UUID, str]) -> ThreadRecord:
    thread = strip.thread
    return ThreadRecord(
        name=thread.name,
        goal=GOALS[thread.goal.kind],
        apart_before=_rounded(strip.was),
        apart_after=_rounded(strip.apart),
        places=tuple(
            PlaceRecord(
                frame=names.get(bead.frame.id, ""),
                came=_hex(bead.came),
                made=_hex(bead.shown) if bead.shown is not None else "",
                off=_rounded(bead.off),
                words=bead.words,
            )
            for bead in strip.beads
        ),
    )


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def _hex(colour: OKLab) -> str:
    return to_hex(from_linear(oklab_to_linear(OKLab(colour[None])))[0])


def _file_record(parcel: Parcel, made: MadePicture) -> FileRecord:
    row, frame = made.row, made.frame
    seen = parcel.frame(row)
    measured = seen is not None and bool(row.plan)
    before = parcel.summary(row, seen, None).drift if seen and measured else None
    after = parcel.summary(row, seen, parcel.plan(row)).drift if seen and measured else None
    shot = FileFacts.model_validate(frame.shot or {}) if frame else FileFacts()
    followed = parcel.version(row)
    return FileRecord(
        name=row.name,
        frame=frame.name if frame else "",
        taken=frame.taken if frame else None,
        camera=" ".join(dict.fromkeys(f"{shot.camera_maker} {shot.camera}".split())),
        lens=shot.lens,
        look=followed.number if followed else 0,
        light=seen.even.words if seen else "",
        trim=steps_in_words(seen.trim, followed is not None and followed.aimed.target is not None) if seen else (),
        drift_before=round(before.value, 2) if before else None,
        drift_after=round(after.value, 2) if after else None,
        drift_words=after.words if after else "",
        bytes=row.bytes,
        sha256=row.blob or "",
        problem=row.problem if row.state == "failed" else "",
    )


def _look_record(followed: Following) -> LookRecord:
    target = followed.aimed.target
    return LookRecord(
        version=followed.number,
        steps=steps_in_words(followed.aimed.look, target is not None),
        palette=tuple(ColourShare(hex=c.hex, name=c.name, share=c.share) for c in (target.palette if target else ())),
        tones=tuple(lightness_marks(target.statistics.lightness).values()) if target else (),
    )
