"""Things that are followed through a series"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "thread",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column("series_id", sa.Uuid(), sa.ForeignKey("series.id", ondelete="CASCADE"), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("goal", JSONB(), nullable=False),
        sa.Column("within", sa.Float(), nullable=True),
        sa.Column("created", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_thread_series_id", "thread", ["series_id"])
    op.create_table(
        "thread_place",
        sa.Column("thread_id", sa.Uuid(), sa.ForeignKey("thread.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("frame_id", sa.Uuid(), sa.ForeignKey("frame.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("pointed", JSONB(), nullable=False),
        sa.Column("outline", JSONB(), nullable=False),
        sa.Column("colours", JSONB(), nullable=False),
        sa.Column("choice", sa.Integer(), nullable=False),
    )
    op.create_index("ix_thread_place_frame_id", "thread_place", ["frame_id"])


def downgrade() -> None:
    op.drop_table("thread_place")
    op.drop_table("thread")
