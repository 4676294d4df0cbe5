"""Clips, saved palettes, faces, kept target versions, branches of histories, chosen proofs"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

_JSON = postgresql.JSONB(astext_type=sa.Text(), none_as_null=True)


def upgrade() -> None:
    op.create_table(
        "clip",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("credit", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("problem", sa.String(), nullable=False),
        sa.Column("original", sa.String(), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("frames", sa.Integer(), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("index", sa.String(), nullable=True),
        sa.Column("thumbnails", sa.String(), nullable=True),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    for column in ("series_id", "original", "index", "thumbnails"):
        op.create_index(op.f(f"ix_clip_{column}"), "clip", [column], unique=False)
    op.create_table(
        "palette",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("document", _JSON, nullable=False),
        sa.Column("created", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.add_column("frame", sa.Column("faces", _JSON, nullable=True))
    op.add_column("reference", sa.Column("removed", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("target", sa.Column("name", sa.String(), nullable=False, server_default=""))
    op.add_column("target", sa.Column("sources", _JSON, nullable=True))
    op.add_column("history", sa.Column("parent", sa.Integer(), nullable=True))
    op.add_column("history", sa.Column("aside", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.execute(
        "UPDATE history SET parent = earlier.number FROM history AS earlier WHERE earlier.subject = history.subject"
        " AND earlier.number = (SELECT max(h.number) FROM history AS h"
        " WHERE h.subject = history.subject AND h.number < history.number)"
    )
    op.add_column("look", sa.Column("proofs", _JSON, nullable=True))
    for table, column in (("reference", "removed"), ("target", "name"), ("history", "aside")):
        op.alter_column(table, column, server_default=None)


def downgrade() -> None:
    for table, column in (
        ("look", "proofs"),
        ("history", "aside"),
        ("history", "parent"),
        ("target", "sources"),
        ("target", "name"),
        ("reference", "removed"),
        ("frame", "faces"),
    ):
        op.drop_column(table, column)
    op.drop_table("palette")
    op.drop_table("clip")
