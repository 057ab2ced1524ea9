"""What a meter does to a signal, how a water is compensated, where a bottle was poured from, which inspection came last.

Columns are added with their defaults by the owner: what a row of a fact says stays as it is.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"

_SETTINGS = (
    ("probe", "settings"),
    ("site", "compensation"),
    ("calibration_point", "meter_did"),
    ("reading", "meter_did"),
)


def upgrade() -> None:
    for table, column in _SETTINGS:
        op.add_column(table, sa.Column(column, postgresql.JSONB, server_default=sa.text("'{}'"), nullable=False))
    op.add_column("inspection", sa.Column("ordinal", sa.BigInteger, sa.Identity(), nullable=False))
    op.add_column("lot", sa.Column("parent_id", sa.Uuid, nullable=True))
    op.create_foreign_key(op.f("fk_lot_parent_id_lot"), "lot", "lot", ["parent_id"], ["id"])


def downgrade() -> None:
    op.drop_column("lot", "parent_id")
    op.drop_column("inspection", "ordinal")
    for table, column in _SETTINGS:
        op.drop_column(table, column)
