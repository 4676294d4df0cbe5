"""The database refuses states that there are not, and finds files that wait to be made at once"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

_STATES = (
    ("series", "ordered_by", ("time", "name")),
    ("frame", "state", ("waiting", "ready", "refused", "removed", "variant")),
    ("reference", "state", ("waiting", "ready", "refused")),
    ("clip", "state", ("waiting", "ready", "refused")),
    ("kept_look", "state", ("kept", "away", "trial")),
    ("lookup_table", "state", ("waiting", "ready", "refused")),
    ("delivery", "state", ("waiting", "running", "done", "stopped")),
    ("delivery_file", "state", ("waiting", "done", "failed")),
)


def upgrade() -> None:
    for table, column, values in _STATES:
        listed = ", ".join(f"'{value}'" for value in values)
        op.create_check_constraint(f"ck_{table}_{column}", table, f"{column} IN ({listed})")
    waiting = sa.text("state = 'waiting'")
    op.create_index("ix_delivery_file_waiting", "delivery_file", ["delivery_id", "position"], postgresql_where=waiting)


def downgrade() -> None:
    op.drop_index("ix_delivery_file_waiting", "delivery_file")
    for table, column, _ in _STATES:
        op.drop_constraint(f"ck_{table}_{column}", table, type_="check")
