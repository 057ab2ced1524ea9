"""What a probe steers: it is paused before the probe leaves the water."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("probe", sa.Column("steers", sa.Text, server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(op.f("ck_probe_steers_length"), "probe", "char_length(steers) <= 4000")


def downgrade() -> None:
    op.drop_column("probe", "steers")
