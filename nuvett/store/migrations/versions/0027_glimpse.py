"""A first small picture of frames that wait to be measured"""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("frame", sa.Column("glimpse", sa.String(), nullable=True))
    op.create_index("ix_frame_glimpse", "frame", ["glimpse"])


def downgrade() -> None:
    op.drop_column("frame", "glimpse")
