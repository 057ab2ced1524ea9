"""A run may check a probe back from a round."""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"


def upgrade() -> None:
    op.add_column(
        "calibration_run", sa.Column("checks_back", sa.Boolean, nullable=False, server_default=sa.text("false"))
    )


def downgrade() -> None:
    op.drop_column("calibration_run", "checks_back")
