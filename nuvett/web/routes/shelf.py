"""The shelf: all series, each as one strip."""

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from nuvett.services.catalogue import delete_series, find_series, list_series, start_series, sweep
from nuvett.services.deliveries import last_delivery
from nuvett.services.demo import has_demo, load_demo
from nuvett.services.looks import series_facts, versions_followed
from nuvett.services.sampling import latest_target, target_document
from nuvett.services.strips import strip
from nuvett.web.context import Context, Means
from nuvett.web.instruments import Band, palette_bands

router = APIRouter()


@dataclass(frozen=True)
class ShelfRow:
    """One series on the shelf."""

    slug: str
    title: str
    credit: str
    frames: int
    waiting: int
    following: int
    drift_before: float | None
    drift_after: float | None
    target: list[Band]
    delivered: str
    strip_key: str


def _row(context: Context, slug: str) -> ShelfRow:
    with context.session() as session:
        series = find_series(session, slug)
        facts, followed = series_facts(session, series), versions_followed(session, series)
        waiting = sum(frame.state == "waiting" for frame in series.frames)
        target = latest_target(session, series.id)
        document = target_document(target) if target else None
        last = last_delivery(session, series)
        delivered = last.finished.strftime("%d %b, %H:%M") if last and last.finished else ""
        title, credit = series.title, series.credit
    bench = context.studio.bench
    drifts = [
        (
            bench.summary(frame, None, followed[frame.id].aimed).drift,
            bench.summary(frame, bench.plan(facts, i, followed[frame.id].aimed), followed[frame.id].aimed).drift,
        )
        for i, frame in enumerate(facts)
        if frame.id in followed
    ]
    before = [a.value for a, _ in drifts if a]
    after = [b.value for _, b in drifts if b]
    return ShelfRow(
        slug=slug,
        title=title,
        credit=credit,
        frames=len(facts),
        waiting=waiting,
        following=len(followed),
        drift_before=sum(before) / len(before) if before else None,
        drift_after=sum(after) / len(after) if after else None,
        target=palette_bands(document.palette) if document else [],
        delivered=delivered,
        strip_key=strip(context.studio.bench, facts, followed).key,
    )


@router.get("/")
def show(context: Means) -> HTMLResponse:
    with context.session() as session:
        slugs = [series.slug for series in list_series(session)]
        demo = has_demo(session, context.studio)
    rows = [_row(context, slug) for slug in slugs]
    return context.page("shelf.html", "shelf", rows=rows, demo_loaded=demo)


@router.get("/series/{slug}/strip.jpg")
def strip_picture(context: Means, slug: str) -> Response:
    with context.session() as session:
        series = find_series(session, slug)
        facts, followed = series_facts(session, series), versions_followed(session, series)
    made = strip(context.studio.bench, facts, followed)
    return Response(
        made.jpeg(), media_type="image/jpeg", headers={"cache-control": "private, max-age=31536000, immutable"}
    )


@router.post("/series")
def start(context: Means, title: Annotated[str, Form()], credit: Annotated[str, Form()] = "") -> Response:
    with context.session() as session:
        slug = start_series(session, title, credit).slug
    return RedirectResponse(f"/series/{slug}/gather", 303)


@router.post("/demo")
def demo(context: Means) -> Response:
    with context.session() as session:
        slug = load_demo(session, context.studio).slug
    return RedirectResponse(f"/series/{slug}/gather", 303)


@router.post("/series/{slug}/delete")
def delete(context: Means, slug: str) -> Response:
    with context.session() as session:
        names = delete_series(session, find_series(session, slug))
    with context.session() as session:
        sweep(session, context.studio.blobs, names)
    return RedirectResponse("/", 303)
