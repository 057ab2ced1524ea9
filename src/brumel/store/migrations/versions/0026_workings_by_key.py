"""The lines of a reading's working have keys beside the words that were read; older ones keep their words alone."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0026"
down_revision = "0025"


def upgrade() -> None:
    op.add_column("reading", sa.Column("working_said", JSONB))


def downgrade() -> None:
    op.drop_column("reading", "working_said")
