"""Read: sampling references and weighing them into the target."""

import base64
import uuid
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Form, Query, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from nuvett.core.errors import ConflictError, InvalidChangeError, NotFoundError, TooFewPixelsError
from nuvett.core.reading import edits
from nuvett.core.reading.checks import checked
from nuvett.core.reading.regions import Sampling
from nuvett.core.reading.words import describe_sampling
from nuvett.services.looks import heroes
from nuvett.services.platform.blobs import sweep
from nuvett.services.references import (
    clips,
    kept_references,
    new_references,
    parts,
    reading_history,
    reference_overlays,
    targets,
)
from nuvett.services.references.palettes import find_palette_row, palette_of
from nuvett.services.series.catalogue import find_frame, find_reference, find_series, list_series
from nuvett.services.series.rows import Reference
from nuvett.services.series.stages import stages_of
from nuvett.web.bodies import PaletteEdit, Picked, ReferenceDraft, ReferenceInView, Resampled, Weights
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.instruments import chart_colour, place_on_instruments
from nuvett.web.views.readings import TOOLS, compared, draft_values, page_values

router = APIRouter(prefix="/series/{slug}")
Number = Annotated[float, Query(allow_inf_nan=False)]


def _values(session: Session, slug: str, wanted: uuid.UUID | None) -> dict[str, Any]:
    series = find_series(session, slug)
    shared = {"series": series, "slug": slug, "stages": stages_of(session, series)}
    return shared | page_values(session, series, wanted)


def _part(context: Context, slug: str, wanted: uuid.UUID | None) -> HTMLResponse:
    with context.session() as session:
        return context.part("parts/reading.html", **_values(session, slug, wanted), chosen_colour=None)


@router.get("/read")
def show(
    context: Means,
    slug: str,
    reference: Annotated[uuid.UUID | None, Query()] = None,
    tool: str = "patch",
    colour: Annotated[int | None, Query(ge=0, le=11)] = None,
) -> HTMLResponse:
    with context.session() as session:
        values = _values(session, slug, reference)
    return context.page("read.html", "read", **values, tool=tool if tool in TOOLS else TOOLS[0], chosen_colour=colour)


@router.get("/read/part")
def part(context: Means, slug: str, reference: Annotated[uuid.UUID | None, Query()] = None) -> HTMLResponse:
    return _part(context, slug, reference)


@router.get("/read/compare")
def compare(context: Means, slug: str, reference: Annotated[list[uuid.UUID] | None, Query()] = None) -> HTMLResponse:
    with context.session() as session:
        series = find_series(session, slug)
        values: dict[str, Any] = {"series": series, "slug": slug, "stages": stages_of(session, series)}
        columns = compared(session, series, reference or [])
        everyone = [(str(r.id), r.name) for r in kept_references.ready_references(session, series.id, readings=False)]
    return context.page("compare.html", "compare", **values, columns=columns, everyone=everyone)


@router.post("/references")
def upload(context: Means, slug: str, file: UploadFile) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        if clips.is_clip(file.filename or ""):
            clip = clips.add_clip(session, context.studio, series, file.filename or "", file.file)
            return JSONResponse({"id": str(clip.id), "name": clip.name}, 201)
        with reading_history.recorded(session, series, "Reference added"):
            row = new_references.add_reference(session, context.studio, series, file.filename or "", file.file)
        return JSONResponse({"id": str(row.id), "name": row.name}, 201)


@router.get("/read/frames")
def choose_frame(context: Means, slug: str, of: str = "", finished: bool = True) -> HTMLResponse:
    """Frames of this or another series, as they are finished or as they came, to take one as a reference."""
    with context.session() as session:
        every = list_series(session)
        chosen = find_series(session, of or slug)
        frames = [f for f in chosen.frames if f.state == "ready"]
        values = {"every": every, "chosen": chosen, "frames": frames, "finished": finished}
        return context.part("parts/frames.html", slug=slug, **values)


@router.get("/frames/{frame_id}/finished.jpg")
@heavy
def finished_picture(
    context: Means, slug: str, frame_id: uuid.UUID, edge: Annotated[int, Query(ge=16, le=1600)] = 200
) -> Response:
    """A frame as it is finished now, which another moment may change."""
    bench = context.studio.bench
    with context.session() as session:
        find_frame(session, find_series(session, slug), frame_id)
        finish = heroes.finish_of(session, frame_id)
    data = bench.pictures.preview(finish.frame, finish.plan(bench), edge)
    return Response(data, media_type="image/jpeg", headers={"cache-control": "no-store"})


@router.post("/frames/{frame_id}/finished")
@heavy
def from_finished(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    """Take a frame as it is finished as a reference."""
    heroes.take_finished(context.studio, slug, frame_id)
    return RedirectResponse(f"/series/{slug}/read", 303)


@router.post("/references/{reference_id}/parts")
def keep_part(
    context: Means, slug: str, reference_id: uuid.UUID, name: Annotated[str, Form(max_length=200)]
) -> Response:
    """Keep what is sampled of a reference as a part of a name."""
    return _change_parts(context, slug, reference_id, "a part kept", lambda row: parts.keep_part(row, name))


@router.post("/references/{reference_id}/parts/{key}/remove")
def drop_part(context: Means, slug: str, reference_id: uuid.UUID, key: str) -> Response:
    return _change_parts(context, slug, reference_id, "a part taken away", lambda row: parts.drop_part(row, key))


def _change_parts(
    context: Context, slug: str, reference_id: uuid.UUID, words: str, change: Callable[[Reference], object]
) -> Response:
    """Change the named parts of a reference as one step, and show that reference."""
    with context.session() as session:
        series = find_series(session, slug)
        row = find_reference(session, series, reference_id)
        with reading_history.recorded(session, series, f"{row.name}: {words}"):
            change(row)
    return RedirectResponse(f"/series/{slug}/read?reference={reference_id}", 303)


@router.post("/references/{reference_id}/renew")
@heavy
def renew(context: Means, slug: str, reference_id: uuid.UUID) -> Response:
    """Read a finished frame anew, as it is finished now."""
    heroes.renew_finished(context.studio, slug, reference_id)
    return RedirectResponse(f"/series/{slug}/read", 303)


@router.post("/frames/{frame_id}/reference")
def from_frame(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        with reading_history.recorded(session, series, "Frame taken as a reference"):
            new_references.reference_from_frame(session, context.studio, series, frame_id)
    return RedirectResponse(f"/series/{slug}/read", 303)


@router.get("/references/state")
def state(context: Means, slug: str) -> JSONResponse:
    with context.session() as session:
        series = find_series(session, slug)
        waiting = kept_references.waiting_references(session, series)
        return JSONResponse({"waiting": waiting, "held_up": context.held_up(session, series) if waiting else ""})


@router.post("/references/{reference_id}/remove")
def remove(context: Means, slug: str, reference_id: uuid.UUID) -> Response:
    names: set[str] = set()
    with context.session() as session:
        series = find_series(session, slug)
        row = find_reference(session, series, reference_id)
        if row.state == "ready":
            with reading_history.recorded(session, series, f"{row.name} taken out"):
                row.removed = True
        else:
            names = new_references.forget_refused(session, row)
    sweep(context.studio, names)
    return RedirectResponse(f"/series/{slug}/read", 303)


def _proxy(context: Context, slug: str, reference_id: uuid.UUID) -> tuple[str, Sampling]:
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        if row.proxy is None:
            raise NotFoundError
        return row.proxy, kept_references.sampling_of(row)


def _draft_of(context: Context, slug: str, reference_id: uuid.UUID, asked: ReferenceDraft) -> targets.TargetDraft:
    draft = targets.TargetDraft()
    if asked.sampling is not None:
        proxy, _ = _proxy(context, slug, reference_id)
        given = kept_references.parse_sampling(asked.sampling)
        draft.readings[reference_id] = kept_references.measure_sampling(context.studio, proxy, given)
    draft.weights |= {reference: (weight.tone, weight.colour) for reference, weight in asked.weights.items()}
    return draft


@router.post("/references/{reference_id}/draft")
@heavy
def draft(context: Means, slug: str, reference_id: uuid.UUID, asked: ReferenceDraft) -> JSONResponse:
    """What a sampling or weights would give, without keeping anything; the newest is wanted while dragging."""
    try:
        found = _draft_of(context, slug, reference_id, asked)
    except TooFewPixelsError as error:
        return JSONResponse({"problem": error.message})  # usual on the way to a larger patch
    with context.session() as session:
        series = find_series(session, slug)
        values = draft_values(session, series, find_reference(session, series, reference_id), found)
    answer = {
        part: bytes(context.part(f"parts/read_{part}.html", **values, chosen_colour=None).body).decode()
        for part in ("palette", "tone", "side", "target")
    }
    reading = found.readings.get(reference_id)
    if reading is not None:
        proxy, _ = _proxy(context, slug, reference_id)
        veil = reference_overlays.dimmed_picture(context.studio, proxy, reading.sampling)
        answer["veil"] = f"data:image/png;base64,{base64.b64encode(veil).decode()}"
    return JSONResponse(answer)


@router.get("/references/{reference_id}/checks")
@heavy
def checks(context: Means, slug: str, reference_id: uuid.UUID) -> HTMLResponse:
    """What in a reference is no part of the picture, or rules it, with what would leave it out."""
    proxy, sampling = _proxy(context, slug, reference_id)
    found = checked(context.studio.bench.sources.array(proxy), sampling)
    return context.part("parts/checks.html", checks=found)


def _keep(
    context: Context, slug: str, reference_id: uuid.UUID, given: Sampling, words: str | None = None
) -> HTMLResponse:
    proxy, before = _proxy(context, slug, reference_id)
    reading = kept_references.measure_sampling(context.studio, proxy, given)
    with context.session() as session:
        series = find_series(session, slug)
        with reading_history.recorded(session, series, words or describe_sampling(before, given)):
            kept_references.set_reading(find_reference(session, series, reference_id), reading)
    return _part(context, slug, reference_id)


@router.put("/references/{reference_id}/sampling")
@heavy
def resample(context: Means, slug: str, reference_id: uuid.UUID, asked: Resampled) -> HTMLResponse:
    _check_unchanged(context, slug, reference_id, asked.was)
    return _keep(context, slug, reference_id, kept_references.parse_sampling(asked.model_extra))


def _check_unchanged(context: Context, slug: str, reference_id: uuid.UUID, was: Any) -> None:
    """Raises ConflictError when a reference is no longer sampled as the window that asks has it."""
    if was is not None and kept_references.parse_sampling(was) != _proxy(context, slug, reference_id)[1]:
        raise ConflictError("This reference was sampled anew in another window. This window now shows that.")


@router.post("/references/{reference_id}/pick")
@heavy
def pick(context: Means, slug: str, reference_id: uuid.UUID, picked: Picked) -> JSONResponse:
    """The colour at a place: in words, and where it lies on the tone column and the colour chart."""
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        view, domain, reading = row.view or "", row.domain, kept_references.reading_of(row)
    colour = context.studio.bench.pictures.colour_at(view, domain, picked.place)
    return JSONResponse({"colour": colour} | place_on_instruments(colour, reading.statistics))


@router.post("/references/{reference_id}/palette")
@heavy
def edit_palette(context: Means, slug: str, reference_id: uuid.UUID, asked: PaletteEdit) -> HTMLResponse:
    """Change the palette by hand."""
    _check_unchanged(context, slug, reference_id, asked.was)
    with context.session() as session:
        row = find_reference(session, find_series(session, slug), reference_id)
        reading, view, domain = kept_references.reading_of(row), row.view or "", row.domain
    given, palette = reading.sampling, reading.palette
    changes = {
        "hold": lambda: edits.hold(given, palette, asked.index),
        "let go": lambda: edits.let_go(given, palette, asked.index),
        "leave out": lambda: edits.drop(given, palette, asked.index),
        "merge": lambda: edits.merge(given, palette, asked.index, asked.other),
        "nudge": lambda: edits.nudge(given, palette, asked.index, _lch(asked.lch)),
        "replace": lambda: edits.replace(
            given, palette, asked.index, context.studio.bench.pictures.colour_at(view, domain, asked.place)
        ),
        "find again": lambda: edits.find_again(given),
    }
    try:
        changed = changes[asked.do]()
    except (TypeError, ValueError) as error:
        raise InvalidChangeError from error
    return _keep(context, slug, reference_id, changed)


def _lch(values: tuple[float, float, float] | None) -> tuple[float, float, float]:
    if values is None:
        raise InvalidChangeError
    lightness, chroma, hue = values
    return lightness / 100, chroma / 100, hue


@router.post("/references/{reference_id}/use/{palette_id}")
@heavy
def use(context: Means, slug: str, reference_id: uuid.UUID, palette_id: uuid.UUID) -> HTMLResponse:
    """Hold the colours of a saved palette in a reading."""
    with context.session() as session:
        palette = palette_of(find_palette_row(session, palette_id))
    _, given = _proxy(context, slug, reference_id)
    colours = tuple((c.lightness, c.a, c.b) for c in palette.colours)
    return _keep(context, slug, reference_id, edits.use_palette(given, colours), f"Palette {palette.name} used")


@router.put("/weights")
def weigh(context: Means, slug: str, asked: Weights) -> HTMLResponse:
    """Weigh references for tone and for colour."""
    with context.session() as session:
        series = find_series(session, slug)
        with reading_history.recorded(session, series, "Weights changed"):
            for reference, weight in asked.weights.items():
                row = find_reference(session, series, reference)
                row.tone_weight, row.colour_weight = weight.tone, weight.colour
    return _part(context, slug, asked.reference)


@router.post("/read/{direction}")
def walk(context: Means, slug: str, direction: str, asked: ReferenceInView) -> HTMLResponse:
    """Undo or redo one change of references."""
    if direction not in ("undo", "redo"):
        raise NotFoundError
    with context.session() as session:
        reading_history.walk_references(session, context.studio, find_series(session, slug), direction == "redo")
    return _part(context, slug, asked.reference)


@router.post("/target/name")
def name_target(context: Means, slug: str, name: Annotated[str, Form()]) -> Response:
    with context.session() as session:
        targets.name_target(session, find_series(session, slug), name)
    return RedirectResponse(f"/series/{slug}/read", 303)


@router.post("/target/{number}/return")
def return_to(context: Means, slug: str, number: int) -> Response:
    with context.session() as session:
        reading_history.return_to_target(session, context.studio, find_series(session, slug), number)
    return RedirectResponse(f"/series/{slug}/read", 303)


@router.get("/references/{reference_id}/sampled.png")
@heavy
def sampled(context: Means, slug: str, reference_id: uuid.UUID) -> Response:
    proxy, document = _proxy(context, slug, reference_id)
    data = reference_overlays.dimmed_picture(context.studio, proxy, document)
    return Response(data, media_type="image/png", headers={"cache-control": "no-store"})


@router.get("/references/{reference_id}/lit.png")
@heavy
def lit(
    context: Means, slug: str, reference_id: uuid.UUID, lightness: Number | None = None, x: Number = 0, y: Number = 0
) -> Response:
    """Veil over all pixels but those at a CIE L* on the tone column, or at a place on the colour chart."""
    proxy, _ = _proxy(context, slug, reference_id)
    data = reference_overlays.lit_picture(context.studio, proxy, chart_colour(lightness, x, y))
    return Response(data, media_type="image/png", headers={"cache-control": "private, max-age=300"})
