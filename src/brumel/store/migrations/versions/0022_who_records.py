"""The database knows who asks: secrets, stays and attempts are the owner's, who records a fact is put by its trigger.

The application could record in anybody's name, at any moment, and sign in as whom it liked. Now the web hands over a
key that the owner's function gave for a password, and what is recorded is recorded by whom that key belongs to.
"""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"

_PATH = "SECURITY DEFINER SET search_path = public, pg_temp"
_MOMENTS = {
    "calibration_run": "started_at", "calibration_step": "at", "calibration_point": "taken_at",
    "calibration_signature": "signed_at", "calibration_abandonment": "at", "calibration_amendment": "at",
    "calibration_entry": "at", "care_withdrawal": "at", "inspection": "at", "meter_record": "at", "lot_record": "at",
    "lot_certificate": "at", "visit_entry": "at", "visit_photo": "at", "acknowledgement": "at", "site_limit": "at",
    "site_setting": "at", "reading": "recorded_at", "visit": "recorded_at", "care_record": "recorded_at",
}  # fmt: skip
"""Facts that stand by themselves, and what is known of when they were recorded before somebody noted it."""
_HAD_IT = ("reading", "visit", "care_record")
_HANGING = {
    "calibration_trace": ("calibration_point", "id", "point_id"),
    "calibration_coefficient": ("calibration_signature", "run_id", "run_id"),
    "calibration_finding": ("calibration_signature", "run_id", "run_id"),
    "reading_trace": ("reading", "id", "reading_id"),
    "reading_finding": ("reading", "id", "reading_id"),
    "reading_basis": ("reading", "id", "reading_id"),
    "inspection_photo": ("inspection", "id", "inspection_id"),
}
_NUMBERS = """
calibration_coefficient.u calibration_coefficient.value calibration_point.first_signal calibration_point.left_over
calibration_point.nominal calibration_point.pressure_hpa calibration_point.settling_s calibration_point.shown_after
calibration_point.shown_before calibration_point.signal calibration_point.target calibration_point.target_u
calibration_point.temperature_c calibration_run.waters_high calibration_run.waters_low
calibration_signature.targets_high calibration_signature.targets_low calibration_signature.temperature_c
care_record.minutes lot_record.amount reading.depth_m reading.meter_setting_c reading.settling_s reading.shown
reading.signal reading.temperature_c reading.u reading.value site_limit.high site_limit.low site_setting.altitude_m
"""

_SECRETS = """
CREATE FUNCTION pg_temp.decoded(part text) RETURNS bytea LANGUAGE sql AS $$
    SELECT decode(rpad(part, (4 * ceil(length(part) / 4.0))::int, '='), 'base64')
$$;
INSERT INTO person_secret (person_id, salt, time_cost, memory_cost, parallelism, hash)
SELECT id, pg_temp.decoded(found[4]), found[2]::int, found[1]::int, found[3]::int, sha256(pg_temp.decoded(found[5]))
FROM person, regexp_match(password_hash, '^\\$argon2id\\$v=19\\$m=(\\d+),t=(\\d+),p=(\\d+)\\$([^$]+)\\$([^$]+)$') AS found
WHERE found IS NOT NULL;
INSERT INTO house_secret SELECT sha256(convert_to(gen_random_uuid()::text || gen_random_uuid()::text, 'UTF8'));
"""

_SIGN_IN = f"""
CREATE FUNCTION brumel_hash(key text) RETURNS text LANGUAGE sql IMMUTABLE SET search_path = public, pg_temp AS $$
    SELECT encode(sha256(convert_to(key, 'UTF8')), 'hex')
$$;

-- How long who fails must wait, s: twice as long after each failure beyond some that cost nothing.
CREATE FUNCTION brumel_wait(failed bigint, since_s float8, free int, longest_s float8) RETURNS float8
    LANGUAGE sql IMMUTABLE SET search_path = public, pg_temp AS $$
    SELECT greatest(
        CASE WHEN failed >= free THEN least(2.0 ^ least(failed - free, 30), longest_s) ELSE 0 END - since_s, 0
    )
$$;

-- A browser is known by a name that somebody signed in by from it: nobody else's guesses keep them out there.
CREATE FUNCTION brumel_known(of_login text, from_browser text) RETURNS text LANGUAGE sql STABLE {_PATH} AS $$
    SELECT CASE WHEN from_browser <> '' AND EXISTS (
        SELECT FROM login_attempt WHERE login = of_login AND succeeded AND came_from = from_browser
    ) THEN from_browser ELSE '' END
$$;

-- By name and address; from a known browser by that alone. An attempt counts from its beginning on, and the row of its
-- success comes after that; of an address a success forgives its own beginning only, for others are there too.
CREATE FUNCTION brumel_wait_of(of_login text, of_address text, known text) RETURNS float8
    LANGUAGE sql STABLE {_PATH} AS $$
    WITH recent AS (SELECT * FROM login_attempt WHERE at > now() - interval '1 hour'),
    named AS (SELECT * FROM recent WHERE login = of_login AND browser = known),
    there AS (SELECT * FROM recent WHERE address = of_address AND browser = '')
    SELECT greatest(
        (SELECT brumel_wait(
            count(*) FILTER (WHERE NOT succeeded AND id > coalesce((SELECT max(id) FROM named WHERE succeeded), 0)),
            coalesce(extract(epoch FROM clock_timestamp() - max(at) FILTER (WHERE NOT succeeded)), 3600)::float8, 5, 900
        ) FROM named),
        (SELECT CASE WHEN known = '' THEN brumel_wait(
            count(*) FILTER (WHERE NOT succeeded) - count(*) FILTER (WHERE succeeded),
            coalesce(extract(epoch FROM clock_timestamp() - max(at) FILTER (WHERE NOT succeeded)), 3600)::float8, 30, 60
        ) ELSE 0 END FROM there)
    )
$$;

-- What a password is hashed with, and how long to wait before it is. Invented for names that nobody has, and always
-- the same for each, so that nobody learns who there is.
CREATE FUNCTION brumel_how(of_login text, of_address text, from_browser text,
        OUT salt bytea, OUT time_cost int, OUT memory_cost int, OUT parallelism int, OUT wait_s float8)
    LANGUAGE plpgsql STABLE {_PATH} AS $$
BEGIN
    SELECT s.salt, s.time_cost, s.memory_cost, s.parallelism INTO salt, time_cost, memory_cost, parallelism
        FROM person p JOIN person_secret s ON s.person_id = p.id WHERE p.login = of_login;
    IF NOT FOUND THEN
        SELECT s.time_cost, s.memory_cost, s.parallelism INTO time_cost, memory_cost, parallelism
            FROM person_secret s GROUP BY 1, 2, 3 ORDER BY count(*) DESC LIMIT 1;
        salt := (SELECT substring(sha256(h.secret || convert_to(of_login, 'UTF8')) FOR 16) FROM house_secret h);
        time_cost := coalesce(time_cost, 3);
        memory_cost := coalesce(memory_cost, 65536);
        parallelism := coalesce(parallelism, 4);
    END IF;
    wait_s := brumel_wait_of(of_login, of_address, brumel_known(of_login, from_browser));
END $$;

-- Gives a key for a password, as the web hashed it; none where it doesn't fit. Each attempt is counted before it is
-- looked at, one after the other by name and by address.
CREATE FUNCTION brumel_sign_in(of_login text, proof bytea, of_address text, from_browser text, stays interval,
        OUT key text, OUT who uuid, OUT wait_s float8)
    LANGUAGE plpgsql {_PATH} AS $$
DECLARE
    known text := brumel_known(of_login, from_browser);
BEGIN
    PERFORM pg_advisory_xact_lock(hashtextextended('sign-in by ' || of_login || known, 0));
    IF known = '' THEN
        PERFORM pg_advisory_xact_lock(hashtextextended('sign-in from ' || of_address, 0));
    END IF;
    wait_s := brumel_wait_of(of_login, of_address, known);
    IF wait_s > 0 THEN
        RETURN;
    END IF;
    INSERT INTO login_attempt (login, address, succeeded, browser) VALUES (of_login, of_address, false, known);
    SELECT p.id INTO who FROM person p JOIN person_secret s ON s.person_id = p.id
        WHERE p.login = of_login AND p.active AND s.hash = sha256(proof);
    IF who IS NULL THEN
        RETURN;
    END IF;
    INSERT INTO login_attempt (login, address, succeeded, browser, came_from)
        VALUES (of_login, of_address, true, known, from_browser);
    key := brumel_mint(who, stays, '');
END $$;

-- A new stay of somebody, and its key. For the owner, who needs no password.
CREATE FUNCTION brumel_mint(who uuid, lasts interval, what_for text) RETURNS text LANGUAGE plpgsql {_PATH} AS $$
DECLARE
    key text := replace(gen_random_uuid()::text || gen_random_uuid()::text, '-', '');
BEGIN
    DELETE FROM signed_in WHERE ends_at <= now();
    INSERT INTO signed_in (key_hash, person_id, ends_at, task)
        VALUES (brumel_hash(key), who, now() + least(lasts, interval '400 days'), what_for);
    RETURN key;
END $$;

-- Whose a key is: nobody's once they signed out, were deactivated, or stayed too long. Asked for each fact, so that it
-- is in a language that keeps its plan.
CREATE FUNCTION brumel_who(key text) RETURNS uuid LANGUAGE plpgsql STABLE {_PATH} AS $$
DECLARE
    hashed text := encode(sha256(convert_to(key, 'UTF8')), 'hex');
BEGIN
    RETURN (
        SELECT s.person_id FROM signed_in s JOIN person p ON p.id = s.person_id
        WHERE s.key_hash = hashed AND s.ends_at > clock_timestamp() AND p.active
    );
END $$;

CREATE FUNCTION brumel_sign_out(key text) RETURNS void LANGUAGE sql {_PATH} AS $$
    DELETE FROM signed_in WHERE key_hash = brumel_hash(key)
$$;

DROP FUNCTION brumel_first_person(text, uuid, text, text, text);
CREATE FUNCTION brumel_first_person(hash text, new_id uuid, new_login text, new_name text,
        salt bytea, time_cost int, memory_cost int, parallelism int, proof bytea)
    RETURNS boolean LANGUAGE plpgsql {_PATH} AS $$
BEGIN
    LOCK TABLE invitation IN SHARE ROW EXCLUSIVE MODE;
    IF NOT brumel_invited(hash) THEN
        RETURN false;
    END IF;
    INSERT INTO person (id, login, name, role) VALUES (new_id, new_login, new_name, 'supervisor');
    INSERT INTO person_secret VALUES (new_id, salt, time_cost, memory_cost, parallelism, sha256(proof));
    DELETE FROM invitation;
    RETURN true;
END $$;
"""

_GUARDS = f"""
-- Who records a fact, and when; a reader records none. The owner, who loads and demonstrates, states both; whoever else asks has handed over a
-- key. Another's name is taken in facts from elsewhere only: a file, a phone's round.
CREATE FUNCTION brumel_put_who() RETURNS trigger LANGUAGE plpgsql {_PATH} AS $$
DECLARE
    hashed text;
    as_what text;
BEGIN
    IF session_user = current_user THEN
        NEW.recorded_by := coalesce(NEW.recorded_by, NEW.person_id);
        NEW.recorded_at := coalesce(NEW.recorded_at, nullif(current_setting('brumel.at', true), '')::timestamptz, now());
        RETURN NEW;
    END IF;
    hashed := encode(sha256(convert_to(coalesce(current_setting('brumel.key', true), ''), 'UTF8')), 'hex');
    SELECT s.person_id, p.role, now() INTO NEW.recorded_by, as_what, NEW.recorded_at
        FROM signed_in s JOIN person p ON p.id = s.person_id
        WHERE s.key_hash = hashed AND s.ends_at > clock_timestamp() AND p.active;
    IF NOT FOUND THEN
        RAISE EXCEPTION 'Nobody is signed in who could record this: sign in again, then send it again.'
            USING ERRCODE = 'BR001';
    END IF;
    IF as_what = 'reader' THEN
        RAISE EXCEPTION 'A reader sees and exports; ask a technician to record this.' USING ERRCODE = 'BR001';
    END IF;
    IF NEW.person_id <> NEW.recorded_by AND coalesce(current_setting('brumel.said', true), '') <> 'elsewhere' THEN
        RAISE EXCEPTION 'What somebody else did is recorded by them, or taken in from a file.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;

CREATE OR REPLACE FUNCTION brumel_refuse_all_but_supervisors() RETURNS trigger LANGUAGE plpgsql
    SET search_path = public, pg_temp AS $$
BEGIN
    IF NOT EXISTS (SELECT 1 FROM person WHERE id = NEW.recorded_by AND role = 'supervisor') THEN
        RAISE EXCEPTION 'Only a supervisor does this: ask one.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;

-- What can't be recorded of a quantity is refused, whoever asks; a twentieth beyond lies what was measured at an end.
CREATE FUNCTION brumel_keep_bounds() RETURNS trigger LANGUAGE plpgsql {_PATH} AS $$
DECLARE
    known quantity_bound;
BEGIN
    SELECT * INTO known FROM quantity_bound WHERE quantity = NEW.quantity;
    IF NOT FOUND THEN
        RAISE EXCEPTION 'No quantity is known as %.', left(NEW.quantity, 40) USING ERRCODE = 'BR001';
    END IF;
    IF NEW.unit <> known.unit
        OR NOT NEW.value BETWEEN known.low - 0.05 * (known.high - known.low)
            AND known.high + 0.05 * (known.high - known.low) THEN
        RAISE EXCEPTION '% % can''t be % of any water.', NEW.value, NEW.unit, NEW.quantity USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;
CREATE TRIGGER reading_bounded BEFORE INSERT ON reading FOR EACH ROW EXECUTE FUNCTION brumel_keep_bounds();

-- A lot that was opened or discarded stays so; what was noted wrongly is put right by the owner's trigger.
CREATE FUNCTION brumel_keep_forward() RETURNS trigger LANGUAGE plpgsql SET search_path = public, pg_temp AS $$
BEGIN
    IF current_user <> (SELECT pg_get_userbyid(relowner) FROM pg_class WHERE oid = TG_RELID) AND (
        (OLD.opened_on IS NOT NULL AND NEW.opened_on IS DISTINCT FROM OLD.opened_on)
        OR (OLD.discarded_on IS NOT NULL AND NEW.discarded_on IS DISTINCT FROM OLD.discarded_on)
    ) THEN
        RAISE EXCEPTION 'A lot that was opened or discarded stays so: put right what was noted.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;
CREATE TRIGGER lot_forward BEFORE UPDATE ON lot FOR EACH ROW EXECUTE FUNCTION brumel_keep_forward();
"""


_READERS = """
CREATE FUNCTION brumel_refuse_readers() RETURNS trigger LANGUAGE plpgsql SET search_path = public, pg_temp AS $$
BEGIN
    IF EXISTS (SELECT 1 FROM person WHERE id = NEW.person_id AND role = 'reader') THEN
        RAISE EXCEPTION 'A reader sees and exports; ask a technician to record this.' USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;
"""


def _hangs(table: str, parent: str, key: str, column: str) -> str:
    """A guard of its own for each, so that its plan is kept; within a savepoint a row's transaction is another."""
    return f"""
CREATE FUNCTION brumel_{table}_hangs() RETURNS trigger LANGUAGE plpgsql {_PATH} AS $$
BEGIN
    IF session_user <> current_user AND NOT EXISTS (
        SELECT FROM {parent} p WHERE p.{key} = NEW.{column} AND (
            p.xmin = pg_current_xact_id()::xid
            OR p.recorded_at = now() AND p.recorded_by = brumel_who(coalesce(current_setting('brumel.key', true), ''))
        )
    ) THEN
        RAISE EXCEPTION 'This belongs to a record that stands already, and nothing is added to that.'
            USING ERRCODE = 'BR001';
    END IF;
    RETURN NEW;
END $$;
CREATE TRIGGER {table}_hangs BEFORE INSERT ON {table} FOR EACH ROW EXECUTE FUNCTION brumel_{table}_hangs();
"""


def upgrade() -> None:
    _secrets()
    _stays()
    for table, moment in _MOMENTS.items():
        _stand(table, moment)
    op.create_table(
        "quantity_bound",
        sa.Column("quantity", sa.Text, nullable=False),
        sa.Column("unit", sa.Text, nullable=False),
        sa.Column("low", sa.Double, nullable=False),
        sa.Column("high", sa.Double, nullable=False),
        sa.PrimaryKeyConstraint("quantity", name=op.f("pk_quantity_bound")),
        *(
            sa.CheckConstraint(f"{c} > '-Infinity' AND {c} < 'Infinity'", name=op.f(f"ck_quantity_bound_{c}_finite"))
            for c in ("low", "high")
        ),
        sa.CheckConstraint("char_length(quantity) <= 120", name=op.f("ck_quantity_bound_quantity_length")),
        sa.CheckConstraint("char_length(unit) <= 120", name=op.f("ck_quantity_bound_unit_length")),
    )
    op.execute(_GUARDS)
    op.execute("DROP FUNCTION brumel_refuse_readers() CASCADE")
    for table in _MOMENTS:  # the first by name: those that ask who records come after it
        op.execute(
            f"CREATE TRIGGER {table}_as_who BEFORE INSERT ON {table} FOR EACH ROW EXECUTE FUNCTION brumel_put_who()"
        )
    for table, (parent, key, column) in _HANGING.items():
        op.execute(_hangs(table, parent, key, column))
    op.execute("REVOKE EXECUTE ON ALL FUNCTIONS IN SCHEMA public FROM PUBLIC")
    _reach("{c} BETWEEN -1e12 AND 1e12")


def _secrets() -> None:
    op.create_table(
        "person_secret",
        sa.Column("person_id", sa.Uuid, sa.ForeignKey("person.id"), nullable=False),
        sa.Column("salt", sa.LargeBinary, nullable=False),
        sa.Column("time_cost", sa.Integer, nullable=False),
        sa.Column("memory_cost", sa.Integer, nullable=False),
        sa.Column("parallelism", sa.Integer, nullable=False),
        sa.Column("hash", sa.LargeBinary, nullable=False),
        sa.PrimaryKeyConstraint("person_id", name=op.f("pk_person_secret")),
    )
    op.create_table(
        "house_secret",
        sa.Column("secret", sa.LargeBinary, nullable=False),
        sa.PrimaryKeyConstraint("secret", name=op.f("pk_house_secret")),
    )
    op.execute(_SECRETS)
    op.drop_column("person", "password_hash")


def _stays() -> None:
    """Let those who are signed in stay so: their key's hash stands where the key stood."""
    op.add_column("signed_in", sa.Column("key_hash", sa.Text))
    op.add_column("signed_in", sa.Column("ends_at", sa.DateTime(timezone=True)))
    op.add_column("signed_in", sa.Column("task", sa.Text, server_default=sa.text("''"), nullable=False))
    op.execute(
        "UPDATE signed_in SET key_hash = encode(sha256(convert_to(id::text, 'UTF8')), 'hex'), "
        "ends_at = begun_at + interval '7 days'"
    )
    op.drop_column("signed_in", "id")
    op.alter_column("signed_in", "key_hash", nullable=False)
    op.alter_column("signed_in", "ends_at", nullable=False)
    op.create_primary_key("pk_signed_in", "signed_in", ["key_hash"])
    op.add_column("login_attempt", sa.Column("came_from", sa.Text, server_default=sa.text("''"), nullable=False))
    moment = "ends_at >= '1900-01-01 00:00+00' AND ends_at < '2200-01-01 00:00+00'"
    for table, name, rule in (
        ("signed_in", "ends_at_moment", moment),
        ("signed_in", "key_hash_length", "char_length(key_hash) <= 4000"),
        ("signed_in", "task_length", "char_length(task) <= 4000"),
        ("login_attempt", "came_from_length", "char_length(came_from) <= 4000"),
    ):
        op.create_check_constraint(op.f(f"ck_{table}_{name}"), table, rule)
    op.execute(_SIGN_IN)


def _stand(table: str, moment: str) -> None:
    """Note who recorded what stands: whom it was said of, when it was said."""
    op.add_column(table, sa.Column("recorded_by", sa.Uuid))
    if table not in _HAD_IT:
        op.add_column(table, sa.Column("recorded_at", sa.DateTime(timezone=True)))
    op.execute(f"ALTER TABLE {table} DISABLE TRIGGER USER")
    op.execute(f"UPDATE {table} SET recorded_by = person_id, recorded_at = {moment}")
    op.execute(f"ALTER TABLE {table} ENABLE TRIGGER USER")
    op.alter_column(table, "recorded_by", nullable=False)
    op.alter_column(table, "recorded_at", nullable=False)
    if table not in _HAD_IT:
        rule = "recorded_at >= '1900-01-01 00:00+00' AND recorded_at < '2200-01-01 00:00+00'"
        op.execute(f"ALTER TABLE {table} ADD CONSTRAINT ck_{table}_recorded_at_moment CHECK ({rule}) NOT VALID")
        op.execute(
            f"DO $$ BEGIN ALTER TABLE {table} VALIDATE CONSTRAINT ck_{table}_recorded_at_moment; "
            "EXCEPTION WHEN check_violation THEN NULL; END $$"
        )


def _reach(rule: str) -> None:
    for table, column in (one.split(".") for one in _NUMBERS.split()):
        name = f"ck_{table}_{column}_finite"
        op.execute(f"ALTER TABLE {table} DROP CONSTRAINT {name}")
        op.execute(f"ALTER TABLE {table} ADD CONSTRAINT {name} CHECK ({rule.format(c=column)}) NOT VALID")
        op.execute(
            f"DO $$ BEGIN ALTER TABLE {table} VALIDATE CONSTRAINT {name}; "
            "EXCEPTION WHEN check_violation THEN NULL; END $$"
        )


def downgrade() -> None:
    _reach("{c} > '-Infinity' AND {c} < 'Infinity'")
    for table in _HANGING:
        op.execute(f"DROP FUNCTION brumel_{table}_hangs() CASCADE")
    for function in ("brumel_put_who()", "brumel_keep_bounds()", "brumel_keep_forward()"):
        op.execute(f"DROP FUNCTION {function} CASCADE")
    op.drop_table("quantity_bound")
    for table in _MOMENTS:
        op.drop_column(table, "recorded_by")
        if table not in _HAD_IT:
            op.drop_column(table, "recorded_at")
    op.execute(
        "DO $do$ BEGIN EXECUTE replace(pg_get_functiondef('brumel_refuse_all_but_supervisors'::regproc), "
        "'NEW.recorded_by', 'NEW.person_id'); END $do$"
    )
    op.execute(_READERS)
    for table in _MOMENTS:
        op.execute(
            f"CREATE TRIGGER {table}_not_by_readers BEFORE INSERT ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION brumel_refuse_readers()"
        )
    op.execute("""
        DROP FUNCTION brumel_sign_in(text, bytea, text, text, interval);
        DROP FUNCTION brumel_how(text, text, text);
        DROP FUNCTION brumel_wait_of(text, text, text);
        DROP FUNCTION brumel_wait(bigint, float8, int, float8);
        DROP FUNCTION brumel_known(text, text);
        DROP FUNCTION brumel_mint(uuid, interval, text);
        DROP FUNCTION brumel_who(text);
        DROP FUNCTION brumel_sign_out(text);
        DROP FUNCTION brumel_hash(text);
        DROP FUNCTION brumel_first_person(text, uuid, text, text, bytea, int, int, int, bytea);
        CREATE FUNCTION brumel_first_person(
                hash text, new_id uuid, new_login text, new_name text, new_password_hash text)
            RETURNS boolean LANGUAGE plpgsql SECURITY DEFINER SET search_path = public, pg_temp AS $$
        BEGIN
            LOCK TABLE invitation IN SHARE ROW EXCLUSIVE MODE;
            IF NOT brumel_invited(hash) THEN
                RETURN false;
            END IF;
            INSERT INTO person (id, login, name, role, password_hash)
                VALUES (new_id, new_login, new_name, 'supervisor', new_password_hash);
            DELETE FROM invitation;
            RETURN true;
        END $$;
        GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA public TO PUBLIC;
    """)
    op.drop_column("login_attempt", "came_from")
    op.drop_table("signed_in")
    op.create_table(
        "signed_in",
        sa.Column("id", sa.Uuid, nullable=False),
        sa.Column("person_id", sa.Uuid, nullable=False),
        sa.Column("begun_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_signed_in")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_signed_in_person_id")),
        sa.CheckConstraint(
            "begun_at >= '1900-01-01 00:00+00' AND begun_at < '2200-01-01 00:00+00'",
            name=op.f("ck_signed_in_begun_at_moment"),
        ),
    )
    op.create_index("ix_signed_in_person_id", "signed_in", ["person_id"])
    op.add_column("person", sa.Column("password_hash", sa.Text, nullable=False, server_default=""))
    op.alter_column("person", "password_hash", server_default=None)
    op.create_check_constraint(op.f("ck_person_password_hash_length"), "person", "char_length(password_hash) <= 4000")
    # What was hashed twice can't be put back: everybody is given another password.
    op.drop_table("person_secret")
    op.drop_table("house_secret")
