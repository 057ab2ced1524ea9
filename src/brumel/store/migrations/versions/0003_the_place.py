"""How high a site lies, and what was known of the place of a reading: station pressure, salinity."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("site", sa.Column("altitude_m", sa.Float, nullable=True))
    op.create_check_constraint(
        op.f("ck_site_altitude_m_finite"), "site", "altitude_m > '-Infinity' AND altitude_m < 'Infinity'"
    )
    op.add_column(
        "reading", sa.Column("surroundings", postgresql.JSONB, server_default=sa.text("'{}'"), nullable=False)
    )


def downgrade() -> None:
    op.drop_column("reading", "surroundings")
    op.drop_column("site", "altitude_m")
