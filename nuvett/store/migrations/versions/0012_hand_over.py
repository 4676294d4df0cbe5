"""Hand over: kinds of file, papers, kept settings, credits of a series, favourites"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def _add(table: str, column: sa.Column[object], value: str) -> None:
    """A column with a value for the rows that are there."""
    column.server_default = sa.DefaultClause(value)
    op.add_column(table, column)
    op.alter_column(table, column.name, server_default=None)


def upgrade() -> None:
    op.create_table(
        "kept_settings",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False, unique=True),
        sa.Column("document", JSONB(), nullable=False),
    )
    op.add_column("series", sa.Column("credits", JSONB(), nullable=True))
    _add("frame", sa.Column("favourite", sa.Boolean(), nullable=False), "false")
    op.add_column("delivery", sa.Column("started", TIMESTAMP(timezone=True), nullable=True))
    _add("delivery_file", sa.Column("kind", sa.String(), nullable=False), "picture")
    _add("delivery_file", sa.Column("output", sa.Integer(), nullable=False), "0")
    op.add_column("delivery_file", sa.Column("version_id", sa.Uuid(), nullable=True))
    op.create_foreign_key(
        "fk_delivery_file_version", "delivery_file", "look_version", ["version_id"], ["id"], ondelete="SET NULL"
    )
    op.create_index("ix_delivery_file_version_id", "delivery_file", ["version_id"])
    op.execute(
        "UPDATE delivery_file SET version_id = (plan->>'follows')::uuid, plan = '{}'::jsonb "
        "WHERE jsonb_exists(plan, 'follows') "
        "AND EXISTS (SELECT 1 FROM look_version WHERE id = (plan->>'follows')::uuid)"
    )
    op.add_column("delivery_file", sa.Column("finished", TIMESTAMP(timezone=True), nullable=True))


def downgrade() -> None:
    for table, column in (
        ("delivery_file", "finished"),
        ("delivery_file", "version_id"),
        ("delivery_file", "output"),
        ("delivery_file", "kind"),
        ("delivery", "started"),
        ("frame", "favourite"),
        ("series", "credits"),
    ):
        op.drop_column(table, column)
    op.drop_table("kept_settings")
