"""Alembic's environment: runs on the connection it is handed."""

from alembic import context

from nuvett.store.models import Base


def _ours(_object: object, name: str | None, kind: str, *_: object) -> bool:
    return not (kind == "table" and (name or "").startswith("procrastinate_"))


context.configure(
    connection=context.config.attributes["connection"], target_metadata=Base.metadata, include_object=_ours
)
with context.begin_transaction():
    context.run_migrations()
