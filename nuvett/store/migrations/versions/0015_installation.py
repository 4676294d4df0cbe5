"""The installation's identity, and files that were lost and may be found again"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

_ORIGINALS = ("frame", "reference", "clip")
_LOOKED_UP = (
    ("look_version", "target_id"),
    ("kept_version", "target_id"),
    ("look", "target_id"),
    ("series", "hero_id"),
)
_LOST = "The file is missing from the store of this installation, or damaged there. Bring it in again."


def upgrade() -> None:
    op.create_table(
        "installation",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("identity", sa.String(), nullable=False),
        sa.Column("unused", JSONB(), nullable=True),
        sa.Column("created", TIMESTAMP(timezone=True), nullable=False),
        sa.CheckConstraint("id = 1", name="ck_installation_one_row"),
    )
    op.add_column("series", sa.Column("put_away", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("series", sa.Column("deleted", TIMESTAMP(timezone=True), nullable=True))
    op.add_column("delivery_file", sa.Column("placed", JSONB(), nullable=True))
    for table, column in _LOOKED_UP:
        op.create_index(f"ix_{table}_{column}", table, [column])
    for table in _ORIGINALS:
        op.add_column(table, sa.Column("lost", sa.Boolean(), nullable=False, server_default=sa.false()))
        op.execute(
            sa.text(f"UPDATE {table} SET lost = true WHERE state = 'refused' AND problem = :words").bindparams(
                words=_LOST
            )
        )


def downgrade() -> None:
    for table, column in _LOOKED_UP:
        op.drop_index(f"ix_{table}_{column}", table)
    op.drop_column("delivery_file", "placed")
    op.drop_column("series", "deleted")
    op.drop_column("series", "put_away")
    for table in _ORIGINALS:
        op.drop_column(table, "lost")
    op.drop_table("installation")
