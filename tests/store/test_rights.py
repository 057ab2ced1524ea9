"""Every right that the application's role has, from the catalogue; and what stays true where it gets one by mistake."""

from __future__ import annotations

import uuid

import psycopg
import pytest
from tests.acting import minted
from tests.conftest import Urls
from tests.store.refused import KEPT, PRIVILEGE, state_of

from brumel.launch.cluster import APPLICATION
from brumel.store import schema
from brumel.store.models.tables import (
    ADDED_BY_THE_OWNER,
    FACTS,
    HANGING,
    ONLY_READ,
    OPERATIONAL,
    REFERENCE,
    STANDING,
    addable,
    changeable,
)

TRUSTED = ["search_path=public, pg_temp"]
"""A temporary table shadows none of ours: it is looked for last, in every function of ours."""
_FUNCTIONS = """
SELECT p.proname, p.proconfig, p.prosecdef FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
WHERE n.nspname = 'public' ORDER BY 1
"""
_CALLED = """
SELECT p.proname FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
WHERE n.nspname = 'public' AND p.prorettype <> 'trigger'::regtype
  AND has_function_privilege(current_user, p.oid, 'EXECUTE') ORDER BY 1
"""
_TABLES = """
SELECT c.relname, right_ FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace,
    unnest(ARRAY['SELECT', 'INSERT', 'UPDATE', 'DELETE', 'TRUNCATE', 'REFERENCES', 'TRIGGER']) right_
WHERE n.nspname = 'public' AND c.relkind IN ('r', 'v', 'm', 'p', 'f')
  AND has_table_privilege(current_user, c.oid, right_)
"""
_COLUMNS = """
SELECT c.relname || '.' || a.attname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
    JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
WHERE n.nspname = 'public' AND c.relkind = 'r' AND NOT has_table_privilege(current_user, c.oid, %(right)s)
  AND has_column_privilege(current_user, c.oid, a.attnum, %(right)s)
"""
_OTHER = """
SELECT 'schema ' || nspname || ' CREATE' FROM pg_namespace WHERE has_schema_privilege(current_user, oid, 'CREATE')
UNION ALL SELECT 'sequence ' || relname FROM pg_class WHERE relkind = 'S' AND relnamespace = 'public'::regnamespace
  AND (has_sequence_privilege(current_user, oid, 'UPDATE') OR has_sequence_privilege(current_user, oid, 'USAGE'))
UNION ALL SELECT 'database ' || right_ FROM unnest(ARRAY['CREATE', 'TEMPORARY']) right_
  WHERE has_database_privilege(current_user, current_database(), right_)
UNION ALL SELECT 'large object ' || oid FROM pg_largeobject_metadata
UNION ALL SELECT 'language ' || lanname FROM pg_language WHERE lanname <> 'plpgsql' AND lanpltrusted
  AND has_language_privilege(current_user, oid, 'USAGE') AND lanname <> 'sql'
UNION ALL SELECT 'role ' || rolname FROM pg_roles WHERE rolname <> current_user
  AND pg_has_role(current_user, oid, 'MEMBER')
UNION ALL SELECT 'may ' || what FROM pg_roles, LATERAL (VALUES ('super', rolsuper), ('create roles', rolcreaterole),
  ('create databases', rolcreatedb), ('replicate', rolreplication), ('pass row security', rolbypassrls)) x (what, may)
  WHERE rolname = current_user AND may
"""


def names(*groups: tuple[type, ...]) -> set[str]:
    return {model.__tablename__ for group in groups for model in group}  # type: ignore[attr-defined]


def test_every_function_looks_into_our_schema_first(urls: Urls) -> None:
    with psycopg.connect(urls.owner) as connection:
        found = connection.execute(_FUNCTIONS).fetchall()
    assert len(found) > 5
    assert {name: config for name, config, _ in found if config != TRUSTED} == {}


def test_all_that_the_role_may_do(urls: Urls) -> None:
    """A new right is a new line here, on purpose."""
    schema.upgrade(urls.owner, APPLICATION)  # as a start does it: what tests give themselves beside it is taken back
    with psycopg.connect(urls.application) as connection:
        rights: dict[str, set[str]] = {}
        for table, right in connection.execute(_TABLES):
            rights.setdefault(right, set()).add(table)
        columns, added = (
            {name for (name,) in connection.execute(_COLUMNS, {"right": right})} for right in ("UPDATE", "INSERT")
        )
        called = [name for (name,) in connection.execute(_CALLED)]
        other = {what for (what,) in connection.execute(_OTHER)}
    reference = tuple(m for m in REFERENCE if m not in ADDED_BY_THE_OWNER)
    assert rights == {
        "SELECT": names(FACTS, REFERENCE, OPERATIONAL, ONLY_READ) | {"alembic_version"},
        "INSERT": names(reference, OPERATIONAL),
        "UPDATE": names(OPERATIONAL),
        "DELETE": names(OPERATIONAL),
    }
    assert columns == {f"{m.__tablename__}.{column}" for m in REFERENCE for column in changeable(m)}
    assert added == {f"{m.__tablename__}.{column}" for m in FACTS for column in addable(m)}
    assert called == [
        "brumel_first_person", "brumel_how", "brumel_invited", "brumel_sign_in", "brumel_sign_out", "brumel_who",
    ]  # fmt: skip
    assert other == set()


@pytest.mark.parametrize(
    "statement",
    [
        "CREATE TEMPORARY TABLE person (id uuid, role text)",
        "CREATE TABLE sly (id int)",
        "CREATE FUNCTION brumel_sly() RETURNS int LANGUAGE sql AS 'SELECT 1'",
        "CREATE SCHEMA sly",
        "CREATE VIEW sly AS SELECT 1",
    ],
)
def test_it_makes_nothing_of_its_own(urls: Urls, statement: str) -> None:
    assert state_of(urls.application, statement) == PRIVILEGE


def test_a_guard_is_not_blinded_by_a_table_of_the_same_name(urls: Urls) -> None:
    """With the right to make temporary tables given by mistake, a reader who is a supervisor there stays a reader."""
    reader, site = uuid.uuid4(), uuid.uuid4()
    with psycopg.connect(urls.owner) as owner:
        owner.execute(f"GRANT TEMPORARY ON DATABASE {urls.name} TO {APPLICATION}")
        owner.execute(
            "INSERT INTO person (id, login, name, role) VALUES (%s, %s, 'Rea', 'reader')",
            (reader, f"rea{reader.hex[:6]}"),
        )  # fmt: skip
        owner.execute(
            "INSERT INTO site (id, code, name, water_kind, visit_every_days) VALUES (%s, %s, 'S', 'pond', 1)",
            (site, site.hex[:8]),
        )
    limit = (
        f"INSERT INTO site_limit (id, site_id, person_id, at, quantity, low, high, reason) "
        f"VALUES ('{uuid.uuid4()}', '{site}', '{reader}', now(), 'ph', 6, 8, 'forged')"
    )
    shadow = f"CREATE TEMPORARY TABLE person AS SELECT '{reader}'::uuid AS id, 'supervisor'::text AS role"
    try:
        assert state_of(urls.application, shadow) is None, "the right is there for this test"
        key = minted(urls.owner, reader)
        assert state_of(urls.application, f"{shadow}; {limit}", key) == KEPT
        assert state_of(urls.application, f"{shadow}; SET search_path = pg_temp, public; {limit}", key) == KEPT
    finally:
        with psycopg.connect(urls.owner) as owner:
            owner.execute(f"REVOKE TEMPORARY ON DATABASE {urls.name} FROM {APPLICATION}")


_TRIGGERS = """
SELECT c.relname, p.proname FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid JOIN pg_proc p ON p.oid = t.tgfoid
WHERE NOT t.tgisinternal AND t.tgenabled = 'O'
"""


def test_every_fact_is_guarded_by_its_kind(urls: Urls) -> None:
    """Fact by trigger by column, from the catalogue: a new fact without its guards fails here."""
    with psycopg.connect(urls.owner) as connection:
        found: dict[str, set[str]] = {}
        for table, function in connection.execute(_TRIGGERS):
            found.setdefault(table, set()).add(function)
        noted = connection.execute(
            "SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = 'public' "
            "AND column_name IN ('recorded_by', 'recorded_at') AND is_nullable = 'NO'"
        ).fetchall()
    assert set(FACTS) == {*STANDING, *HANGING}
    for model in FACTS:
        table = model.__tablename__
        own = {"brumel_put_who"} if model in STANDING else {f"brumel_{table}_hangs"}
        assert own | {"brumel_refuse_change"} <= found[table], table
    assert set(noted) == {(m.__tablename__, name) for m in STANDING for name in ("recorded_by", "recorded_at")}
