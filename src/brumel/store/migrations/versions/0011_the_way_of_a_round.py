"""A planned round knows how long its ways and its stays take."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column(
        "planned_round", sa.Column("travel", sa.ARRAY(sa.Double()), server_default=sa.text("'{}'"), nullable=False)
    )
    op.add_column("planned_round", sa.Column("stay_min", sa.Double(), nullable=True))
    op.create_check_constraint(
        op.f("ck_planned_round_travel_finite"), "planned_round",
        "NOT ('NaN' = ANY (travel) OR 'Infinity' = ANY (travel) OR '-Infinity' = ANY (travel))",
    )  # fmt: skip
    op.create_check_constraint(
        op.f("ck_planned_round_stay_min_finite"), "planned_round", "stay_min > '-Infinity' AND stay_min < 'Infinity'"
    )


def downgrade() -> None:
    op.drop_column("planned_round", "stay_min")
    op.drop_column("planned_round", "travel")
