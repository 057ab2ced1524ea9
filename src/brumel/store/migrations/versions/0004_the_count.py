"""A count that rises with every transaction that records or changes something: what is worked out is kept until then.

It rises as the transaction commits and not before, in one row that waits for nothing else: whoever reads a number sees
all that was recorded up to it.
"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"

_ADDED = [
    "calibration_run",
    "calibration_step",
    "calibration_point",
    "calibration_signature",
    "calibration_abandonment",
    "calibration_amendment",
    "reading",
    "care_record",
    "care_withdrawal",
    "inspection",
    "meter_record",
    "lot_record",
    "lot_certificate",
]
_CHANGED = ["person", "meter", "probe", "lot", "site", "planned_round", "site_range"]
_DEVICE = "channels, label, url, address, control"


def upgrade() -> None:
    op.create_table(
        "change_count",
        sa.Column("id", sa.Boolean, sa.CheckConstraint("id", name=op.f("ck_change_count_one")), server_default="true"),
        sa.Column("number", sa.BigInteger, nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_change_count")),
    )
    op.execute("INSERT INTO change_count (number) VALUES (0)")
    op.execute("""
        CREATE FUNCTION brumel_count_change() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = public
        AS $$
        BEGIN
            IF current_setting('brumel.counted', true) IS DISTINCT FROM pg_current_xact_id()::text THEN
                UPDATE change_count SET number = number + 1;
                PERFORM set_config('brumel.counted', pg_current_xact_id()::text, true);
            END IF;
            RETURN NULL;
        END $$
    """)
    events = dict.fromkeys(_ADDED, "INSERT")
    events |= dict.fromkeys(_CHANGED, "INSERT OR UPDATE OR DELETE")
    events |= {"device": f"INSERT OR DELETE OR UPDATE OF {_DEVICE}"}
    for table, event in events.items():
        op.execute(
            f"CREATE CONSTRAINT TRIGGER {table}_counted AFTER {event} ON {table} DEFERRABLE INITIALLY DEFERRED "
            "FOR EACH ROW EXECUTE FUNCTION brumel_count_change()"
        )


def downgrade() -> None:
    op.execute("DROP FUNCTION brumel_count_change() CASCADE")
    op.drop_table("change_count")
