"""Two kept looks beside each other on a frame, in the viewer that every screen has."""

import uuid
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from nuvett.core.book.kept import Use
from nuvett.core.errors import NotFoundError
from nuvett.services.engine.facts import Facts
from nuvett.services.lookbook.book import KeptVersion, version_of
from nuvett.services.lookbook.book_list import names
from nuvett.services.lookbook.trials import Ground, aimed_with, drafted, ground_of, with_frame_parts
from nuvett.services.references.kept_references import ready_references
from nuvett.services.series.catalogue import find_series
from nuvett.services.series.labels import labels_of
from nuvett.web.context import Context
from nuvett.web.views.easel import EDGE, Easel, addresses, placed
from nuvett.web.views.frame_lists import Choice, choices_around
from nuvett.web.views.tiles import picture_address
from nuvett.web.views.viewing import Beside, Viewing, size_of

DRAFT = "draft"


@dataclass(frozen=True)
class ComparedLook:
    """A look in a comparison: its name, the frames as it has them, and the address of the frame under it."""

    id: str
    name: str
    easel: Easel
    picture: str


def _compared(context: Context, ground: Ground, easel: Easel, version: KeptVersion | None) -> ComparedLook:
    bench = context.studio.bench
    if version is None:
        shown = replace(easel, aimed=drafted(ground))
        return ComparedLook(DRAFT, "the draft", shown, addresses(bench, shown)["look"])
    use = Use(strength=version.strength)
    facts: Facts = with_frame_parts(ground.facts, [easel.index], version, use)
    shown = replace(easel, facts=facts, aimed=aimed_with(ground, version, use))
    return ComparedLook(str(version.look_id), version.name, shown, addresses(bench, shown)["look"])


def _version(session: Session, name: str) -> KeptVersion | None:
    """The newest version of a look by its id; none for the draft. Raises NotFoundError."""
    try:
        return None if name in ("", DRAFT) else version_of(session, uuid.UUID(name))
    except ValueError as error:
        raise NotFoundError from error


def comparing(context: Context, slug: str, frame: uuid.UUID, left: str, right: str) -> Viewing:
    """A frame under one look, with another one beside it, held in its place or split. Raises NotFoundError."""
    with context.session() as session:
        series = find_series(session, slug)
        ground = ground_of(session, series)
        index = ground.facts.index_of(frame)
        if index is None:
            raise NotFoundError
        labels = labels_of(session, series)
        rows = ready_references(session, series.id, readings=False)
        one, other = _version(session, left), _version(session, right)
        options = [Choice(f"kept {key}", name) for key, name in names(session)]
    easel = Easel(slug, ground.facts, index, None, labels)
    mine, theirs = (_compared(context, ground, easel, version) for version in (one, other))
    bench = context.studio.bench
    came = bench.planner.as_came(mine.easel.frame)
    bench.plans.keep(came)
    pictures = {
        "original": theirs.picture,
        "came": picture_address(slug, mine.easel.frame.id, came.key if came else "", EDGE),
        "look": mine.picture,
    }
    shows = [Choice("original", theirs.name), Choice("came", "As it came"), Choice("look", mine.name)]
    beside = [
        Beside("Looks", [Choice(f"kept {DRAFT}", "the draft of this series"), *options]),
        Beside("Reference", [Choice(f"reference {r.id}", r.name) for r in rows]),
    ]
    count, frames = len(ground.facts), ground.facts
    return Viewing(
        slug=slug,
        frame=Choice(str(mine.easel.frame.id), labels[mine.easel.frame.id].name),
        hero=labels[mine.easel.frame.id].hero,
        faces=len(mine.easel.frame.faces),
        placed=placed(mine.easel),
        shows=shows,
        pictures=pictures,
        reference=None,
        beside=[group for group in beside if group.options],
        before_id=str(frames[(index - 1) % count].id),
        next_id=str(frames[(index + 1) % count].id),
        position=index + 1,
        count=count,
        frames=choices_around(frames, labels, index),
        large=True,
        words=_words(context, mine, theirs),
        beside_picture=theirs.picture,
        beside_size=size_of(theirs.easel),
        beside_chosen=f"kept {theirs.id}",
    )


def _words(context: Context, mine: ComparedLook, theirs: ComparedLook) -> str:
    """What is said under the picture: how far each look leaves the frame from what it aims at."""
    said = []
    for one in (mine, theirs):
        aimed = one.easel.aimed
        if aimed is None:
            continue
        plan = context.studio.bench.planner.plan(one.easel.facts, one.easel.index, aimed)
        drift = context.studio.bench.measures.summary(one.easel.frame, plan, aimed).drift
        if drift is not None:
            said.append(f"{one.name} lands {drift.value:.1f} from its target")
    return "; ".join(said)
