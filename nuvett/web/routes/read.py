"""Read: sampling references and weighing them into the target."""

import uuid
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Body, Query, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from nuvett.core.errors import InvalidChangeError
from nuvett.core.reading.family import Family
from nuvett.core.reading.reading import Reading, Sampling, Target, zone_colours
from nuvett.core.spaces.names import colour_name
from nuvett.services import gather, sampling
from nuvett.services.catalogue import find_frame, find_reference, find_series, sweep
from nuvett.services.stages import stages_of
from nuvett.web.context import Context, Means
from nuvett.web.instruments import (
    HUE_MARKS,
    Band,
    Dot,
    ToneSide,
    chart_cloud,
    chart_palette,
    hexes,
    palette_bands,
    tone_side,
)

router = APIRouter(prefix="/series/{slug}")


@dataclass(frozen=True)
class ReferenceCard:
    """One reference in the list."""

    id: str
    name: str
    credit: str
    state: str
    problem: str
    tone: float
    colour: float
    sampled: str
    bands: list[Band]


@dataclass(frozen=True)
class Zone:
    """A zone colour in words."""

    title: str
    hex: str
    name: str
    chroma: float


@dataclass(frozen=True)
class ReadingView:
    """What was sampled from the reference in view."""

    id: str
    name: str
    credit: str
    width: int
    height: int
    patch: tuple[float, float, float, float] | None
    family: str
    tolerance: float
    colours: int
    share: float
    bands: list[Band]
    tone: ToneSide
    dots: list[Dot]
    cloud: list[Dot]
    zones: list[Zone]


def sampled_words(reading: Reading) -> str:
    """Which part of a reference is sampled."""
    part = "whole still" if reading.sampling.patch is None else f"patch, {reading.share:.0%} of it"
    if reading.sampling.family is not None:
        part = f"one family, {reading.share:.0%}"
    return part.replace("%", " %")


def _card(row: Any) -> ReferenceCard:
    reading = Reading.model_validate(row.reading) if row.reading else None
    return ReferenceCard(
        id=str(row.id),
        name=row.name,
        credit=row.credit,
        state=row.state,
        problem=row.problem,
        tone=row.tone_weight,
        colour=row.colour_weight,
        sampled=sampled_words(reading) if reading else "",
        bands=palette_bands(reading.palette) if reading else [],
    )


def zone_views(reading: Reading | Target) -> list[Zone]:
    """Zone colours of a reading or target, dark to light."""
    return [
        Zone(title, hexes(lab[None])[0], colour_name(lab), round(float(np.hypot(lab[1], lab[2])) * 100, 1))
        for title, lab in zone_colours(reading.statistics).items()
    ]


def reading_view(row: Any, reading: Reading) -> ReadingView:
    """View of one reading."""
    family = reading.sampling.family
    return ReadingView(
        id=str(row.id),
        name=row.name,
        credit=row.credit,
        width=row.width,
        height=row.height,
        patch=reading.sampling.patch,
        family=hexes(np.array([family.colour], np.float32))[0] if family else "",
        tolerance=family.tolerance if family else 30,
        colours=reading.sampling.colours,
        share=reading.share,
        bands=palette_bands(reading.palette),
        tone=tone_side(reading.statistics),
        dots=chart_palette(reading.palette),
        cloud=chart_cloud(reading.statistics.cloud),
        zones=zone_views(reading),
    )


def _page_values(session: Session, slug: str, wanted: uuid.UUID | None) -> dict[str, Any]:
    series = find_series(session, slug)
    rows = series.references
    ready = [row for row in rows if row.state == "ready"]
    chosen = next((row for row in ready if row.id == wanted), ready[0] if ready else None)
    target = sampling.latest_target(session, series.id)
    document = sampling.target_document(target) if target else None
    return {
        "series": series,
        "slug": slug,
        "stages": stages_of(session, series),
        "cards": [_card(row) for row in rows],
        "view": reading_view(chosen, Reading.model_validate(chosen.reading)) if chosen else None,
        "card": next((card for card in map(_card, rows) if chosen and card.id == str(chosen.id)), None),
        "target_bands": palette_bands(document.palette) if document else [],
        "target_number": target.number if target else 0,
        "hue_marks": HUE_MARKS,
        "waiting": any(row.state == "waiting" for row in rows),
    }


@router.get("/read")
def show(context: Means, slug: str, reference: Annotated[uuid.UUID | None, Query()] = None) -> HTMLResponse:
    with context.session() as session:
        values = _page_values(session, slug, reference)
    return context.page("read.html", "read", **values)


@router.post("/references")
def upload(context: Means, slug: str, file: UploadFile) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        row = gather.add_reference(session, context.studio, series, file.filename or "", file.file)
        return JSONResponse({"id": str(row.id), "name": row.name}, 201)


@router.post("/frames/{frame_id}/reference")
def from_frame(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        gather.reference_from_frame(session, context.studio, series, find_frame(session, series, frame_id))
    return RedirectResponse(f"/series/{slug}/read", 303)


@router.get("/references/state")
def state(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        rows = find_series(session, slug).references
        return JSONResponse({"waiting": sum(row.state == "waiting" for row in rows)})


@router.post("/references/{reference_id}/remove")
def remove(context: Means, slug: str, reference_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        names = gather.remove_reference(session, find_reference(session, series, reference_id))
        sampling.renew_target_if_weighed(session, series.id)
    with context.session() as session:
        sweep(session, context.studio.blobs, names)
    return RedirectResponse(f"/series/{slug}/read", 303)


def _sampling(context: Context, data: dict[str, Any], view: str | None, domain: str) -> Sampling:
    """Sampling of a request; a family is given as the place in the picture where it was picked, or as it is kept."""
    try:
        patch = data.get("patch")
        family = data.get("family")
        if family is not None and "place" in family:
            x, y = (float(v) for v in family["place"])
            colour = context.studio.bench.colour_at(view or "", domain, x, y)
            family = {"colour": colour, "tolerance": family.get("tolerance", 30)}
        return Sampling(
            patch=tuple(patch) if patch else None,
            family=Family.model_validate(family) if family else None,
            colours=int(data.get("colours", 6)),
        )
    except (ValueError, TypeError, KeyError) as error:
        raise InvalidChangeError("The patch must lie inside the picture; nothing was changed.") from error


@router.put("/references/{reference_id}/sampling")
def resample(
    context: Means, slug: str, reference_id: uuid.UUID, data: Annotated[dict[str, Any], Body()]
) -> HTMLResponse:
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        proxy, view, domain = row.proxy, row.view, row.domain
        kept = Sampling.model_validate(row.sampling).family
    if isinstance(data.get("family"), dict) and "place" not in data["family"] and kept is not None:
        data["family"] = {"colour": kept.colour, "tolerance": data["family"].get("tolerance", kept.tolerance)}
    reading = sampling.measure_sampling(context.studio, proxy or "", _sampling(context, data, view, domain))
    with context.session() as session:
        series = find_series(session, slug)
        sampling.lock_series(session, series)
        sampling.set_reading(find_reference(session, series, reference_id), reading)
        sampling.renew_target_if_weighed(session, series.id)
        session.flush()
        session.expire_all()
        values = _page_values(session, slug, reference_id)
    return context.part("parts/reading.html", **values)


@router.put("/references/{reference_id}/weights")
def weigh(
    context: Means, slug: str, reference_id: uuid.UUID, data: Annotated[dict[str, float], Body()]
) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        sampling.lock_series(session, series)
        row = find_reference(session, series, reference_id)
        sampling.set_weights(row, data.get("tone", row.tone_weight), data.get("colour", row.colour_weight))
        session.flush()
        sampling.renew_target_if_weighed(session, series.id)
        session.expire_all()
        values = _page_values(session, slug, reference_id)
    return context.part("parts/reading.html", **values)


@router.get("/references/{reference_id}/sampled.png")
def sampled(context: Means, slug: str, reference_id: uuid.UUID) -> Response:
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        proxy, document = row.proxy or "", Sampling.model_validate(row.sampling)
    data = sampling.dimmed_picture(context.studio, proxy, document)
    return Response(data, media_type="image/png", headers={"cache-control": "no-store"})
