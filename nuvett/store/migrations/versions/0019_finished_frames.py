"""References that are finished frames"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("reference", sa.Column("frame_id", sa.Uuid(), nullable=True))
    op.add_column("reference", sa.Column("finished", sa.String(), nullable=False, server_default=""))
    op.create_foreign_key("fk_reference_frame", "reference", "frame", ["frame_id"], ["id"], ondelete="SET NULL")
    op.create_index("ix_reference_frame_id", "reference", ["frame_id"])


def downgrade() -> None:
    op.drop_index("ix_reference_frame_id", "reference")
    op.drop_constraint("fk_reference_frame", "reference", type_="foreignkey")
    op.drop_column("reference", "finished")
    op.drop_column("reference", "frame_id")
