"""Names that people give to steps of a history"""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("history", sa.Column("name", sa.String(), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("history", "name")
