"""Plans by their content hash, so that any process can draw any picture whose address it is given"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "plan",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("document", postgresql.JSONB(none_as_null=True), nullable=False),
        sa.Column("seen", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_index("ix_plan_seen", "plan", ["seen"])


def downgrade() -> None:
    op.drop_table("plan")
