"""The first schema: reference, facts that are only added to, and live samples. From here migrations only move forward.

A change of a table of facts makes a new table as the owner and copies the rows into it; the guards refuse all else.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None


# Tables whose rows are only ever added. The list is frozen here with the schema that it guards.
FACTS = (
    "calibration_run",
    "calibration_step",
    "calibration_point",
    "calibration_trace",
    "calibration_coefficient",
    "calibration_signature",
    "calibration_finding",
    "calibration_abandonment",
    "calibration_amendment",
    "reading",
    "reading_trace",
    "reading_finding",
    "care_record",
    "care_withdrawal",
    "inspection",
    "inspection_photo",
    "meter_record",
    "lot_record",
    "lot_certificate",
)

GUARDS = """
CREATE FUNCTION brumel_refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'A record in % is kept as it was made: add an amendment instead.', TG_TABLE_NAME
        USING ERRCODE = 'BR001';
END $$;

-- A run that is signed or given up takes no more points, and is closed once. The lock makes a point
-- and a signature that arrive together wait for each other.
CREATE FUNCTION brumel_refuse_closed_run() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    PERFORM pg_advisory_xact_lock(hashtextextended(NEW.run_id::text, 0));
    IF EXISTS (SELECT 1 FROM calibration_signature WHERE run_id = NEW.run_id) THEN
        RAISE EXCEPTION 'This calibration has been signed: begin a new one.' USING ERRCODE = 'BR001';
    END IF;
    IF EXISTS (SELECT 1 FROM calibration_abandonment WHERE run_id = NEW.run_id) THEN
        RAISE EXCEPTION 'This calibration has been given up: begin a new one.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;

-- A signature names the points that stand; one that was taken meanwhile is not passed over.
CREATE FUNCTION brumel_refuse_other_points() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF EXISTS (
        (SELECT DISTINCT ON (step) id FROM calibration_point WHERE run_id = NEW.run_id ORDER BY step, ordinal DESC)
        EXCEPT (SELECT unnest(NEW.point_ids))
    ) OR EXISTS (
        (SELECT unnest(NEW.point_ids)) EXCEPT
        (SELECT DISTINCT ON (step) id FROM calibration_point WHERE run_id = NEW.run_id ORDER BY step, ordinal DESC)
    ) THEN
        RAISE EXCEPTION 'Another point was taken meanwhile: look at it, then sign.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;
"""


def upgrade() -> None:
    op.create_table(
        "device",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("url", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("channels", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("period_s", sa.Double(), nullable=False),
        sa.Column("clock_rate", sa.Double(), server_default=sa.text("1"), nullable=False),
        sa.Column("control", sa.Text(), nullable=True),
        sa.Column("wanted_until", sa.DateTime(timezone=True), nullable=True),
        sa.Column("status", sa.Text(), server_default=sa.text("'idle'"), nullable=False),
        sa.Column("status_words", sa.Text(), server_default=sa.text("''"), nullable=False),
        sa.CheckConstraint(
            "clock_rate > '-Infinity' AND clock_rate < 'Infinity'", name=op.f("ck_device_clock_rate_finite")
        ),
        sa.CheckConstraint("period_s > '-Infinity' AND period_s < 'Infinity'", name=op.f("ck_device_period_s_finite")),
        sa.CheckConstraint("char_length(address) <= 4000", name=op.f("ck_device_address_length")),
        sa.CheckConstraint("char_length(control) <= 4000", name=op.f("ck_device_control_length")),
        sa.CheckConstraint("char_length(label) <= 120", name=op.f("ck_device_label_length")),
        sa.CheckConstraint("char_length(status) <= 4000", name=op.f("ck_device_status_length")),
        sa.CheckConstraint("char_length(status_words) <= 4000", name=op.f("ck_device_status_words_length")),
        sa.CheckConstraint("char_length(url) <= 4000", name=op.f("ck_device_url_length")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_device")),
        sa.UniqueConstraint("label", name=op.f("uq_device_label")),
    )
    op.create_table(
        "login_attempt",
        sa.Column("id", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("login", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("succeeded", sa.Boolean(), nullable=False),
        sa.CheckConstraint("char_length(address) <= 4000", name=op.f("ck_login_attempt_address_length")),
        sa.CheckConstraint("char_length(login) <= 120", name=op.f("ck_login_attempt_login_length")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_login_attempt")),
    )
    op.create_index("ix_login_attempt_login_at", "login_attempt", ["login", "at"], unique=False)
    op.create_table(
        "lot",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), server_default=sa.text("1"), nullable=False),
        sa.Column("lot_number", sa.Text(), nullable=False),
        sa.Column("family", sa.Text(), nullable=False),
        sa.Column("standard", sa.Text(), server_default=sa.text("'ph-buffer'"), nullable=False),
        sa.Column("nominal", sa.Double(), nullable=True),
        sa.Column("received_on", sa.Date(), nullable=False),
        sa.Column("expires_on", sa.Date(), nullable=False),
        sa.Column("opened_on", sa.Date(), nullable=True),
        sa.Column("open_life_days", sa.Integer(), nullable=False),
        sa.Column("certificate_u", sa.Double(), nullable=True),
        sa.Column("pack", sa.Text(), server_default=sa.text("'bottle'"), nullable=False),
        sa.Column("content", sa.Double(), nullable=True),
        sa.Column("discarded_on", sa.Date(), nullable=True),
        sa.Column("value_table", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.CheckConstraint(
            "certificate_u > '-Infinity' AND certificate_u < 'Infinity'", name=op.f("ck_lot_certificate_u_finite")
        ),
        sa.CheckConstraint("content > '-Infinity' AND content < 'Infinity'", name=op.f("ck_lot_content_finite")),
        sa.CheckConstraint("nominal > '-Infinity' AND nominal < 'Infinity'", name=op.f("ck_lot_nominal_finite")),
        sa.CheckConstraint("pack IN ('bottle', 'sachets', 'tablets')", name=op.f("ck_lot_pack")),
        sa.CheckConstraint("char_length(family) <= 4000", name=op.f("ck_lot_family_length")),
        sa.CheckConstraint("char_length(lot_number) <= 120", name=op.f("ck_lot_lot_number_length")),
        sa.CheckConstraint("char_length(pack) <= 4000", name=op.f("ck_lot_pack_length")),
        sa.CheckConstraint("char_length(standard) <= 4000", name=op.f("ck_lot_standard_length")),
        sa.CheckConstraint("content > 0", name=op.f("ck_lot_content")),
        sa.CheckConstraint("expires_on >= received_on", name=op.f("ck_lot_expiry_after_receipt")),
        sa.CheckConstraint("opened_on >= received_on", name=op.f("ck_lot_opened_after_receipt")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lot")),
        sa.UniqueConstraint("lot_number", name=op.f("uq_lot_lot_number")),
    )
    op.create_table(
        "meter",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), server_default=sa.text("1"), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("serial", sa.Text(), nullable=False),
        sa.Column("kit", sa.Text(), nullable=False),
        sa.Column("in_service_on", sa.Date(), nullable=False),
        sa.Column("takes", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("compensates", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("buffer_families", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("holds_calibration", sa.Boolean(), nullable=False),
        sa.Column("polarises_off", sa.Boolean(), nullable=False),
        sa.Column("accuracy", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("memory_records", sa.Integer(), nullable=True),
        sa.Column("batteries", sa.Text(), nullable=False),
        sa.Column("battery_hours", sa.Double(), nullable=True),
        sa.CheckConstraint(
            "battery_hours > '-Infinity' AND battery_hours < 'Infinity'", name=op.f("ck_meter_battery_hours_finite")
        ),
        sa.CheckConstraint("battery_hours > 0", name=op.f("ck_meter_battery_hours")),
        sa.CheckConstraint("char_length(batteries) <= 120", name=op.f("ck_meter_batteries_length")),
        sa.CheckConstraint("char_length(kit) <= 120", name=op.f("ck_meter_kit_length")),
        sa.CheckConstraint("char_length(label) <= 120", name=op.f("ck_meter_label_length")),
        sa.CheckConstraint("char_length(serial) <= 120", name=op.f("ck_meter_serial_length")),
        sa.CheckConstraint("memory_records > 0", name=op.f("ck_meter_memory")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meter")),
        sa.UniqueConstraint("label", name=op.f("uq_meter_label")),
        sa.UniqueConstraint("serial", name=op.f("uq_meter_serial")),
    )
    op.create_table(
        "person",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("login", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("role", sa.Text(), nullable=False),
        sa.Column("password_hash", sa.Text(), nullable=False),
        sa.Column("active", sa.Boolean(), server_default=sa.text("true"), nullable=False),
        sa.CheckConstraint("role IN ('technician', 'supervisor', 'reader')", name=op.f("ck_person_role")),
        sa.CheckConstraint("char_length(login) <= 120", name=op.f("ck_person_login_length")),
        sa.CheckConstraint("char_length(name) <= 120", name=op.f("ck_person_name_length")),
        sa.CheckConstraint("char_length(password_hash) <= 4000", name=op.f("ck_person_password_hash_length")),
        sa.CheckConstraint("char_length(role) <= 4000", name=op.f("ck_person_role_length")),
        sa.CheckConstraint("login = lower(login)", name=op.f("ck_person_login_lower")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("login", name=op.f("uq_person_login")),
    )
    op.create_table(
        "site",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), server_default=sa.text("1"), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("water_kind", sa.Text(), nullable=False),
        sa.Column("visit_every_days", sa.Integer(), nullable=False),
        sa.CheckConstraint("char_length(code) <= 120", name=op.f("ck_site_code_length")),
        sa.CheckConstraint("char_length(name) <= 120", name=op.f("ck_site_name_length")),
        sa.CheckConstraint("char_length(water_kind) <= 120", name=op.f("ck_site_water_kind_length")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site")),
        sa.UniqueConstraint("code", name=op.f("uq_site_code")),
    )
    op.create_table(
        "device_sample",
        sa.Column("seq", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("device_id", sa.Uuid(), nullable=False),
        sa.Column("time_s", sa.Double(), nullable=False),
        sa.Column("values", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("stored_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint(
            "NOT ('NaN' = ANY (values) OR 'Infinity' = ANY (values) OR '-Infinity' = ANY (values))",
            name=op.f("ck_device_sample_values_finite"),
        ),
        sa.CheckConstraint("time_s > '-Infinity' AND time_s < 'Infinity'", name=op.f("ck_device_sample_time_s_finite")),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_device_sample_device_id")),
        sa.PrimaryKeyConstraint("seq", name=op.f("pk_device_sample")),
    )
    op.create_index("ix_device_sample_device_id_seq", "device_sample", ["device_id", "seq"], unique=False)
    op.create_table(
        "lot_certificate",
        sa.Column("lot_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("media_type", sa.Text(), nullable=False),
        sa.Column("content", sa.LargeBinary(), nullable=False),
        sa.CheckConstraint("char_length(media_type) <= 4000", name=op.f("ck_lot_certificate_media_type_length")),
        sa.ForeignKeyConstraint(["lot_id"], ["lot.id"], name=op.f("fk_lot_certificate_lot_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_lot_certificate_person_id")),
        sa.PrimaryKeyConstraint("lot_id", name=op.f("pk_lot_certificate")),
    )
    op.create_table(
        "lot_record",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("lot_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("event", sa.Text(), nullable=False),
        sa.Column("amount", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.CheckConstraint("(event = 'used') = (amount IS NOT NULL)", name=op.f("ck_lot_record_amount")),
        sa.CheckConstraint("amount > '-Infinity' AND amount < 'Infinity'", name=op.f("ck_lot_record_amount_finite")),
        sa.CheckConstraint("event IN ('received', 'opened', 'used', 'discarded')", name=op.f("ck_lot_record_event")),
        sa.CheckConstraint("amount > 0", name=op.f("ck_lot_record_amount_above_nought")),
        sa.CheckConstraint("char_length(event) <= 4000", name=op.f("ck_lot_record_event_length")),
        sa.CheckConstraint("char_length(note) <= 4000", name=op.f("ck_lot_record_note_length")),
        sa.ForeignKeyConstraint(["lot_id"], ["lot.id"], name=op.f("fk_lot_record_lot_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_lot_record_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lot_record")),
    )
    op.create_index("ix_lot_record_lot_id", "lot_record", ["lot_id"], unique=False)
    op.create_table(
        "meter_record",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("meter_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("event", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.CheckConstraint(
            "event IN ('batteries-changed', 'batteries-out', 'batteries-in', 'switched-on', 'switched-off')",
            name=op.f("ck_meter_record_event"),
        ),
        sa.CheckConstraint("char_length(event) <= 4000", name=op.f("ck_meter_record_event_length")),
        sa.CheckConstraint("char_length(note) <= 4000", name=op.f("ck_meter_record_note_length")),
        sa.ForeignKeyConstraint(["meter_id"], ["meter.id"], name=op.f("fk_meter_record_meter_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_meter_record_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_meter_record")),
    )
    op.create_index("ix_meter_record_meter_id_at", "meter_record", ["meter_id", "at"], unique=False)
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
        sa.Column("done", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("dropped", sa.Boolean(), server_default=sa.text("false"), nullable=False),
        sa.CheckConstraint("char_length(kit) <= 120", name=op.f("ck_planned_round_kit_length")),
        sa.CheckConstraint("char_length(rinse) <= 4000", name=op.f("ck_planned_round_rinse_length")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_planned_round_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_planned_round")),
    )
    op.create_index("ix_planned_round_departure", "planned_round", ["departure"], unique=False)
    op.create_table(
        "probe",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), server_default=sa.text("1"), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("serial", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("kit", sa.Text(), nullable=False),
        sa.Column("in_service_on", sa.Date(), nullable=False),
        sa.Column("device_id", sa.Uuid(), nullable=True),
        sa.Column("meter_id", sa.Uuid(), nullable=True),
        sa.Column("reference", sa.Text(), server_default=sa.text("''"), nullable=False),
        sa.Column("own_waits", postgresql.JSONB(astext_type=sa.Text()), server_default=sa.text("'{}'"), nullable=False),
        sa.CheckConstraint("char_length(kind) <= 120", name=op.f("ck_probe_kind_length")),
        sa.CheckConstraint("char_length(kit) <= 120", name=op.f("ck_probe_kit_length")),
        sa.CheckConstraint("char_length(label) <= 120", name=op.f("ck_probe_label_length")),
        sa.CheckConstraint("char_length(reference) <= 4000", name=op.f("ck_probe_reference_length")),
        sa.CheckConstraint("char_length(serial) <= 120", name=op.f("ck_probe_serial_length")),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_probe_device_id")),
        sa.ForeignKeyConstraint(["meter_id"], ["meter.id"], name=op.f("fk_probe_meter_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_probe")),
        sa.UniqueConstraint("label", name=op.f("uq_probe_label")),
        sa.UniqueConstraint("serial", name=op.f("uq_probe_serial")),
    )
    op.create_table(
        "site_range",
        sa.Column("site_id", sa.Uuid(), nullable=False),
        sa.Column("quantity", sa.Text(), nullable=False),
        sa.Column("low", sa.Double(), nullable=False),
        sa.Column("high", sa.Double(), nullable=False),
        sa.CheckConstraint("high > '-Infinity' AND high < 'Infinity'", name=op.f("ck_site_range_high_finite")),
        sa.CheckConstraint("low > '-Infinity' AND low < 'Infinity'", name=op.f("ck_site_range_low_finite")),
        sa.CheckConstraint("char_length(quantity) <= 120", name=op.f("ck_site_range_quantity_length")),
        sa.CheckConstraint("low < high", name=op.f("ck_site_range_low_below_high")),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_site_range_site_id")),
        sa.PrimaryKeyConstraint("site_id", "quantity", name=op.f("pk_site_range")),
    )
    op.create_table(
        "calibration_run",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("probe_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kept_by", sa.Text(), nullable=False),
        sa.Column("method_code", sa.Text(), nullable=False),
        sa.Column("method", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("rinse", sa.Text(), nullable=False),
        sa.Column("lots", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("waters_low", sa.Double(), nullable=True),
        sa.Column("waters_high", sa.Double(), nullable=True),
        sa.Column("new_sensor", sa.Boolean(), nullable=False),
        sa.Column("reference", sa.Text(), nullable=False),
        sa.Column("not_ready", sa.Text(), server_default=sa.text("''"), nullable=False),
        sa.Column("despite", sa.Text(), server_default=sa.text("''"), nullable=False),
        sa.CheckConstraint("kept_by IN ('brumel', 'meter')", name=op.f("ck_calibration_run_kept_by")),
        sa.CheckConstraint(
            "waters_high > '-Infinity' AND waters_high < 'Infinity'", name=op.f("ck_calibration_run_waters_high_finite")
        ),
        sa.CheckConstraint(
            "waters_low > '-Infinity' AND waters_low < 'Infinity'", name=op.f("ck_calibration_run_waters_low_finite")
        ),
        sa.CheckConstraint("char_length(despite) <= 4000", name=op.f("ck_calibration_run_despite_length")),
        sa.CheckConstraint("char_length(kept_by) <= 4000", name=op.f("ck_calibration_run_kept_by_length")),
        sa.CheckConstraint("char_length(method_code) <= 4000", name=op.f("ck_calibration_run_method_code_length")),
        sa.CheckConstraint("char_length(not_ready) <= 4000", name=op.f("ck_calibration_run_not_ready_length")),
        sa.CheckConstraint("char_length(reference) <= 4000", name=op.f("ck_calibration_run_reference_length")),
        sa.CheckConstraint("char_length(rinse) <= 4000", name=op.f("ck_calibration_run_rinse_length")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_run_person_id")),
        sa.ForeignKeyConstraint(["probe_id"], ["probe.id"], name=op.f("fk_calibration_run_probe_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration_run")),
    )
    op.create_index(
        "ix_calibration_run_probe_id_started_at", "calibration_run", ["probe_id", "started_at"], unique=False
    )
    op.create_table(
        "care_record",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("probe_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("recorded_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("care", sa.Text(), nullable=False),
        sa.Column("detail", sa.Text(), nullable=False),
        sa.Column("minutes", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("good_until", sa.Date(), nullable=True),
        sa.Column("findings", postgresql.JSONB(astext_type=sa.Text()), server_default=sa.text("'[]'"), nullable=False),
        sa.CheckConstraint(
            "minutes > '-Infinity' AND minutes < 'Infinity'", name=op.f("ck_care_record_minutes_finite")
        ),
        sa.CheckConstraint("char_length(care) <= 4000", name=op.f("ck_care_record_care_length")),
        sa.CheckConstraint("char_length(detail) <= 4000", name=op.f("ck_care_record_detail_length")),
        sa.CheckConstraint("char_length(note) <= 4000", name=op.f("ck_care_record_note_length")),
        sa.CheckConstraint("minutes > 0", name=op.f("ck_care_record_minutes")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_care_record_person_id")),
        sa.ForeignKeyConstraint(["probe_id"], ["probe.id"], name=op.f("fk_care_record_probe_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_care_record")),
    )
    op.create_index("ix_care_record_probe_id_at", "care_record", ["probe_id", "at"], unique=False)
    op.create_table(
        "inspection",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("probe_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("answers", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("failed", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.CheckConstraint("char_length(note) <= 4000", name=op.f("ck_inspection_note_length")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_inspection_person_id")),
        sa.ForeignKeyConstraint(["probe_id"], ["probe.id"], name=op.f("fk_inspection_probe_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_inspection")),
    )
    op.create_index("ix_inspection_probe_id_at", "inspection", ["probe_id", "at"], unique=False)
    op.create_table(
        "calibration_abandonment",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.CheckConstraint("char_length(reason) <= 4000", name=op.f("ck_calibration_abandonment_reason_length")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_abandonment_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_abandonment_run_id")),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_calibration_abandonment")),
    )
    op.create_table(
        "calibration_amendment",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.CheckConstraint("kind IN ('note', 'withdrawal')", name=op.f("ck_calibration_amendment_kind")),
        sa.CheckConstraint("char_length(kind) <= 120", name=op.f("ck_calibration_amendment_kind_length")),
        sa.CheckConstraint("char_length(reason) <= 4000", name=op.f("ck_calibration_amendment_reason_length")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_amendment_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_amendment_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration_amendment")),
    )
    op.create_index(
        "uq_calibration_amendment_withdrawal",
        "calibration_amendment",
        ["run_id"],
        unique=True,
        postgresql_where=sa.text("kind = 'withdrawal'"),
    )
    op.create_table(
        "calibration_coefficient",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("ordinal", sa.Integer(), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("u", sa.Double(), nullable=True),
        sa.Column("unit", sa.Text(), nullable=False),
        sa.Column("origin", sa.Text(), nullable=False),
        sa.CheckConstraint(
            "origin IN ('fitted', 'carried', 'assumed', 'fixed', 'reported')",
            name=op.f("ck_calibration_coefficient_origin"),
        ),
        sa.CheckConstraint("u > '-Infinity' AND u < 'Infinity'", name=op.f("ck_calibration_coefficient_u_finite")),
        sa.CheckConstraint(
            "value > '-Infinity' AND value < 'Infinity'", name=op.f("ck_calibration_coefficient_value_finite")
        ),
        sa.CheckConstraint("char_length(key) <= 120", name=op.f("ck_calibration_coefficient_key_length")),
        sa.CheckConstraint("char_length(origin) <= 4000", name=op.f("ck_calibration_coefficient_origin_length")),
        sa.CheckConstraint("char_length(unit) <= 4000", name=op.f("ck_calibration_coefficient_unit_length")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_coefficient_run_id")),
        sa.PrimaryKeyConstraint("run_id", "key", name=op.f("pk_calibration_coefficient")),
    )
    op.create_table(
        "calibration_finding",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.Integer(), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("level", sa.Text(), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("remedy", sa.Text(), nullable=False),
        sa.Column("minutes", sa.Integer(), nullable=True),
        sa.Column("source", sa.Text(), nullable=False),
        sa.CheckConstraint("char_length(code) <= 120", name=op.f("ck_calibration_finding_code_length")),
        sa.CheckConstraint("char_length(level) <= 4000", name=op.f("ck_calibration_finding_level_length")),
        sa.CheckConstraint("char_length(remedy) <= 4000", name=op.f("ck_calibration_finding_remedy_length")),
        sa.CheckConstraint("char_length(sentence) <= 4000", name=op.f("ck_calibration_finding_sentence_length")),
        sa.CheckConstraint("char_length(source) <= 4000", name=op.f("ck_calibration_finding_source_length")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_finding_run_id")),
        sa.PrimaryKeyConstraint("run_id", "ordinal", name=op.f("pk_calibration_finding")),
    )
    op.create_table(
        "calibration_signature",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("signed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("level", sa.Text(), nullable=False),
        sa.Column("point_ids", sa.ARRAY(sa.Uuid()), nullable=False),
        sa.Column("covariance", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("targets_low", sa.Double(), nullable=True),
        sa.Column("targets_high", sa.Double(), nullable=True),
        sa.Column("temperature_c", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.CheckConstraint(
            "targets_high > '-Infinity' AND targets_high < 'Infinity'",
            name=op.f("ck_calibration_signature_targets_high_finite"),
        ),
        sa.CheckConstraint(
            "targets_low > '-Infinity' AND targets_low < 'Infinity'",
            name=op.f("ck_calibration_signature_targets_low_finite"),
        ),
        sa.CheckConstraint(
            "temperature_c > '-Infinity' AND temperature_c < 'Infinity'",
            name=op.f("ck_calibration_signature_temperature_c_finite"),
        ),
        sa.CheckConstraint("char_length(level) <= 4000", name=op.f("ck_calibration_signature_level_length")),
        sa.CheckConstraint("char_length(note) <= 4000", name=op.f("ck_calibration_signature_note_length")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_signature_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_signature_run_id")),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_calibration_signature")),
    )
    op.create_index("ix_calibration_signature_signed_at", "calibration_signature", ["signed_at"], unique=False)
    op.create_table(
        "calibration_step",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("after_seq", sa.BigInteger(), nullable=False),
        sa.CheckConstraint("char_length(step) <= 120", name=op.f("ck_calibration_step_step_length")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_step_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_step_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration_step")),
    )
    op.create_index("ix_calibration_step_run_id", "calibration_step", ["run_id"], unique=False)
    op.create_table(
        "care_withdrawal",
        sa.Column("care_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
        sa.CheckConstraint("char_length(reason) <= 4000", name=op.f("ck_care_withdrawal_reason_length")),
        sa.ForeignKeyConstraint(["care_id"], ["care_record.id"], name=op.f("fk_care_withdrawal_care_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_care_withdrawal_person_id")),
        sa.PrimaryKeyConstraint("care_id", name=op.f("pk_care_withdrawal")),
    )
    op.create_table(
        "inspection_photo",
        sa.Column("inspection_id", sa.Uuid(), nullable=False),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["inspection_id"], ["inspection.id"], name=op.f("fk_inspection_photo_inspection_id")),
        sa.PrimaryKeyConstraint("inspection_id", name=op.f("pk_inspection_photo")),
    )
    op.create_table(
        "reading",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("site_id", sa.Uuid(), nullable=False),
        sa.Column("probe_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("recorded_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("calibration_run_id", sa.Uuid(), nullable=True),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("quantity", sa.Text(), nullable=False),
        sa.Column("value", sa.Double(), nullable=False),
        sa.Column("u", sa.Double(), nullable=False),
        sa.Column("unit", sa.Text(), nullable=False),
        sa.Column("signal", sa.Double(), nullable=True),
        sa.Column("signal_unit", sa.Text(), nullable=False),
        sa.Column("temperature_c", sa.Double(), nullable=False),
        sa.Column("shown", sa.Double(), nullable=True),
        sa.Column("meter_setting_c", sa.Double(), nullable=True),
        sa.Column("reference", sa.Text(), nullable=False),
        sa.Column("despite", sa.Text(), server_default=sa.text("''"), nullable=False),
        sa.Column("derived", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("level", sa.Text(), nullable=False),
        sa.Column("budget", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("working", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("acceptance", sa.Text(), nullable=False),
        sa.Column("settling_words", sa.Text(), nullable=False),
        sa.Column("settling_s", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("amends_id", sa.Uuid(), nullable=True),
        sa.Column("amend_reason", sa.Text(), nullable=True),
        sa.CheckConstraint("acceptance IN ('settled', 'unsettled', 'by-eye')", name=op.f("ck_reading_acceptance")),
        sa.CheckConstraint(
            "meter_setting_c > '-Infinity' AND meter_setting_c < 'Infinity'",
            name=op.f("ck_reading_meter_setting_c_finite"),
        ),
        sa.CheckConstraint(
            "settling_s > '-Infinity' AND settling_s < 'Infinity'", name=op.f("ck_reading_settling_s_finite")
        ),
        sa.CheckConstraint("shown > '-Infinity' AND shown < 'Infinity'", name=op.f("ck_reading_shown_finite")),
        sa.CheckConstraint("signal > '-Infinity' AND signal < 'Infinity'", name=op.f("ck_reading_signal_finite")),
        sa.CheckConstraint("source IN ('device', 'typed-signal', 'typed-value')", name=op.f("ck_reading_source")),
        sa.CheckConstraint(
            "temperature_c > '-Infinity' AND temperature_c < 'Infinity'", name=op.f("ck_reading_temperature_c_finite")
        ),
        sa.CheckConstraint("u > '-Infinity' AND u < 'Infinity'", name=op.f("ck_reading_u_finite")),
        sa.CheckConstraint("value > '-Infinity' AND value < 'Infinity'", name=op.f("ck_reading_value_finite")),
        sa.CheckConstraint(
            "(amends_id IS NULL) = (amend_reason IS NULL)", name=op.f("ck_reading_amendment_has_reason")
        ),
        sa.CheckConstraint("char_length(acceptance) <= 4000", name=op.f("ck_reading_acceptance_length")),
        sa.CheckConstraint("char_length(amend_reason) <= 4000", name=op.f("ck_reading_amend_reason_length")),
        sa.CheckConstraint("char_length(despite) <= 4000", name=op.f("ck_reading_despite_length")),
        sa.CheckConstraint("char_length(level) <= 4000", name=op.f("ck_reading_level_length")),
        sa.CheckConstraint("char_length(note) <= 4000", name=op.f("ck_reading_note_length")),
        sa.CheckConstraint("char_length(quantity) <= 120", name=op.f("ck_reading_quantity_length")),
        sa.CheckConstraint("char_length(reference) <= 4000", name=op.f("ck_reading_reference_length")),
        sa.CheckConstraint("char_length(settling_words) <= 4000", name=op.f("ck_reading_settling_words_length")),
        sa.CheckConstraint("char_length(signal_unit) <= 4000", name=op.f("ck_reading_signal_unit_length")),
        sa.CheckConstraint("char_length(source) <= 4000", name=op.f("ck_reading_source_length")),
        sa.CheckConstraint("char_length(unit) <= 4000", name=op.f("ck_reading_unit_length")),
        sa.ForeignKeyConstraint(["amends_id"], ["reading.id"], name=op.f("fk_reading_amends_id")),
        sa.ForeignKeyConstraint(
            ["calibration_run_id"], ["calibration_run.id"], name=op.f("fk_reading_calibration_run_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_reading_person_id")),
        sa.ForeignKeyConstraint(["probe_id"], ["probe.id"], name=op.f("fk_reading_probe_id")),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_reading_site_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_reading")),
    )
    op.create_index("ix_reading_probe_id_taken_at", "reading", ["probe_id", "taken_at"], unique=False)
    op.create_index(
        "ix_reading_site_id_quantity_taken_at", "reading", ["site_id", "quantity", "taken_at"], unique=False
    )
    op.create_index("ix_reading_taken_at", "reading", ["taken_at"], unique=False)
    op.create_index("uq_reading_amends_id", "reading", ["amends_id"], unique=True)
    op.create_table(
        "calibration_point",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("begun_id", sa.Uuid(), nullable=True),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("use", sa.Text(), nullable=False),
        sa.Column("lot_id", sa.Uuid(), nullable=True),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("nominal", sa.Double(), nullable=True),
        sa.Column("family", sa.Text(), nullable=False),
        sa.Column("target", sa.Double(), nullable=False),
        sa.Column("target_u", sa.Double(), nullable=False),
        sa.Column("target_unit", sa.Text(), nullable=False),
        sa.Column("target_known", sa.Boolean(), nullable=False),
        sa.Column("signal", sa.Double(), nullable=True),
        sa.Column("signal_unit", sa.Text(), nullable=False),
        sa.Column("temperature_c", sa.Double(), nullable=False),
        sa.Column("pressure_hpa", sa.Double(), nullable=True),
        sa.Column("shown_before", sa.Double(), nullable=True),
        sa.Column("shown_after", sa.Double(), nullable=True),
        sa.Column("expired_days", sa.Integer(), nullable=False),
        sa.Column("over_open_days", sa.Integer(), nullable=False),
        sa.Column("acceptance", sa.Text(), nullable=False),
        sa.Column("settling_words", sa.Text(), nullable=False),
        sa.Column("settling_s", sa.Double(), nullable=True),
        sa.Column("first_signal", sa.Double(), nullable=True),
        sa.Column("left_over", sa.Double(), nullable=True),
        sa.Column("deviations", sa.ARRAY(sa.Text()), nullable=False),
        sa.CheckConstraint(
            "acceptance IN ('settled', 'unsettled', 'by-eye')", name=op.f("ck_calibration_point_acceptance")
        ),
        sa.CheckConstraint(
            "first_signal > '-Infinity' AND first_signal < 'Infinity'",
            name=op.f("ck_calibration_point_first_signal_finite"),
        ),
        sa.CheckConstraint(
            "left_over > '-Infinity' AND left_over < 'Infinity'", name=op.f("ck_calibration_point_left_over_finite")
        ),
        sa.CheckConstraint(
            "nominal > '-Infinity' AND nominal < 'Infinity'", name=op.f("ck_calibration_point_nominal_finite")
        ),
        sa.CheckConstraint(
            "pressure_hpa > '-Infinity' AND pressure_hpa < 'Infinity'",
            name=op.f("ck_calibration_point_pressure_hpa_finite"),
        ),
        sa.CheckConstraint(
            "settling_s > '-Infinity' AND settling_s < 'Infinity'", name=op.f("ck_calibration_point_settling_s_finite")
        ),
        sa.CheckConstraint(
            "shown_after > '-Infinity' AND shown_after < 'Infinity'",
            name=op.f("ck_calibration_point_shown_after_finite"),
        ),
        sa.CheckConstraint(
            "shown_before > '-Infinity' AND shown_before < 'Infinity'",
            name=op.f("ck_calibration_point_shown_before_finite"),
        ),
        sa.CheckConstraint(
            "signal > '-Infinity' AND signal < 'Infinity'", name=op.f("ck_calibration_point_signal_finite")
        ),
        sa.CheckConstraint(
            "source IN ('device', 'typed-signal', 'typed-value')", name=op.f("ck_calibration_point_source")
        ),
        sa.CheckConstraint(
            "target > '-Infinity' AND target < 'Infinity'", name=op.f("ck_calibration_point_target_finite")
        ),
        sa.CheckConstraint(
            "target_u > '-Infinity' AND target_u < 'Infinity'", name=op.f("ck_calibration_point_target_u_finite")
        ),
        sa.CheckConstraint(
            "temperature_c > '-Infinity' AND temperature_c < 'Infinity'",
            name=op.f("ck_calibration_point_temperature_c_finite"),
        ),
        sa.CheckConstraint("char_length(acceptance) <= 4000", name=op.f("ck_calibration_point_acceptance_length")),
        sa.CheckConstraint("char_length(family) <= 4000", name=op.f("ck_calibration_point_family_length")),
        sa.CheckConstraint(
            "char_length(settling_words) <= 4000", name=op.f("ck_calibration_point_settling_words_length")
        ),
        sa.CheckConstraint("char_length(signal_unit) <= 4000", name=op.f("ck_calibration_point_signal_unit_length")),
        sa.CheckConstraint("char_length(source) <= 4000", name=op.f("ck_calibration_point_source_length")),
        sa.CheckConstraint("char_length(step) <= 120", name=op.f("ck_calibration_point_step_length")),
        sa.CheckConstraint("char_length(target_unit) <= 4000", name=op.f("ck_calibration_point_target_unit_length")),
        sa.CheckConstraint("char_length(use) <= 4000", name=op.f("ck_calibration_point_use_length")),
        sa.ForeignKeyConstraint(["begun_id"], ["calibration_step.id"], name=op.f("fk_calibration_point_begun_id")),
        sa.ForeignKeyConstraint(["lot_id"], ["lot.id"], name=op.f("fk_calibration_point_lot_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_point_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_point_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration_point")),
    )
    op.create_index("ix_calibration_point_lot_id", "calibration_point", ["lot_id"], unique=False)
    op.create_index("ix_calibration_point_run_id", "calibration_point", ["run_id"], unique=False)
    op.create_table(
        "reading_finding",
        sa.Column("reading_id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.Integer(), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("level", sa.Text(), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("remedy", sa.Text(), nullable=False),
        sa.Column("minutes", sa.Integer(), nullable=True),
        sa.Column("source", sa.Text(), nullable=False),
        sa.CheckConstraint("char_length(code) <= 120", name=op.f("ck_reading_finding_code_length")),
        sa.CheckConstraint("char_length(level) <= 4000", name=op.f("ck_reading_finding_level_length")),
        sa.CheckConstraint("char_length(remedy) <= 4000", name=op.f("ck_reading_finding_remedy_length")),
        sa.CheckConstraint("char_length(sentence) <= 4000", name=op.f("ck_reading_finding_sentence_length")),
        sa.CheckConstraint("char_length(source) <= 4000", name=op.f("ck_reading_finding_source_length")),
        sa.ForeignKeyConstraint(["reading_id"], ["reading.id"], name=op.f("fk_reading_finding_reading_id")),
        sa.PrimaryKeyConstraint("reading_id", "ordinal", name=op.f("pk_reading_finding")),
    )
    op.create_table(
        "reading_trace",
        sa.Column("reading_id", sa.Uuid(), nullable=False),
        sa.Column("times_s", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("signal", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("temperature_c", sa.ARRAY(sa.Double()), nullable=False),
        sa.CheckConstraint(
            "NOT ('NaN' = ANY (signal) OR 'Infinity' = ANY (signal) OR '-Infinity' = ANY (signal))",
            name=op.f("ck_reading_trace_signal_finite"),
        ),
        sa.CheckConstraint(
            "NOT ('NaN' = ANY (temperature_c) OR 'Infinity' = ANY (temperature_c) OR '-Infinity' = ANY (temperature_c))",
            name=op.f("ck_reading_trace_temperature_c_finite"),
        ),
        sa.CheckConstraint(
            "NOT ('NaN' = ANY (times_s) OR 'Infinity' = ANY (times_s) OR '-Infinity' = ANY (times_s))",
            name=op.f("ck_reading_trace_times_s_finite"),
        ),
        sa.ForeignKeyConstraint(["reading_id"], ["reading.id"], name=op.f("fk_reading_trace_reading_id")),
        sa.PrimaryKeyConstraint("reading_id", name=op.f("pk_reading_trace")),
    )
    op.create_table(
        "calibration_trace",
        sa.Column("point_id", sa.Uuid(), nullable=False),
        sa.Column("times_s", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("signal", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("temperature_c", sa.ARRAY(sa.Double()), nullable=False),
        sa.CheckConstraint(
            "NOT ('NaN' = ANY (signal) OR 'Infinity' = ANY (signal) OR '-Infinity' = ANY (signal))",
            name=op.f("ck_calibration_trace_signal_finite"),
        ),
        sa.CheckConstraint(
            "NOT ('NaN' = ANY (temperature_c) OR 'Infinity' = ANY (temperature_c) OR '-Infinity' = ANY (temperature_c))",
            name=op.f("ck_calibration_trace_temperature_c_finite"),
        ),
        sa.CheckConstraint(
            "NOT ('NaN' = ANY (times_s) OR 'Infinity' = ANY (times_s) OR '-Infinity' = ANY (times_s))",
            name=op.f("ck_calibration_trace_times_s_finite"),
        ),
        sa.ForeignKeyConstraint(["point_id"], ["calibration_point.id"], name=op.f("fk_calibration_trace_point_id")),
        sa.PrimaryKeyConstraint("point_id", name=op.f("pk_calibration_trace")),
    )

    op.execute(GUARDS)
    for table in FACTS:
        op.execute(
            f"CREATE TRIGGER {table}_kept BEFORE UPDATE OR DELETE ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_change()"
        )
        op.execute(
            f"CREATE TRIGGER {table}_not_emptied BEFORE TRUNCATE ON {table} "
            "FOR EACH STATEMENT EXECUTE FUNCTION brumel_refuse_change()"
        )
    for table in ("calibration_step", "calibration_point", "calibration_signature", "calibration_abandonment"):
        op.execute(
            f"CREATE TRIGGER {table}_open_run BEFORE INSERT ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_closed_run()"
        )
    # After the trigger above, by name: its lock is held.
    op.execute(
        "CREATE TRIGGER calibration_signature_points BEFORE INSERT ON calibration_signature "
        "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_other_points()"
    )


def downgrade() -> None:
    op.drop_table("calibration_trace")
    op.drop_table("reading_trace")
    op.drop_table("reading_finding")
    op.drop_index("ix_calibration_point_run_id", table_name="calibration_point")
    op.drop_index("ix_calibration_point_lot_id", table_name="calibration_point")
    op.drop_table("calibration_point")
    op.drop_index("uq_reading_amends_id", table_name="reading")
    op.drop_index("ix_reading_taken_at", table_name="reading")
    op.drop_index("ix_reading_site_id_quantity_taken_at", table_name="reading")
    op.drop_index("ix_reading_probe_id_taken_at", table_name="reading")
    op.drop_table("reading")
    op.drop_table("inspection_photo")
    op.drop_table("care_withdrawal")
    op.drop_index("ix_calibration_step_run_id", table_name="calibration_step")
    op.drop_table("calibration_step")
    op.drop_index("ix_calibration_signature_signed_at", table_name="calibration_signature")
    op.drop_table("calibration_signature")
    op.drop_table("calibration_finding")
    op.drop_table("calibration_coefficient")
    op.drop_index(
        "uq_calibration_amendment_withdrawal",
        table_name="calibration_amendment",
        postgresql_where=sa.text("kind = 'withdrawal'"),
    )
    op.drop_table("calibration_amendment")
    op.drop_table("calibration_abandonment")
    op.drop_index("ix_inspection_probe_id_at", table_name="inspection")
    op.drop_table("inspection")
    op.drop_index("ix_care_record_probe_id_at", table_name="care_record")
    op.drop_table("care_record")
    op.drop_index("ix_calibration_run_probe_id_started_at", table_name="calibration_run")
    op.drop_table("calibration_run")
    op.drop_table("site_range")
    op.drop_table("probe")
    op.drop_index("ix_planned_round_departure", table_name="planned_round")
    op.drop_table("planned_round")
    op.drop_index("ix_meter_record_meter_id_at", table_name="meter_record")
    op.drop_table("meter_record")
    op.drop_index("ix_lot_record_lot_id", table_name="lot_record")
    op.drop_table("lot_record")
    op.drop_table("lot_certificate")
    op.drop_index("ix_device_sample_device_id_seq", table_name="device_sample")
    op.drop_table("device_sample")
    op.drop_table("site")
    op.drop_table("person")
    op.drop_table("meter")
    op.drop_table("lot")
    op.drop_index("ix_login_attempt_login_at", table_name="login_attempt")
    op.drop_table("login_attempt")
    op.drop_table("device")
    for function in ("brumel_refuse_other_points", "brumel_refuse_closed_run", "brumel_refuse_change"):
        op.execute(f"DROP FUNCTION {function}()")
