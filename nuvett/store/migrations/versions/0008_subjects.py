"""What stands out in a frame, kept once it has been looked for"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("frame", sa.Column("subject", sa.String(), nullable=True))
    op.create_index("ix_frame_subject", "frame", ["subject"])


def downgrade() -> None:
    op.drop_index("ix_frame_subject", "frame")
    op.drop_column("frame", "subject")
