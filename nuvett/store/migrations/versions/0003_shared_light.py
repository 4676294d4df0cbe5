"""Points and recorded exposures of frames, choice of base, what a set-up's light was worked out from"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("set_up", sa.Column("light_key", sa.String(), nullable=False, server_default=""))
    op.add_column("frame", sa.Column("points", sa.String(), nullable=True))
    op.add_column("frame", sa.Column("exposure", sa.Float(), nullable=True))
    op.add_column("frame", sa.Column("light_alone", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("frame", sa.Column("light_base_id", sa.Uuid(), nullable=True))
    op.create_foreign_key("frame_light_base_id_fkey", "frame", "set_up", ["light_base_id"], ["id"], ondelete="SET NULL")
    for column in ("points", "light_base_id"):
        op.create_index(op.f(f"ix_frame_{column}"), "frame", [column], unique=False)
    for table, column in (("set_up", "light_key"), ("frame", "light_alone")):
        op.alter_column(table, column, server_default=None)


def downgrade() -> None:
    for column in ("points", "light_base_id"):
        op.drop_index(op.f(f"ix_frame_{column}"), table_name="frame")
    op.drop_constraint("frame_light_base_id_fkey", "frame", type_="foreignkey")
    for column in ("light_base_id", "light_alone", "exposure", "points"):
        op.drop_column("frame", column)
    op.drop_column("set_up", "light_key")
