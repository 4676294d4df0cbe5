"""What light of a set-up's own frames was worked out from, so that each set-up can be evened by a job of its own"""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("set_up", sa.Column("own_key", sa.String(), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("set_up", "own_key")
