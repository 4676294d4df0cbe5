"""Sessions and failed attempts, so that every web server knows them, also after a restart"""

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "signed_in",
        sa.Column("key", sa.String(), primary_key=True),
        sa.Column("used", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_signed_in_used", "signed_in", ["used"])
    op.create_table(
        "failed_attempt",
        sa.Column("address", sa.String(), primary_key=True),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_failed_attempt_until", "failed_attempt", ["until"])


def downgrade() -> None:
    op.drop_table("failed_attempt")
    op.drop_table("signed_in")
