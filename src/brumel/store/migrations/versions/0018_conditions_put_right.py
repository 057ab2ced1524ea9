"""A condition of an open run is put right with a reason: what was said at its beginning stays, and holds no more."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    op.add_column("calibration_entry", sa.Column("conditions", postgresql.JSONB, nullable=True))
    _kinds("kind IN ('dropped', 'taken-over', 'put-right')")
    op.create_check_constraint(
        op.f("ck_calibration_entry_conditions"), "calibration_entry", "(kind = 'put-right') = (conditions IS NOT NULL)"
    )


def downgrade() -> None:
    op.drop_constraint(op.f("ck_calibration_entry_conditions"), "calibration_entry")
    _kinds("kind IN ('dropped', 'taken-over')")
    op.drop_column("calibration_entry", "conditions")


def _kinds(rule: str) -> None:
    op.drop_constraint(op.f("ck_calibration_entry_kind"), "calibration_entry")
    op.create_check_constraint(op.f("ck_calibration_entry_kind"), "calibration_entry", rule)
