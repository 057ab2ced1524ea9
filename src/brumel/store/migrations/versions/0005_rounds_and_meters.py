"""Meters and their log; what sites are expected to show; planned rounds; what meters report; sachets, certificates."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0005"
down_revision = "0004"

CARE_BEFORE = (
    "cleaned", "soaked", "stored", "membrane-changed", "electrolyte-changed", "reference-refilled",
    "electrode-changed", "cell-changed", "tip-changed", "cap-changed", "power-lost", "power-back", "switched-on",
    "dried-out", "dropped",
)  # fmt: skip
CARE = (
    "cleaned", "soaked", "stored", "membrane-changed", "electrolyte-changed", "reference-refilled",
    "electrode-changed", "junction-changed", "cell-changed", "tip-changed", "cap-changed", "unplugged",
    "batteries-out", "power-back", "switched-on", "dried-out", "dropped", "calibrated",
)  # fmt: skip


def _care_is_one_of(values: tuple[str, ...]) -> None:
    listed = ", ".join(repr(c) for c in values)
    op.create_check_constraint(op.f("ck_care_record_care"), "care_record", f"care IN ({listed})")


def _rename_care(old: str, new: str) -> None:
    """The one change that records suffer: a word of the log was split in two. Only the owner can do it."""
    op.drop_constraint("ck_care_record_care", "care_record")
    op.execute("ALTER TABLE care_record DISABLE TRIGGER care_record_kept")
    op.execute(f"UPDATE care_record SET care = '{new}' WHERE care = '{old}'")
    op.execute("ALTER TABLE care_record ENABLE TRIGGER care_record_kept")


def _guard(table: str) -> None:
    op.execute(
        f"CREATE TRIGGER {table}_kept BEFORE UPDATE OR DELETE ON {table} "
        "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()"
    )
    op.execute(
        f"CREATE TRIGGER {table}_not_emptied BEFORE TRUNCATE ON {table} "
        "FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()"
    )


def upgrade() -> None:
    op.create_table(
        "meter",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("serial", sa.Text(), nullable=False),
        sa.Column("kit", sa.Text(), nullable=False),
        sa.Column("in_service_on", sa.Date(), nullable=False),
        sa.Column("takes", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("compensates", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("buffer_families", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("holds_calibration", sa.Boolean(), nullable=False),
        sa.Column("polarises_off", sa.Boolean(), nullable=False),
        sa.Column("accuracy", postgresql.JSONB(), nullable=False),
        sa.Column("memory_records", sa.Integer(), nullable=True),
        sa.Column("batteries", sa.Text(), nullable=False),
        sa.Column("battery_hours", sa.Double(), nullable=True),
        sa.CheckConstraint("memory_records > 0", name=op.f("ck_meter_memory")),
        sa.CheckConstraint("battery_hours > 0", name=op.f("ck_meter_battery_hours")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meter")),
        sa.UniqueConstraint("label", name=op.f("uq_meter_label")),
        sa.UniqueConstraint("serial", name=op.f("uq_meter_serial")),
    )
    op.create_table(
        "meter_record",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(), nullable=False),
        sa.Column("meter_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("event", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.CheckConstraint(
            "event IN ('batteries-changed', 'batteries-out', 'batteries-in', 'switched-on', 'switched-off')",
            name=op.f("ck_meter_record_event"),
        ),
        sa.ForeignKeyConstraint(["meter_id"], ["meter.id"], name=op.f("fk_meter_record_meter_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_meter_record_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meter_record")),
    )
    op.create_index("ix_meter_record_meter_id_at", "meter_record", ["meter_id", "at"])
    _guard("meter_record")
    op.add_column("probe", sa.Column("meter_id", sa.Uuid(), nullable=True))
    op.create_foreign_key(op.f("fk_probe_meter_id"), "probe", "meter", ["meter_id"], ["id"])
    op.add_column("probe", sa.Column("own_waits", postgresql.JSONB(), server_default=sa.text("'{}'"), nullable=False))

    _rename_care("power-lost", "unplugged")
    _care_is_one_of(CARE)
    # Entries are typed to the minute: what came later stands behind.
    op.add_column("care_record", sa.Column("ordinal", sa.BigInteger(), sa.Identity(), nullable=False))
    op.add_column("care_record", sa.Column("good_until", sa.Date(), nullable=True))
    op.add_column(
        "care_record", sa.Column("measured", postgresql.JSONB(), server_default=sa.text("'{}'"), nullable=False)
    )
    op.add_column(
        "care_record", sa.Column("findings", postgresql.JSONB(), server_default=sa.text("'[]'"), nullable=False)
    )

    op.create_table(
        "site_range",
        sa.Column("site_id", sa.Uuid(), nullable=False),
        sa.Column("parameter", sa.Text(), nullable=False),
        sa.Column("low", sa.Double(), nullable=False),
        sa.Column("high", sa.Double(), nullable=False),
        sa.CheckConstraint("low < high", name=op.f("ck_site_range_low_below_high")),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_site_range_site_id")),
        sa.PrimaryKeyConstraint("site_id", "parameter", name=op.f("pk_site_range")),
    )
    op.execute("INSERT INTO site_range SELECT id, 'pH', expected_ph_low, expected_ph_high FROM site")
    op.drop_constraint("ck_site_expected_ph", "site")
    op.drop_column("site", "expected_ph_low")
    op.drop_column("site", "expected_ph_high")

    op.create_table(
        "planned_round",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("planned_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("departure", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kit", sa.Text(), nullable=False),
        sa.Column("rinse", sa.Text(), nullable=False),
        sa.Column("site_ids", sa.ARRAY(sa.Uuid()), nullable=False),
        sa.Column("probe_ids", sa.ARRAY(sa.Uuid()), nullable=False),
        sa.Column("without", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("done", postgresql.JSONB(), nullable=False),
        sa.Column("dropped", sa.Boolean(), server_default=sa.text("false"), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_planned_round_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_planned_round")),
    )
    op.create_index("ix_planned_round_departure", "planned_round", ["departure"])

    op.drop_constraint("ck_lot_volume", "lot")
    op.alter_column("lot", "volume_ml", new_column_name="content")
    op.create_check_constraint(op.f("ck_lot_content"), "lot", "content > 0")
    op.add_column("lot", sa.Column("pack", sa.Text(), server_default=sa.text("'bottle'"), nullable=False))
    op.create_check_constraint(op.f("ck_lot_pack"), "lot", "pack IN ('bottle', 'sachets', 'tablets')")
    op.drop_constraint("ck_lot_record_amount", "lot_record")
    op.alter_column("lot_record", "amount_ml", new_column_name="amount")
    op.create_check_constraint(op.f("ck_lot_record_amount"), "lot_record", "(event = 'used') = (amount IS NOT NULL)")
    op.create_table(
        "lot_certificate",
        sa.Column("lot_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("media_type", sa.Text(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["lot_id"], ["lot.id"], name=op.f("fk_lot_certificate_lot_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_lot_certificate_person_id")),
        sa.PrimaryKeyConstraint("lot_id", name=op.f("pk_lot_certificate")),
    )
    _guard("lot_certificate")


def downgrade() -> None:
    op.drop_table("lot_certificate")
    op.drop_constraint("ck_lot_record_amount", "lot_record")
    op.alter_column("lot_record", "amount", new_column_name="amount_ml")
    op.create_check_constraint(op.f("ck_lot_record_amount"), "lot_record", "(event = 'used') = (amount_ml IS NOT NULL)")
    op.drop_constraint("ck_lot_pack", "lot")
    op.drop_column("lot", "pack")
    op.drop_constraint("ck_lot_content", "lot")
    op.alter_column("lot", "content", new_column_name="volume_ml")
    op.create_check_constraint(op.f("ck_lot_volume"), "lot", "volume_ml > 0")
    op.drop_table("planned_round")
    op.add_column("site", sa.Column("expected_ph_low", sa.Double(), server_default=sa.text("0"), nullable=False))
    op.add_column("site", sa.Column("expected_ph_high", sa.Double(), server_default=sa.text("14"), nullable=False))
    op.execute(
        "UPDATE site SET expected_ph_low = r.low, expected_ph_high = r.high FROM site_range r "
        "WHERE r.site_id = site.id AND r.parameter = 'pH'"
    )
    op.alter_column("site", "expected_ph_low", server_default=None)
    op.alter_column("site", "expected_ph_high", server_default=None)
    op.create_check_constraint(op.f("ck_site_expected_ph"), "site", "expected_ph_low < expected_ph_high")
    op.drop_table("site_range")
    _rename_care("unplugged", "power-lost")
    op.drop_column("care_record", "ordinal")
    op.drop_column("care_record", "findings")
    op.drop_column("care_record", "measured")
    op.drop_column("care_record", "good_until")
    _care_is_one_of(CARE_BEFORE)
    op.drop_column("probe", "own_waits")
    op.drop_column("probe", "meter_id")
    op.drop_table("meter_record")
    op.drop_table("meter")
