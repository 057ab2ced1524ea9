"""What a probe steers, paused before the probe leaves the water; a bottle that is two standards."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("probe", sa.Column("steers", sa.Text, server_default=sa.text("''"), nullable=False))
    op.create_check_constraint(op.f("ck_probe_steers_length"), "probe", "char_length(steers) <= 4000")
    op.add_column("lot", sa.Column("bottle_id", sa.Uuid, sa.ForeignKey("lot.id")))


def downgrade() -> None:
    op.drop_column("lot", "bottle_id")
    op.drop_column("probe", "steers")
