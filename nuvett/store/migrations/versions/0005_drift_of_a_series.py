"""Drift of a series as it was measured last, for the shelf"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("series", sa.Column("drift_key", sa.String(), nullable=False, server_default=""))
    op.alter_column("series", "drift_key", server_default=None)
    for column in ("drift_before", "drift_now"):
        op.add_column("series", sa.Column(column, sa.Float(), nullable=True))


def downgrade() -> None:
    for column in ("drift_now", "drift_before", "drift_key"):
        op.drop_column("series", column)
