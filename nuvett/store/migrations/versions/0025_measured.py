"""What was measured of frames and series, by what it depends on: measured once, for every process"""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "measured",
        sa.Column("key", sa.String(), primary_key=True),
        sa.Column("document", sa.String(), nullable=False),
        sa.Column("seen", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_measured_seen", "measured", ["seen"])
    op.add_column("series", sa.Column("wall_asked", sa.String(), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("series", "wall_asked")
    op.drop_table("measured")
