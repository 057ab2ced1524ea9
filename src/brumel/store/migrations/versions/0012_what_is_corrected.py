"""A lot's entries can be corrected; probes, meters and sites can be retired."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0012"
down_revision = "0011"

_EVENTS = "'received', 'opened', 'used', 'discarded', 'corrected', 'withdrawn'"


_CORRECT = """
CREATE FUNCTION brumel_correct_lot() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path FROM CURRENT AS $$
BEGIN
    UPDATE lot SET
        lot_number = coalesce(NEW.corrects->>'lot_number', lot_number),
        received_on = coalesce((NEW.corrects->>'received_on')::date, received_on),
        expires_on = coalesce((NEW.corrects->>'expires_on')::date, expires_on),
        open_life_days = coalesce((NEW.corrects->>'open_life_days')::int, open_life_days),
        opened_on = CASE WHEN NEW.corrects ? 'opened_on' THEN (NEW.corrects->>'opened_on')::date ELSE opened_on END,
        content = CASE WHEN NEW.corrects ? 'content' THEN (NEW.corrects->>'content')::float8 ELSE content END,
        version = version + 1
    WHERE id = NEW.lot_id;
    RETURN NEW;
END $$;

CREATE TRIGGER lot_record_corrects AFTER INSERT ON lot_record
    FOR EACH ROW WHEN (NEW.event = 'corrected') EXECUTE FUNCTION brumel_correct_lot();
"""
"""What a correction says is put on its lot by the owner: the application itself can make no lot good."""


def upgrade() -> None:
    for name in ("event", "amount", "amount_above_nought"):
        op.drop_constraint(op.f(f"ck_lot_record_{name}"), "lot_record")
    op.create_check_constraint(op.f("ck_lot_record_event"), "lot_record", f"event IN ({_EVENTS})")
    op.create_check_constraint(
        op.f("ck_lot_record_amount"), "lot_record", "(event IN ('used', 'withdrawn')) = (amount IS NOT NULL)"
    )
    op.create_check_constraint(op.f("ck_lot_record_amount_sign"), "lot_record", "(event = 'withdrawn') = (amount < 0)")
    op.add_column("lot_record", sa.Column("corrects", postgresql.JSONB, nullable=True))
    op.create_check_constraint(
        op.f("ck_lot_record_corrects"), "lot_record", "(event = 'corrected') = (corrects IS NOT NULL)"
    )
    op.execute(_CORRECT)
    for table in ("probe", "meter", "site"):
        op.add_column(table, sa.Column("retired_on", sa.Date, nullable=True))


def downgrade() -> None:
    for table in ("probe", "meter", "site"):
        op.drop_column(table, "retired_on")
    op.execute("DROP FUNCTION brumel_correct_lot() CASCADE")
    op.drop_column("lot_record", "corrects")
    for name in ("event", "amount", "amount_sign"):
        op.drop_constraint(op.f(f"ck_lot_record_{name}"), "lot_record")
    op.create_check_constraint(
        op.f("ck_lot_record_event"), "lot_record", "event IN ('received', 'opened', 'used', 'discarded')"
    )
    op.create_check_constraint(op.f("ck_lot_record_amount"), "lot_record", "(event = 'used') = (amount IS NOT NULL)")
    op.create_check_constraint(op.f("ck_lot_record_amount_above_nought"), "lot_record", "amount > 0")
