"""A point beside an instrument: which one its target was read off."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("calibration_point", sa.Column("instrument_id", sa.Uuid, sa.ForeignKey("instrument.id")))


def downgrade() -> None:
    op.drop_column("calibration_point", "instrument_id")
