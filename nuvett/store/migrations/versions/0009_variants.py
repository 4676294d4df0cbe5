"""Variants: further versions of a frame beside it, each with its own trim"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("frame", sa.Column("variant_of_id", sa.Uuid(), nullable=True))
    op.add_column("frame", sa.Column("variant", sa.String(), nullable=False, server_default=""))
    op.create_index("ix_frame_variant_of_id", "frame", ["variant_of_id"])
    op.create_foreign_key("fk_frame_variant", "frame", "frame", ["variant_of_id"], ["id"], ondelete="CASCADE")
    op.alter_column("frame", "variant", server_default=None)


def downgrade() -> None:
    op.execute("DELETE FROM frame WHERE variant_of_id IS NOT NULL")
    op.drop_constraint("fk_frame_variant", "frame", type_="foreignkey")
    op.drop_index("ix_frame_variant_of_id", "frame")
    op.drop_column("frame", "variant")
    op.drop_column("frame", "variant_of_id")
