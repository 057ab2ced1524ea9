"""Who is signed in, from which browser somebody tried to; rounds count their changes; roles are guarded here too."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"

_OF_PEOPLE = (
    "calibration_run", "calibration_step", "calibration_point", "calibration_signature", "calibration_abandonment",
    "calibration_amendment", "calibration_entry", "reading", "care_record", "care_withdrawal", "inspection",
    "meter_record", "lot_record", "lot_certificate", "visit", "visit_entry", "visit_photo", "acknowledgement",
    "site_limit",
)  # fmt: skip
_GUARDS = """
CREATE FUNCTION brumel_refuse_readers() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS (SELECT 1 FROM person WHERE id = NEW.person_id AND role = 'reader') THEN
        RAISE EXCEPTION 'A reader sees and exports; ask a technician to record this.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;

CREATE FUNCTION brumel_refuse_all_but_supervisors() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF NOT EXISTS (SELECT 1 FROM person WHERE id = NEW.person_id AND role = 'supervisor') THEN
        RAISE EXCEPTION 'Only a supervisor does this: ask one.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;

CREATE TRIGGER site_limit_by_supervisors BEFORE INSERT ON site_limit
    FOR EACH ROW EXECUTE FUNCTION brumel_refuse_all_but_supervisors();
CREATE TRIGGER calibration_amendment_by_supervisors BEFORE INSERT ON calibration_amendment
    FOR EACH ROW WHEN (NEW.kind = 'withdrawal') EXECUTE FUNCTION brumel_refuse_all_but_supervisors();
"""


def upgrade() -> None:
    op.add_column("planned_round", sa.Column("version", sa.Integer, server_default=sa.text("1"), nullable=False))
    op.add_column("login_attempt", sa.Column("browser", sa.Text, server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(op.f("ck_login_attempt_browser_length"), "login_attempt", "char_length(browser) <= 4000")
    op.create_index("ix_login_attempt_address_at", "login_attempt", ["address", "at"])
    op.create_table(
        "signed_in",
        sa.Column("id", sa.Uuid, nullable=False),
        sa.Column("person_id", sa.Uuid, nullable=False),
        sa.Column("begun_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_signed_in")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_signed_in_person_id")),
    )
    op.create_index("ix_signed_in_person_id", "signed_in", ["person_id"])
    op.execute(_GUARDS)
    for table in _OF_PEOPLE:
        op.execute(
            f"CREATE TRIGGER {table}_not_by_readers BEFORE INSERT ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_readers()"
        )


def downgrade() -> None:
    op.execute("DROP FUNCTION brumel_refuse_all_but_supervisors() CASCADE")
    op.execute("DROP FUNCTION brumel_refuse_readers() CASCADE")
    op.drop_table("signed_in")
    op.drop_index("ix_login_attempt_address_at", "login_attempt")
    op.drop_column("login_attempt", "browser")
    op.drop_column("planned_round", "version")
