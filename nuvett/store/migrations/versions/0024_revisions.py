"""What is shown of series is read again only when something of it changed: a revision that the database raises"""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None

# Triggers and not our own code, so that no change can forget it, and that a version before this one raises it too.
# Deferred to the end of a transaction: a row of a series that every change of a frame had to lock would let two
# changes that touch frames in other orders wait for each other. Once a transaction, however many rows it changes.
# Numbers come from one sequence, so that none is given twice, also where rows were put back as they had been.
_RAISE = """
CREATE FUNCTION raise_revision(changed uuid) RETURNS void LANGUAGE plpgsql AS $$
DECLARE
  told text := coalesce(current_setting('nuvett.revised', true), '');
BEGIN
  IF changed IS NULL OR position(changed::text IN told) > 0 THEN RETURN; END IF;
  INSERT INTO series_revision (series_id, revision)
    SELECT id, nextval('series_revision_number') FROM series WHERE id = changed
    ON CONFLICT (series_id) DO UPDATE SET revision = excluded.revision;
  PERFORM set_config('nuvett.revised', told || ' ' || changed::text, true);
END $$
"""
_OF = {
    "frame": "{row}.series_id",
    "set_up": "{row}.series_id",
    "thread": "{row}.series_id",
    "thread_place": "(SELECT series_id FROM thread WHERE id = {row}.thread_id)",
    "carried_plan": "(SELECT series_id FROM frame WHERE id = {row}.frame_id)",
    "series": "{row}.id",
}


def upgrade() -> None:
    op.create_table(
        "series_revision",
        sa.Column("series_id", sa.Uuid(), sa.ForeignKey("series.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("revision", sa.BigInteger(), nullable=False),
    )
    op.execute("CREATE SEQUENCE series_revision_number")
    op.execute(_RAISE)
    for table, of in _OF.items():
        op.execute(
            f"CREATE FUNCTION {table}_changes() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN "
            f"IF TG_OP <> 'INSERT' THEN PERFORM raise_revision({of.format(row='OLD')}); END IF; "
            f"IF TG_OP <> 'DELETE' THEN PERFORM raise_revision({of.format(row='NEW')}); END IF; "
            "RETURN NULL; END $$"
        )
        when = "UPDATE OF hero_id" if table == "series" else "INSERT OR UPDATE OR DELETE"
        op.execute(
            f"CREATE CONSTRAINT TRIGGER {table}_changes AFTER {when} ON {table} "
            f"DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION {table}_changes()"
        )


def downgrade() -> None:
    for table in _OF:
        op.execute(f"DROP TRIGGER {table}_changes ON {table}")
        op.execute(f"DROP FUNCTION {table}_changes()")
    op.execute("DROP FUNCTION raise_revision(uuid)")
    op.execute("DROP SEQUENCE series_revision_number")
    op.drop_table("series_revision")
