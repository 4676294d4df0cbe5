"""Watched folders, and looks carried to frames that arrive"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "watched_folder",
        sa.Column("series_id", sa.Uuid(), sa.ForeignKey("series.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("folder", sa.String(), nullable=False),
        sa.Column("carries", sa.Boolean(), nullable=False),
        sa.Column("problem", sa.String(), nullable=False),
        sa.Column("taken", sa.Integer(), nullable=False),
        sa.Column("seen", TIMESTAMP(timezone=True), nullable=True),
    )
    op.create_table(
        "watched_file",
        sa.Column("series_id", sa.Uuid(), sa.ForeignKey("watched_folder.series_id", ondelete="CASCADE")),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("stamp", JSONB(), nullable=False),
        sa.Column("problem", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("series_id", "path"),
    )


def downgrade() -> None:
    op.drop_table("watched_file")
    op.drop_table("watched_folder")
