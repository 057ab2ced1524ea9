"""Care log and inspections: facts that are only added to."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"

FACTS = ("care_record", "care_withdrawal", "inspection")
CARE = (
    "cleaned", "soaked", "stored", "membrane-changed", "electrolyte-changed", "reference-refilled",
    "electrode-changed", "cell-changed", "tip-changed", "cap-changed", "power-lost", "power-back", "switched-on",
    "dried-out", "dropped",
)  # fmt: skip


def upgrade() -> None:
    op.create_table(
        "care_record",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("probe_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("recorded_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("care", sa.Text(), nullable=False),
        sa.Column("detail", sa.Text(), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.CheckConstraint(f"care IN ({', '.join(repr(c) for c in CARE)})", name=op.f("ck_care_record_care")),
        sa.CheckConstraint("minutes > 0", name=op.f("ck_care_record_minutes")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_care_record_person_id")),
        sa.ForeignKeyConstraint(["probe_id"], ["probe.id"], name=op.f("fk_care_record_probe_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_care_record")),
    )
    op.create_index("ix_care_record_probe_id_at", "care_record", ["probe_id", "at"])
    op.create_table(
        "care_withdrawal",
        sa.Column("care_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["care_id"], ["care_record.id"], name=op.f("fk_care_withdrawal_care_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_care_withdrawal_person_id")),
        sa.PrimaryKeyConstraint("care_id", name=op.f("pk_care_withdrawal")),
    )
    op.create_table(
        "inspection",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("probe_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("answers", postgresql.JSONB(), nullable=False),
        sa.Column("failed", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_inspection_person_id")),
        sa.ForeignKeyConstraint(["probe_id"], ["probe.id"], name=op.f("fk_inspection_probe_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_inspection")),
    )
    op.create_index("ix_inspection_probe_id_at", "inspection", ["probe_id", "at"])
    for table in FACTS:
        op.execute(
            f"CREATE TRIGGER {table}_kept BEFORE UPDATE OR DELETE ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()"
        )
        op.execute(
            f"CREATE TRIGGER {table}_not_emptied BEFORE TRUNCATE ON {table} "
            "FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()"
        )


def downgrade() -> None:
    for table in reversed(FACTS):
        op.drop_table(table)
