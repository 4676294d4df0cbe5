"""Named parts of references"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("reference", sa.Column("parts", JSONB(), nullable=True))


def downgrade() -> None:
    op.drop_column("reference", "parts")
