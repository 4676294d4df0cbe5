"""The colours that pictures of kept looks are encoded in"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("kept_look", sa.Column("domain", sa.String(), nullable=False, server_default="srgb"))
    op.add_column("finished", sa.Column("domain", sa.String(), nullable=False, server_default="srgb"))


def downgrade() -> None:
    op.drop_column("finished", "domain")
    op.drop_column("kept_look", "domain")
