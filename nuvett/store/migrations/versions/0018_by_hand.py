"""Looks that are made by hand aim at nothing"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("look", sa.Column("by_hand", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("look_version", "target_id", nullable=True)


def downgrade() -> None:
    op.execute("DELETE FROM look_version WHERE target_id IS NULL")
    op.alter_column("look_version", "target_id", nullable=False)
    op.drop_column("look", "by_hand")
