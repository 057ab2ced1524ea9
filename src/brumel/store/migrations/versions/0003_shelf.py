"""The shelf: lots of every standard, with what is left of them and a log."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.alter_column("lot", "nominal_ph", new_column_name="nominal", nullable=True)
    op.alter_column("lot", "certificate_u_ph", new_column_name="certificate_u")
    op.add_column("lot", sa.Column("standard", sa.Text(), server_default=sa.text("'ph-buffer'"), nullable=False))
    op.add_column("lot", sa.Column("volume_ml", sa.Double(), nullable=True))
    op.add_column("lot", sa.Column("discarded_on", sa.Date(), nullable=True))
    op.create_check_constraint(op.f("ck_lot_volume"), "lot", "volume_ml > 0")
    op.create_check_constraint(op.f("ck_lot_buffer_has_value"), "lot", "standard <> 'ph-buffer' OR nominal IS NOT NULL")
    op.create_table(
        "lot_record",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("lot_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("event", sa.Text(), nullable=False),
        sa.Column("amount_ml", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.CheckConstraint("event IN ('received', 'opened', 'used', 'discarded')", name=op.f("ck_lot_record_event")),
        sa.CheckConstraint("(event = 'used') = (amount_ml IS NOT NULL)", name=op.f("ck_lot_record_amount")),
        sa.CheckConstraint("amount_ml > 0", name=op.f("ck_lot_record_amount_above_nought")),
        sa.ForeignKeyConstraint(["lot_id"], ["lot.id"], name=op.f("fk_lot_record_lot_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_lot_record_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lot_record")),
    )
    op.create_index("ix_lot_record_lot_id", "lot_record", ["lot_id"])
    op.execute(
        "CREATE TRIGGER lot_record_kept BEFORE UPDATE OR DELETE ON lot_record "
        "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()"
    )
    op.execute(
        "CREATE TRIGGER lot_record_not_emptied BEFORE TRUNCATE ON lot_record "
        "FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()"
    )


def downgrade() -> None:
    op.drop_table("lot_record")
    op.drop_constraint("ck_lot_buffer_has_value", "lot")
    op.drop_constraint("ck_lot_volume", "lot")
    op.drop_column("lot", "discarded_on")
    op.drop_column("lot", "volume_ml")
    op.drop_column("lot", "standard")
    op.alter_column("lot", "certificate_u", new_column_name="certificate_u_ph")
    op.alter_column("lot", "nominal", new_column_name="nominal_ph", nullable=False)
