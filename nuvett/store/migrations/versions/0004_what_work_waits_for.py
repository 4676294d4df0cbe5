"""What a delivery and the evening of light wait for, or why they stopped"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table, column in (("delivery", "problem"), ("series", "light_problem")):
        op.add_column(table, sa.Column(column, sa.String(), nullable=False, server_default=""))
        op.alter_column(table, column, server_default=None)


def downgrade() -> None:
    op.drop_column("series", "light_problem")
    op.drop_column("delivery", "problem")
