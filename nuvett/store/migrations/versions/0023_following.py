"""Things that are followed by themselves: how frames are described, what is asked, what was found"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("frame", sa.Column("described", sa.String(), nullable=True))
    op.create_index("ix_frame_described", "frame", ["described"])
    op.add_column("series", sa.Column("follow_due", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("frame", sa.Column("faces_followed", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("thread", sa.Column("kind", sa.String(), nullable=False, server_default="thing"))
    op.create_check_constraint("ck_thread_kind", "thread", "kind IN ('thing', 'complexion', 'person', 'figure')")
    op.add_column("thread", sa.Column("followed", sa.String(), nullable=False, server_default=""))
    op.add_column("thread_place", sa.Column("found", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "thread_question",
        sa.Column("thread_id", sa.Uuid(), sa.ForeignKey("thread.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("frame_id", sa.Uuid(), sa.ForeignKey("frame.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("place", JSONB(), nullable=False),
        sa.Column("sure", sa.Float(), nullable=False),
    )
    op.create_check_constraint("ck_thread_question_state", "thread_question", "state IN ('asked', 'no', 'skipped')")
    op.create_index("ix_thread_question_frame_id", "thread_question", ["frame_id"])


def downgrade() -> None:
    op.drop_table("thread_question")
    op.drop_column("thread_place", "found")
    op.drop_column("thread", "followed")
    op.drop_column("thread", "kind")
    op.drop_column("series", "follow_due")
    op.drop_column("frame", "faces_followed")
    op.drop_column("frame", "described")
