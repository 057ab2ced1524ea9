"""Deviations of a point get keys beside the words that were read; unknown words stand for themselves."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from brumel.store.frozen_words import otherwise

revision = "0024"
down_revision = "0023"


def upgrade() -> None:
    op.add_column("calibration_point", sa.Column("deviations_said", JSONB, nullable=False, server_default="[]"))
    kept = sa.text("SELECT DISTINCT deviations FROM calibration_point WHERE deviations <> '{}'")
    found = op.get_bind().execute(kept).scalars().all()
    said = sa.text("UPDATE calibration_point SET deviations_said = :said WHERE deviations = :words")
    said = said.bindparams(sa.bindparam("said", type_=JSONB), sa.bindparam("words", type_=sa.ARRAY(sa.Text)))
    op.execute("ALTER TABLE calibration_point DISABLE TRIGGER USER")
    for words in found:
        op.get_bind().execute(said, {"said": otherwise(list(words)), "words": list(words)})
    op.execute("ALTER TABLE calibration_point ENABLE TRIGGER USER")


def downgrade() -> None:
    op.drop_column("calibration_point", "deviations_said")
