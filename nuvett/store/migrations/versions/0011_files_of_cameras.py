"""Files of cameras: raw files and the pictures beside them, how they are developed, how they were taken"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_BLOBS = ("companion", "developed")


def upgrade() -> None:
    for name in _BLOBS:
        op.add_column("frame", sa.Column(name, sa.String(), nullable=True))
        op.create_index(f"ix_frame_{name}", "frame", [name])
    for name in ("development", "shot", "lens"):
        op.add_column("frame", sa.Column(name, JSONB(), nullable=True))
    op.add_column("frame", sa.Column("note", sa.String(), nullable=False, server_default=""))
    op.alter_column("frame", "note", server_default=None)


def downgrade() -> None:
    for name in (*_BLOBS, "development", "shot", "lens", "note"):
        op.drop_column("frame", name)
