"""A site's altitude and compensation hold from a moment on: what it was entered with stays for what was read before."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0019"
down_revision = "0018"

_TABLE = "site_setting"
_CHECKS = {
    "has_reason": "reason <> ''",
    "reason_length": "char_length(reason) <= 4000",
    "altitude_m_finite": "altitude_m > '-Infinity' AND altitude_m < 'Infinity'",
    **{
        f"{name}_moment": f"{name} >= '1900-01-01 00:00+00' AND {name} < '2200-01-01 00:00+00'"
        for name in ("at", "since")
    },
}
_TRIGGERS = {
    "kept": "BEFORE UPDATE OR DELETE ON {table} FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()",
    "not_emptied": "BEFORE TRUNCATE ON {table} FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()",
    "not_by_readers": "BEFORE INSERT ON {table} FOR EACH ROW EXECUTE FUNCTION brumel_refuse_readers()",
}


def upgrade() -> None:
    op.create_table(
        _TABLE,
        sa.Column("id", sa.Uuid, nullable=False),
        sa.Column("ordinal", sa.BigInteger, sa.Identity(), nullable=False),
        sa.Column("site_id", sa.Uuid, sa.ForeignKey("site.id"), nullable=False),
        sa.Column("person_id", sa.Uuid, sa.ForeignKey("person.id"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
        sa.Column("altitude_m", sa.Double),
        sa.Column("compensation", postgresql.JSONB, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    for name, rule in _CHECKS.items():
        op.create_check_constraint(op.f(f"ck_{_TABLE}_{name}"), _TABLE, rule)
    op.create_index(f"ix_{_TABLE}_site_id", _TABLE, ["site_id"])
    for name, trigger in _TRIGGERS.items():
        op.execute(f"CREATE TRIGGER {_TABLE}_{name} {trigger.format(table=_TABLE)}")
    op.execute(
        f"CREATE CONSTRAINT TRIGGER {_TABLE}_counted AFTER INSERT ON {_TABLE} DEFERRABLE INITIALLY DEFERRED "
        "FOR EACH ROW EXECUTE FUNCTION brumel_count_change()"
    )


def downgrade() -> None:
    op.drop_table(_TABLE)
