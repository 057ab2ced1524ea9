"""The entries of a lot keep the order in which they were made, where two have one moment too."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column("lot_record", sa.Column("ordinal", sa.BigInteger, sa.Identity(always=False), nullable=False))


def downgrade() -> None:
    op.drop_column("lot_record", "ordinal")
