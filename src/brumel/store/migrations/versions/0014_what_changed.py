"""Counts by table in the place of one for all: what is worked out is kept until a table that it was read from changes.

Every table that screens are made of counts now, those whose rows come with another's too.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0014"
down_revision = "0013"

_ADDED = [
    "calibration_coefficient",
    "calibration_entry",
    "calibration_finding",
    "calibration_trace",
    "inspection_photo",
    "reading_basis",
    "reading_finding",
    "visit_photo",
]
_COUNTED = dict.fromkeys(_ADDED, "INSERT") | {"house_choice": "INSERT OR UPDATE OR DELETE"}

_COUNT = """
CREATE OR REPLACE FUNCTION brumel_count_change() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = public AS $$
DECLARE
    counted text := coalesce(current_setting('brumel.counted', true), '');
    name text := '/' || TG_TABLE_NAME || '/';
BEGIN
    IF position(name IN counted) = 0 THEN
        UPDATE change_count SET counts = counts
            || jsonb_build_object(TG_TABLE_NAME, coalesce((counts ->> TG_TABLE_NAME)::bigint, 0) + 1);
        PERFORM set_config('brumel.counted', counted || name, true);
    END IF;
    RETURN NULL;
END $$
"""
_COUNT_BEFORE = """
CREATE OR REPLACE FUNCTION brumel_count_change() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER
    SET search_path = public AS $$
BEGIN
    IF current_setting('brumel.counted', true) IS DISTINCT FROM pg_current_xact_id()::text THEN
        UPDATE change_count SET number = number + 1;
        PERFORM set_config('brumel.counted', pg_current_xact_id()::text, true);
    END IF;
    RETURN NULL;
END $$
"""


def upgrade() -> None:
    op.add_column("change_count", sa.Column("counts", postgresql.JSONB, nullable=False, server_default="{}"))
    op.drop_column("change_count", "number")
    op.execute(_COUNT)
    for table, event in _COUNTED.items():
        op.execute(
            f"CREATE CONSTRAINT TRIGGER {table}_counted AFTER {event} ON {table} DEFERRABLE INITIALLY DEFERRED "
            "FOR EACH ROW EXECUTE FUNCTION brumel_count_change()"
        )


def downgrade() -> None:
    for table in _COUNTED:
        op.execute(f"DROP TRIGGER {table}_counted ON {table}")
    op.add_column("change_count", sa.Column("number", sa.BigInteger, nullable=False, server_default="0"))
    op.alter_column("change_count", "number", server_default=None)
    op.drop_column("change_count", "counts")
    op.execute(_COUNT_BEFORE)
