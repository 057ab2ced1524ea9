"""The first schema: reference, facts that are only added to, and live samples."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0001"
down_revision = None


# Tables whose rows are only ever added. The list is frozen here with the schema that it guards.
FACTS = (
    "calibration_run",
    "calibration_immersion",
    "calibration_point",
    "calibration_trace",
    "calibration_signature",
    "calibration_finding",
    "calibration_abandonment",
    "calibration_amendment",
    "reading",
    "reading_trace",
    "reading_finding",
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
"""


def upgrade() -> None:
    op.create_table(
        "device",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("url", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("value_order", sa.ARRAY(sa.Text()), nullable=False),
        sa.Column("period_s", sa.Double(), nullable=False),
        sa.Column("clock_rate", sa.Double(), server_default=sa.text("1"), nullable=False),
        sa.Column("control", sa.Text(), nullable=True),
        sa.Column("wanted_until", sa.DateTime(timezone=True), nullable=True),
        sa.Column("status", sa.Text(), server_default=sa.text("'idle'"), nullable=False),
        sa.Column("status_words", sa.Text(), server_default=sa.text("''"), nullable=False),
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
        sa.PrimaryKeyConstraint("id", name=op.f("pk_login_attempt")),
    )
    op.create_index("ix_login_attempt_login_at", "login_attempt", ["login", "at"], unique=False)
    op.create_table(
        "lot",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("lot_number", sa.Text(), nullable=False),
        sa.Column("family", sa.Text(), nullable=False),
        sa.Column("nominal_ph", sa.Double(), nullable=False),
        sa.Column("received_on", sa.Date(), nullable=False),
        sa.Column("expires_on", sa.Date(), nullable=False),
        sa.Column("opened_on", sa.Date(), nullable=True),
        sa.Column("open_life_days", sa.Integer(), nullable=False),
        sa.Column("certificate_u_ph", sa.Double(), nullable=True),
        sa.Column("value_table", postgresql.JSONB(astext_type=sa.Text()), nullable=True),
        sa.CheckConstraint("expires_on >= received_on", name=op.f("ck_lot_expiry_after_receipt")),
        sa.CheckConstraint("opened_on >= received_on", name=op.f("ck_lot_opened_after_receipt")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lot")),
        sa.UniqueConstraint("lot_number", name=op.f("uq_lot_lot_number")),
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
        sa.CheckConstraint("login = lower(login)", name=op.f("ck_person_login_lower")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person")),
        sa.UniqueConstraint("login", name=op.f("uq_person_login")),
    )
    op.create_table(
        "site",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("water_kind", sa.Text(), nullable=False),
        sa.Column("expected_ph_low", sa.Double(), nullable=False),
        sa.Column("expected_ph_high", sa.Double(), nullable=False),
        sa.Column("visit_every_days", sa.Integer(), nullable=False),
        sa.CheckConstraint("expected_ph_low < expected_ph_high", name=op.f("ck_site_expected_ph")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site")),
        sa.UniqueConstraint("code", name=op.f("uq_site_code")),
    )
    op.create_table(
        "device_sample",
        sa.Column("seq", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("device_id", sa.Uuid(), nullable=False),
        sa.Column("time_s", sa.Double(), nullable=False),
        sa.Column("mv", sa.Double(), nullable=False),
        sa.Column("temperature_c", sa.Double(), nullable=False),
        sa.Column("stored_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_device_sample_device_id")),
        sa.PrimaryKeyConstraint("seq", name=op.f("pk_device_sample")),
    )
    op.create_index("ix_device_sample_device_id_seq", "device_sample", ["device_id", "seq"], unique=False)
    op.create_table(
        "probe",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("label", sa.Text(), nullable=False),
        sa.Column("serial", sa.Text(), nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("kit", sa.Text(), nullable=False),
        sa.Column("in_service_on", sa.Date(), nullable=False),
        sa.Column("device_id", sa.Uuid(), nullable=True),
        sa.ForeignKeyConstraint(["device_id"], ["device.id"], name=op.f("fk_probe_device_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_probe")),
        sa.UniqueConstraint("label", name=op.f("uq_probe_label")),
        sa.UniqueConstraint("serial", name=op.f("uq_probe_serial")),
    )
    op.create_table(
        "calibration_run",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("probe_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("method_code", sa.Text(), nullable=False),
        sa.Column("method", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("rinse", sa.Text(), nullable=False),
        sa.Column("lots", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("waters_ph_low", sa.Double(), nullable=True),
        sa.Column("waters_ph_high", sa.Double(), nullable=True),
        sa.Column("new_electrode", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_run_person_id")),
        sa.ForeignKeyConstraint(["probe_id"], ["probe.id"], name=op.f("fk_calibration_run_probe_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration_run")),
    )
    op.create_index(
        "ix_calibration_run_probe_id_started_at", "calibration_run", ["probe_id", "started_at"], unique=False
    )
    op.create_table(
        "calibration_abandonment",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("reason", sa.Text(), nullable=False),
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
        "calibration_finding",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.Integer(), nullable=False),
        sa.Column("code", sa.Text(), nullable=False),
        sa.Column("level", sa.Text(), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("remedy", sa.Text(), nullable=False),
        sa.Column("minutes", sa.Integer(), nullable=True),
        sa.Column("source", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_finding_run_id")),
        sa.PrimaryKeyConstraint("run_id", "ordinal", name=op.f("pk_calibration_finding")),
    )
    op.create_table(
        "calibration_immersion",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("after_seq", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_immersion_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration_immersion")),
    )
    op.create_index("ix_calibration_immersion_run_id", "calibration_immersion", ["run_id"], unique=False)
    op.create_table(
        "calibration_point",
        sa.Column("id", sa.Uuid(), nullable=False),
        sa.Column("ordinal", sa.BigInteger(), sa.Identity(always=False), nullable=False),
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("step", sa.Text(), nullable=False),
        sa.Column("use", sa.Text(), nullable=False),
        sa.Column("lot_id", sa.Uuid(), nullable=False),
        sa.Column("taken_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("mv", sa.Double(), nullable=False),
        sa.Column("temperature_c", sa.Double(), nullable=False),
        sa.Column("nominal_ph", sa.Double(), nullable=False),
        sa.Column("family", sa.Text(), nullable=False),
        sa.Column("buffer_ph", sa.Double(), nullable=False),
        sa.Column("buffer_u_ph", sa.Double(), nullable=False),
        sa.Column("value_known", sa.Boolean(), nullable=False),
        sa.Column("expired_days", sa.Integer(), nullable=False),
        sa.Column("over_open_days", sa.Integer(), nullable=False),
        sa.Column("settled", sa.Boolean(), nullable=False),
        sa.Column("settling_words", sa.Text(), nullable=False),
        sa.Column("settling_s", sa.Double(), nullable=True),
        sa.Column("deviations", sa.ARRAY(sa.Text()), nullable=False),
        sa.CheckConstraint("source IN ('device', 'typed-mv', 'typed-ph')", name=op.f("ck_calibration_point_source")),
        sa.ForeignKeyConstraint(["lot_id"], ["lot.id"], name=op.f("fk_calibration_point_lot_id")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_point_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_point_run_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calibration_point")),
    )
    op.create_index("ix_calibration_point_run_id", "calibration_point", ["run_id"], unique=False)
    op.create_table(
        "calibration_signature",
        sa.Column("run_id", sa.Uuid(), nullable=False),
        sa.Column("person_id", sa.Uuid(), nullable=False),
        sa.Column("signed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("level", sa.Text(), nullable=False),
        sa.Column("slope_percent", sa.Double(), nullable=False),
        sa.Column("offset_mv", sa.Double(), nullable=False),
        sa.Column("u_slope_percent", sa.Double(), nullable=False),
        sa.Column("u_offset_mv", sa.Double(), nullable=False),
        sa.Column("covariance", sa.Double(), nullable=False),
        sa.Column("slope_origin", sa.Text(), nullable=False),
        sa.Column("buffers_ph_low", sa.Double(), nullable=False),
        sa.Column("buffers_ph_high", sa.Double(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calibration_signature_person_id")),
        sa.ForeignKeyConstraint(["run_id"], ["calibration_run.id"], name=op.f("fk_calibration_signature_run_id")),
        sa.PrimaryKeyConstraint("run_id", name=op.f("pk_calibration_signature")),
    )
    op.create_index("ix_calibration_signature_signed_at", "calibration_signature", ["signed_at"], unique=False)
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
        sa.Column("mv", sa.Double(), nullable=True),
        sa.Column("temperature_c", sa.Double(), nullable=False),
        sa.Column("shown_ph", sa.Double(), nullable=True),
        sa.Column("meter_setting_c", sa.Double(), nullable=True),
        sa.Column("ph", sa.Double(), nullable=False),
        sa.Column("u_ph", sa.Double(), nullable=False),
        sa.Column("level", sa.Text(), nullable=False),
        sa.Column("budget", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("working", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("settled", sa.Boolean(), nullable=True),
        sa.Column("settling_words", sa.Text(), nullable=False),
        sa.Column("settling_s", sa.Double(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("amends_id", sa.Uuid(), nullable=True),
        sa.Column("amend_reason", sa.Text(), nullable=True),
        sa.CheckConstraint("source IN ('device', 'typed-mv', 'typed-ph')", name=op.f("ck_reading_source")),
        sa.CheckConstraint(
            "(amends_id IS NULL) = (amend_reason IS NULL)", name=op.f("ck_reading_amendment_has_reason")
        ),
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
    op.create_index("ix_reading_site_id_taken_at", "reading", ["site_id", "taken_at"], unique=False)
    op.create_index("ix_reading_taken_at", "reading", ["taken_at"], unique=False)
    op.create_index("uq_reading_amends_id", "reading", ["amends_id"], unique=True)
    op.create_table(
        "calibration_trace",
        sa.Column("point_id", sa.Uuid(), nullable=False),
        sa.Column("times_s", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("mv", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("temperature_c", sa.ARRAY(sa.Double()), nullable=False),
        sa.ForeignKeyConstraint(["point_id"], ["calibration_point.id"], name=op.f("fk_calibration_trace_point_id")),
        sa.PrimaryKeyConstraint("point_id", name=op.f("pk_calibration_trace")),
    )
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
        sa.ForeignKeyConstraint(["reading_id"], ["reading.id"], name=op.f("fk_reading_finding_reading_id")),
        sa.PrimaryKeyConstraint("reading_id", "ordinal", name=op.f("pk_reading_finding")),
    )
    op.create_table(
        "reading_trace",
        sa.Column("reading_id", sa.Uuid(), nullable=False),
        sa.Column("times_s", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("mv", sa.ARRAY(sa.Double()), nullable=False),
        sa.Column("temperature_c", sa.ARRAY(sa.Double()), nullable=False),
        sa.ForeignKeyConstraint(["reading_id"], ["reading.id"], name=op.f("fk_reading_trace_reading_id")),
        sa.PrimaryKeyConstraint("reading_id", name=op.f("pk_reading_trace")),
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
    for table in ("calibration_immersion", "calibration_point", "calibration_signature", "calibration_abandonment"):
        op.execute(
            f"CREATE TRIGGER {table}_open_run BEFORE INSERT ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_closed_run()"
        )


def downgrade() -> None:
    op.drop_table("reading_trace")
    op.drop_table("reading_finding")
    op.drop_table("calibration_trace")
    op.drop_index("uq_reading_amends_id", table_name="reading")
    op.drop_index("ix_reading_taken_at", table_name="reading")
    op.drop_index("ix_reading_site_id_taken_at", table_name="reading")
    op.drop_index("ix_reading_probe_id_taken_at", table_name="reading")
    op.drop_table("reading")
    op.drop_index("ix_calibration_signature_signed_at", table_name="calibration_signature")
    op.drop_table("calibration_signature")
    op.drop_index("ix_calibration_point_run_id", table_name="calibration_point")
    op.drop_table("calibration_point")
    op.drop_index("ix_calibration_immersion_run_id", table_name="calibration_immersion")
    op.drop_table("calibration_immersion")
    op.drop_table("calibration_finding")
    op.drop_index(
        "uq_calibration_amendment_withdrawal",
        table_name="calibration_amendment",
        postgresql_where=sa.text("kind = 'withdrawal'"),
    )
    op.drop_table("calibration_amendment")
    op.drop_table("calibration_abandonment")
    op.drop_index("ix_calibration_run_probe_id_started_at", table_name="calibration_run")
    op.drop_table("calibration_run")
    op.drop_table("probe")
    op.drop_index("ix_device_sample_device_id_seq", table_name="device_sample")
    op.drop_table("device_sample")
    op.drop_table("site")
    op.drop_table("person")
    op.drop_table("lot")
    op.drop_index("ix_login_attempt_login_at", table_name="login_attempt")
    op.drop_table("login_attempt")
    op.drop_table("device")
    op.execute("DROP FUNCTION brumel_refuse_closed_run()")
    op.execute("DROP FUNCTION brumel_refuse_change()")
