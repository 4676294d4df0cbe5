"""What versions did to frames when they were carried, kept so that carried frames do not move by themselves"""

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("look_version", sa.Column("computation", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("frame", sa.Column("left_out", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("series", sa.Column("ordered_by", sa.String(), nullable=False, server_default="time"))
    op.create_table(
        "carried_plan",
        sa.Column("frame_id", sa.Uuid(), sa.ForeignKey("frame.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("version_id", sa.Uuid(), sa.ForeignKey("look_version.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("basis", sa.String(), nullable=False),
        sa.Column("computation", sa.Integer(), nullable=False),
    )
    op.create_index("ix_carried_plan_key", "carried_plan", ["key"])
    op.create_index("ix_carried_plan_version_id", "carried_plan", ["version_id"])


def downgrade() -> None:
    op.drop_table("carried_plan")
    op.drop_column("series", "ordered_by")
    op.drop_column("frame", "left_out")
    op.drop_column("look_version", "computation")
