"""The lookbook: kept looks in versions, their targets, lookup tables, pairs; groups of palettes"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_WHEN = TIMESTAMP(timezone=True)


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), nullable=False)


def _tables() -> None:
    op.create_table(
        "kept_look",
        sa.Column("id", sa.Uuid(), primary_key=True),
        *(_text(name) for name in ("name", "use_when", "group", "state", "starter", "came_from")),
        sa.Column("favourite", sa.Boolean(), nullable=False),
        sa.Column("strength", sa.Float(), nullable=False),
        sa.Column("thumbnail", sa.String(), nullable=True),
        sa.Column("created", _WHEN, nullable=False),
        sa.Column("used", _WHEN, nullable=True),
    )
    for name in ("state", "starter", "thumbnail"):
        op.create_index(f"ix_kept_look_{name}", "kept_look", [name])
    op.create_table(
        "kept_version",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("look_id", sa.Uuid(), sa.ForeignKey("kept_look.id", ondelete="CASCADE"), nullable=False),
        sa.Column("target_id", sa.Uuid(), sa.ForeignKey("target.id"), nullable=True),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("document", JSONB(), nullable=False),
        _text("words"),
        sa.Column("created", _WHEN, nullable=False),
        sa.UniqueConstraint("look_id", "number"),
    )
    op.create_table(
        "lookup_table",
        sa.Column("file", sa.String(), primary_key=True),
        *(_text(name) for name in ("name", "state", "problem", "kind", "expects", "words")),
        sa.Column("created", _WHEN, nullable=False),
    )
    op.create_table(
        "pair",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("look_id", sa.Uuid(), sa.ForeignKey("kept_look.id", ondelete="CASCADE"), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        *(_text(name) for name in ("name", "words", "before", "after", "veil")),
    )
    for name in ("look_id", "before", "after", "veil"):
        op.create_index(f"ix_pair_{name}", "pair", [name])
    op.create_table(
        "finished",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("look_id", sa.Uuid(), sa.ForeignKey("kept_look.id", ondelete="CASCADE"), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        *(_text(name) for name in ("name", "view", "sample")),
    )
    for name in ("look_id", "view", "sample"):
        op.create_index(f"ix_finished_{name}", "finished", [name])
    op.create_table(
        "worked_out",
        sa.Column("look_id", sa.Uuid(), sa.ForeignKey("kept_look.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("document", JSONB(), nullable=False),
    )


def upgrade() -> None:
    op.alter_column("target", "series_id", nullable=True)
    op.add_column("target", sa.Column("digest", sa.String(), nullable=True))
    op.create_unique_constraint("target_digest_key", "target", ["digest"])
    op.add_column("look", sa.Column("target_id", sa.Uuid(), nullable=True))
    op.create_foreign_key("fk_look_target", "look", "target", ["target_id"], ["id"])
    for table in ("look", "look_version"):
        op.add_column(table, sa.Column("origin", JSONB(), nullable=True))
    op.add_column("palette", sa.Column("group", sa.String(), nullable=False, server_default=""))
    op.alter_column("palette", "group", server_default=None)
    _tables()


def downgrade() -> None:
    for table in ("worked_out", "finished", "pair", "lookup_table", "kept_version", "kept_look"):
        op.drop_table(table)
    op.drop_column("palette", "group")
    for table in ("look", "look_version"):
        op.drop_column(table, "origin")
    op.drop_constraint("fk_look_target", "look", type_="foreignkey")
    op.drop_column("look", "target_id")
    op.execute(
        "UPDATE frame SET follows_id = NULL WHERE follows_id IN (SELECT v.id FROM look_version v"
        " JOIN target t ON t.id = v.target_id WHERE t.series_id IS NULL)"
    )
    op.execute("DELETE FROM look_version WHERE target_id IN (SELECT id FROM target WHERE series_id IS NULL)")
    op.execute("DELETE FROM target WHERE series_id IS NULL")
    op.drop_constraint("target_digest_key", "target", type_="unique")
    op.drop_column("target", "digest")
    op.alter_column("target", "series_id", nullable=False)
