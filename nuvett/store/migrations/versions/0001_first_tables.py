"""First tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "series",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("slug", sa.String(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("credit", sa.String(), nullable=False),
        sa.Column("hero_id", sa.Uuid(), nullable=True),
        sa.Column("light_due", sa.Boolean(), nullable=False),
        sa.Column("created", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("slug"),
    )
    op.create_table(
        "delivery",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("settings", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.Column("finished", postgresql.TIMESTAMP(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_delivery_series_id"), "delivery", ["series_id"], unique=False)
    op.create_table(
        "history",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("subject", sa.String(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("before", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("after", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("undone", sa.Boolean(), nullable=False),
        sa.Column("created", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_history_series_id"), "history", ["series_id"], unique=False)
    op.create_index("ix_history_subject", "history", ["subject", "number"], unique=False)
    op.create_table(
        "look",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("draft", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("series_id"),
    )
    op.create_table(
        "reference",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("credit", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("problem", sa.String(), nullable=False),
        sa.Column("original", sa.String(), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("domain", sa.String(), nullable=False),
        sa.Column("view", sa.String(), nullable=True),
        sa.Column("proxy", sa.String(), nullable=True),
        sa.Column("sampling", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("reading", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("tone_weight", sa.Double(), nullable=False),
        sa.Column("colour_weight", sa.Double(), nullable=False),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_reference_original"), "reference", ["original"], unique=False)
    op.create_index(op.f("ix_reference_proxy"), "reference", ["proxy"], unique=False)
    op.create_index(op.f("ix_reference_series_id"), "reference", ["series_id"], unique=False)
    op.create_index(op.f("ix_reference_view"), "reference", ["view"], unique=False)
    op.create_table(
        "set_up",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_set_up_series_id"), "set_up", ["series_id"], unique=False)
    op.create_table(
        "target",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("series_id", "number"),
    )
    op.create_table(
        "look_version",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("look_id", sa.Uuid(), nullable=False),
        sa.Column("target_id", sa.Uuid(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("document", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["look_id"], ["look.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["target_id"], ["target.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("look_id", "number"),
    )
    op.create_table(
        "frame",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("series_id", sa.Uuid(), nullable=False),
        sa.Column("setup_id", sa.Uuid(), nullable=True),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("problem", sa.String(), nullable=False),
        sa.Column("original", sa.String(), nullable=False),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("format", sa.String(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("bits", sa.Integer(), nullable=False),
        sa.Column("domain", sa.String(), nullable=False),
        sa.Column("taken", postgresql.TIMESTAMP(timezone=True), nullable=True),
        sa.Column("view", sa.String(), nullable=True),
        sa.Column("sample", sa.String(), nullable=True),
        sa.Column("even", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("trim", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.Column("follows_id", sa.Uuid(), nullable=True),
        sa.Column("created", postgresql.TIMESTAMP(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["follows_id"], ["look_version.id"], ondelete="SET NULL"),
        sa.ForeignKeyConstraint(["series_id"], ["series.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["setup_id"], ["set_up.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_frame_follows_id"), "frame", ["follows_id"], unique=False)
    op.create_index(op.f("ix_frame_original"), "frame", ["original"], unique=False)
    op.create_index(op.f("ix_frame_sample"), "frame", ["sample"], unique=False)
    op.create_index("ix_frame_series_position", "frame", ["series_id", "position"], unique=False)
    op.create_index(op.f("ix_frame_setup_id"), "frame", ["setup_id"], unique=False)
    op.create_index(op.f("ix_frame_view"), "frame", ["view"], unique=False)
    op.create_table(
        "delivery_file",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("delivery_id", sa.Uuid(), nullable=False),
        sa.Column("frame_id", sa.Uuid(), nullable=True),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("plan", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("problem", sa.String(), nullable=False),
        sa.Column("blob", sa.String(), nullable=True),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["delivery_id"], ["delivery.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["frame_id"], ["frame.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_delivery_file_blob"), "delivery_file", ["blob"], unique=False)
    op.create_index(op.f("ix_delivery_file_delivery_id"), "delivery_file", ["delivery_id"], unique=False)
    op.create_index(op.f("ix_delivery_file_frame_id"), "delivery_file", ["frame_id"], unique=False)
    op.create_foreign_key("fk_series_hero", "series", "frame", ["hero_id"], ["id"], ondelete="SET NULL")


def downgrade() -> None:
    op.drop_constraint("fk_series_hero", "series", type_="foreignkey")
    op.drop_index(op.f("ix_delivery_file_frame_id"), table_name="delivery_file")
    op.drop_index(op.f("ix_delivery_file_delivery_id"), table_name="delivery_file")
    op.drop_index(op.f("ix_delivery_file_blob"), table_name="delivery_file")
    op.drop_table("delivery_file")
    op.drop_index(op.f("ix_frame_view"), table_name="frame")
    op.drop_index(op.f("ix_frame_setup_id"), table_name="frame")
    op.drop_index("ix_frame_series_position", table_name="frame")
    op.drop_index(op.f("ix_frame_sample"), table_name="frame")
    op.drop_index(op.f("ix_frame_original"), table_name="frame")
    op.drop_index(op.f("ix_frame_follows_id"), table_name="frame")
    op.drop_table("frame")
    op.drop_table("look_version")
    op.drop_table("target")
    op.drop_index(op.f("ix_set_up_series_id"), table_name="set_up")
    op.drop_table("set_up")
    op.drop_index(op.f("ix_reference_view"), table_name="reference")
    op.drop_index(op.f("ix_reference_series_id"), table_name="reference")
    op.drop_index(op.f("ix_reference_proxy"), table_name="reference")
    op.drop_index(op.f("ix_reference_original"), table_name="reference")
    op.drop_table("reference")
    op.drop_table("look")
    op.drop_index("ix_history_subject", table_name="history")
    op.drop_index(op.f("ix_history_series_id"), table_name="history")
    op.drop_table("history")
    op.drop_index(op.f("ix_delivery_series_id"), table_name="delivery")
    op.drop_table("delivery")
    op.drop_table("series")
