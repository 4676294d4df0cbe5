"""Revisions of trims, numbers of history steps that stand once each, versions that keep their target"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

# Two windows could once number two steps alike. Such a history becomes one line in the order it came about.
_RENUMBER = """
UPDATE history SET number = fresh.number, parent = nullif(fresh.number - 1, 0)
FROM (
  SELECT id, row_number() OVER (PARTITION BY subject ORDER BY number, created, id) AS number FROM history
  WHERE subject IN (SELECT subject FROM history GROUP BY subject, number HAVING count(*) > 1)
) AS fresh WHERE history.id = fresh.id
"""


def upgrade() -> None:
    op.add_column("frame", sa.Column("trim_revision", sa.Integer(), nullable=False, server_default="1"))
    op.alter_column("frame", "trim_revision", server_default=None)
    op.execute(_RENUMBER)
    op.drop_index("ix_history_subject", table_name="history")
    op.create_unique_constraint("history_subject_number_key", "history", ["subject", "number"])
    op.drop_constraint("look_version_target_id_fkey", "look_version", type_="foreignkey")
    op.create_foreign_key("look_version_target_id_fkey", "look_version", "target", ["target_id"], ["id"])


def downgrade() -> None:
    op.drop_constraint("look_version_target_id_fkey", "look_version", type_="foreignkey")
    op.create_foreign_key(
        "look_version_target_id_fkey", "look_version", "target", ["target_id"], ["id"], ondelete="CASCADE"
    )
    op.drop_constraint("history_subject_number_key", "history", type_="unique")
    op.create_index("ix_history_subject", "history", ["subject", "number"])
    op.drop_column("frame", "trim_revision")
