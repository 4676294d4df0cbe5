"""Looks that come with the application: put into the lookbook once, and copied when a person changes one."""

import json
from functools import cache
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from nuvett.core.book.files import LookFile, read_book
from nuvett.services.lookbook.book import add_kept, free_name
from nuvett.services.platform.locks import Lock, hold
from nuvett.store import models

_FOLDER = Path(__file__).resolve().parent.parent.parent / "starters"


@cache
def shipped() -> dict[str, LookFile]:
    """The starters, by the names of their files."""
    return {path.stem: read_book(json.loads(path.read_text())).looks[0] for path in sorted(_FOLDER.glob("*.json"))}


def add_starters(session: Session) -> None:
    """Put those starters into the book that it does not have. What was done with them there stays as it is."""
    there = set(session.scalars(select(models.KeptLookRow.starter).where(models.KeptLookRow.starter != "")))
    if set(shipped()) <= there:
        return
    hold(session, Lock.STARTERS)
    there = set(session.scalars(select(models.KeptLookRow.starter).where(models.KeptLookRow.starter != "")))
    for stem, one in shipped().items():
        if stem not in there:
            labels = one.labels.model_copy(update={"name": free_name(session, one.labels.name)})
            add_kept(session, labels, one.kept, "Came with the application", starter=stem)
