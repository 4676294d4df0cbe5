"""What is done to several frames at once, to variants, and with what trims have in common."""

import uuid
from dataclasses import asdict, replace
from typing import Annotated, Literal

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from nuvett.services.looks import carried_plans, carrying, common_trims, found_places, trims_of_many
from nuvett.services.platform.blobs import sweep
from nuvett.services.series import gathering, subjects, variants
from nuvett.services.series.catalogue import find_frame, find_series
from nuvett.services.series.frame_facts import series_facts, trim_of
from nuvett.services.series.labels import labels_of
from nuvett.web.bodies import ChosenFrames, GivenName, TrimCopy
from nuvett.web.context import Context, Means
from nuvett.web.heavy import heavy
from nuvett.web.views.filters import plural
from nuvett.web.views.frame_lists import choices_around, choices_of
from nuvett.web.views.trim_parts import part_titles

router = APIRouter(prefix="/series/{slug}")


def _done(words: str) -> JSONResponse:
    return JSONResponse({"words": words})


@router.post("/trims/copy")
@heavy
def copy(context: Means, slug: str, asked: TrimCopy) -> JSONResponse:
    taken = _found_places(context, slug, asked)
    with context.session() as session:
        source = find_frame(session, find_series(session, slug), asked.frame)
        series = find_series(session, asked.to or slug)
        count = trims_of_many.copy_trim(session, series, source, asked.frames, taken)
        subjects.queue_subjects(session, context.studio, series, trim_of(source))
        there = f" of {series.title}" if series.id != source.series_id else ""
    return _done(f"Done to {plural(count, 'frame')}{there}; each can undo it for itself.")


@router.get("/trims/frames")
def frames_elsewhere(context: Means, slug: str, of: Annotated[str, Query(max_length=200)] = "") -> HTMLResponse:
    """Frames of this or another series, to choose those that the same is done to."""
    with context.session() as session:
        series = find_series(session, of or slug)
        firsts, labels = series_facts(session, series).firsts, labels_of(session, series)
    found = choices_around(firsts, labels, 0)
    values = {"frames": found, "frames_of": series.slug, "frames_in_all": len(firsts), "setup_frames": []}
    return context.part("parts/choose_frames.html", **values)


@router.get("/frames/boxes")
def boxes(
    context: Means,
    slug: str,
    box: Literal["proof", "column", "chosen-frame"],
    ticked: Annotated[list[uuid.UUID] | None, Query(max_length=40)] = None,
) -> HTMLResponse:
    """All frames of a long series to tick, once somebody wants to choose among them."""
    with context.session() as session:
        series = find_series(session, slug)
        found = choices_of(series_facts(session, series), labels_of(session, series))
    chosen = {str(one) for one in ticked or ()}
    return context.part("parts/frame_boxes.html", frames=found, frames_of=slug, box=box, ticked=chosen)


@router.get("/frames/names")
def names(context: Means, slug: str) -> JSONResponse:
    """All frames of a long series by name, once somebody wants to go to another."""
    with context.session() as session:
        series = find_series(session, slug)
        found = choices_of(series_facts(session, series), labels_of(session, series))
    return JSONResponse([asdict(one) for one in found])


def _taken(asked: TrimCopy) -> trims_of_many.Taken:
    return trims_of_many.Taken(frozenset(asked.parts), asked.areas == "replace")


def _found_places(context: Context, slug: str, asked: TrimCopy) -> trims_of_many.Taken:
    """What is taken, with where its spots show and its crop belongs in the chosen frames, where that is asked for."""
    taken, bench = _taken(asked), context.studio.bench
    about = asked.about_subject and "geometry" in asked.parts
    if not about and "spots" not in asked.parts:
        return taken
    with context.session() as session:
        source = find_frame(session, find_series(session, slug), asked.frame)
        chosen = trims_of_many.chosen_frames(session, find_series(session, asked.to or slug), asked.frames)
        own, frames = trim_of(source).spots, found_places.measured_among([source, *chosen])
    shown = found_places.where_spots_show(bench, own, frames) if "spots" in asked.parts else {}
    return replace(taken, spots=shown, middles=found_places.where_subjects_are(bench, frames) if about else {})


@router.post("/trims/copy/lost")
def lost_by_copy(context: Means, slug: str, asked: TrimCopy) -> JSONResponse:
    """What the chosen frames would lose, in words; nothing when they lose nothing."""
    if not asked.parts or not asked.frames:
        return _done("")
    with context.session() as session:
        source = find_frame(session, find_series(session, slug), asked.frame)
        series = find_series(session, asked.to or slug)
        lost = trims_of_many.lost_by_copying(session, series, source, asked.frames, _taken(asked))
    titles = dict(part_titles())
    said = [f"{titles.get(name, name)} on {plural(count, 'frame')}" for name, count in lost.items()]
    return _done(f"This replaces or takes away what is there: {', '.join(said)}." if said else "")


@router.post("/trims/off")
def off(context: Means, slug: str, asked: ChosenFrames) -> JSONResponse:
    with context.session() as session:
        count = trims_of_many.take_trims_off(session, find_series(session, slug), asked.frames)
    return _done(f"Trims taken off {plural(count, 'frame')}; each can undo it for itself.")


@router.post("/frames/favourites")
def favourites(context: Means, slug: str, asked: ChosenFrames) -> JSONResponse:
    with context.session() as session:
        count, on = trims_of_many.mark_favourites(session, find_series(session, slug), asked.frames)
    return _done(
        f"{plural(count, 'frame')} marked as favourite." if on else f"{plural(count, 'frame')} no longer favourite."
    )


@router.post("/frames/left-out")
def left_out(context: Means, slug: str, asked: ChosenFrames) -> JSONResponse:
    with context.session() as session:
        count, on = trims_of_many.mark_left_out(session, find_series(session, slug), asked.frames)
    words = "left out: not carried and not handed over" if on else "taken in again"
    return _done(f"{plural(count, 'frame')} {words}.")


@router.post("/trims/straighten")
@heavy
def straighten(context: Means, slug: str, asked: ChosenFrames) -> JSONResponse:
    """Straighten each chosen frame as its own long lines propose."""
    count = trims_of_many.straighten_as_proposed(context.studio, slug, asked.frames)
    rest = len(asked.frames) - count
    return _done(f"{plural(count, 'frame')} straightened" + (f"; {rest} said nothing." if rest > 0 else "."))


@router.post("/trims/common/{name}")
def into_look(context: Means, slug: str, name: str) -> JSONResponse:
    with context.session() as session:
        series = find_series(session, slug)
        if name in ("undo", "redo"):
            words = common_trims.walk_into_look(session, series, forward=name == "redo")
            return _done(f"{'Done again' if name == 'redo' else 'Taken back'}: {words}.")
        words = common_trims.take_into_look(session, series, name)
    return _done(f"{words}. Every picture stays as it is.")


@router.post("/carry/chosen")
def carry(context: Means, slug: str, asked: ChosenFrames) -> JSONResponse:
    with context.session() as session:
        series = find_series(session, slug)
        number = carrying.carry(session, series, asked.frames).number
        carried_plans.queue_keep_carried(session, context.studio, series.id)
    return _done(f"Carried v{number} to {plural(len(asked.frames), 'frame')}.")


@router.post("/frames/out")
def out(context: Means, slug: str, asked: ChosenFrames) -> JSONResponse:
    """Take frames and variants out; they are kept aside on Gather."""
    names: set[str] = set()
    with context.session() as session:
        series = find_series(session, slug)
        frames = trims_of_many.chosen_frames(session, series, asked.frames)
        for frame in frames:
            if frame.variant_of_id:
                variants.take_variant_out(session, frame)
            else:
                names |= gathering.remove_frame(session, context.studio, series, frame)
    sweep(context.studio, names)
    return _done(f"{plural(len(frames), 'frame')} taken out; they can be put back on Gather.")


@router.post("/variants")
def make_variants(context: Means, slug: str, asked: GivenName) -> JSONResponse:
    """A variant of each chosen frame, of one name."""
    with context.session() as session:
        series = find_series(session, slug)
        frames = trims_of_many.chosen_frames(session, series, asked.frames)
        made = [variants.make_variant(session, series, frame, asked.name) for frame in frames]
        first = str(made[0].id)
    return JSONResponse({"words": f"{len(made)} made, called {asked.name.strip()}.", "frame": first})


@router.post("/frames/{frame_id}/variant/out")
def variant_out(context: Means, slug: str, frame_id: uuid.UUID) -> Response:
    with context.session() as session:
        first = variants.take_variant_out(session, find_frame(session, find_series(session, slug), frame_id))
        address = f"/series/{slug}/trim?frame={first.id}"
    return RedirectResponse(address, 303)
