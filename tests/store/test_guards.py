"""What the database itself refuses, as the application's own role; and the migrations."""

from __future__ import annotations

import re
import uuid
from pathlib import Path

import psycopg
import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from sqlalchemy import create_engine
from tests.acting import minted
from tests.conftest import CLOCK, Urls
from tests.store.everything import fill
from tests.store.refused import FEATURE, KEPT, PRIVILEGE, state_of

from brumel.launch.cluster import ADMIN, APPLICATION, OWNER, Cluster
from brumel.store import schema
from brumel.store.database import Database
from brumel.store.models.base import Base
from brumel.store.models.tables import (
    ADDED_BY_THE_OWNER,
    FACTS,
    OF_THE_OWNER,
    ONLY_READ,
    OPERATIONAL,
    REFERENCE,
    addable,
    changeable,
)

NAMES = [model.__tablename__ for model in FACTS]


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def filled(database: Database, urls: Urls) -> Database:
    owner = Database(urls.owner, pool_size=1)
    fill(database, owner, CLOCK)
    owner.close()
    return database


def column_of(table: str) -> str:
    """A column of a table that a liar would want to change: no key where there is another."""
    columns = Base.metadata.tables[table].columns
    return next((c.name for c in columns if not c.primary_key and not c.foreign_keys), next(iter(columns)).name)


def test_every_table_of_facts_holds_a_row(filled: Database, urls: Urls) -> None:
    """Without one, a trigger for each row has nothing to refuse, and the tests below would prove nothing."""
    with psycopg.connect(urls.owner) as connection:
        empty = [t for t in NAMES if connection.execute(f"SELECT 1 FROM {t} LIMIT 1").fetchone() is None]
    assert empty == []


@pytest.mark.parametrize("table", NAMES)
def test_the_application_may_not_change_a_fact(filled: Database, urls: Urls, table: str) -> None:
    column = column_of(table)
    for statement in (
        f"UPDATE {table} SET {column} = {column}",
        f"DELETE FROM {table}",
        f"TRUNCATE {table} CASCADE",
        f"ALTER TABLE {table} DISABLE TRIGGER ALL",
        f"ALTER TABLE {table} ADD COLUMN sly text",
        f"DROP TABLE {table} CASCADE",
    ):
        assert state_of(urls.application, statement) == PRIVILEGE, statement


@pytest.mark.parametrize("role", [OWNER, ADMIN])
@pytest.mark.parametrize("table", NAMES)
def test_triggers_stop_those_whom_grants_do_not(
    filled: Database, urls: Urls, cluster: Cluster, table: str, role: str
) -> None:
    url = urls.owner if role == OWNER else cluster.url(ADMIN, urls.name)
    column = column_of(table)
    assert state_of(url, f"UPDATE {table} SET {column} = {column}") == KEPT
    assert state_of(url, f"DELETE FROM {table}") == KEPT
    assert state_of(url, f"TRUNCATE {table} CASCADE") == KEPT
    assert state_of(url, f"TRUNCATE {table}") in {KEPT, FEATURE}


def test_a_grant_by_mistake_changes_nothing(filled: Database, urls: Urls) -> None:
    """The triggers alone, with the grants taken out of the way: no test of the guards passes for want of a right."""
    with psycopg.connect(urls.owner) as connection:
        for table in NAMES:
            connection.execute(f"GRANT UPDATE, DELETE, TRUNCATE ON {table} TO {APPLICATION}")
        connection.commit()
        try:
            for table in NAMES:
                column = column_of(table)
                assert state_of(urls.application, f"UPDATE {table} SET {column} = {column}") == KEPT
                assert state_of(urls.application, f"DELETE FROM {table}") == KEPT
        finally:
            for table in NAMES:
                connection.execute(f"REVOKE UPDATE, DELETE, TRUNCATE ON {table} FROM {APPLICATION}")
            connection.commit()


_RIGHTS = {
    FACTS: {"SELECT"},
    ONLY_READ: {"SELECT"},
    ADDED_BY_THE_OWNER: {"SELECT"},
    tuple(m for m in REFERENCE if m not in ADDED_BY_THE_OWNER): {"SELECT", "INSERT"},
    OPERATIONAL: {"SELECT", "INSERT", "UPDATE", "DELETE"},
}


def test_the_catalogue_grants_no_more_than_each_class_may(urls: Urls) -> None:
    schema.upgrade(urls.owner, APPLICATION)  # as a start grants, without what tests may do besides
    rights = ("SELECT", "INSERT", "UPDATE", "DELETE", "TRUNCATE", "REFERENCES", "TRIGGER")
    with psycopg.connect(urls.owner) as connection:
        for models, allowed in _RIGHTS.items():
            for table in (m.__tablename__ for m in models):
                row = connection.execute(
                    "SELECT " + ", ".join("has_table_privilege(%s, %s, %s)" for _ in rights),
                    [value for right in rights for value in (APPLICATION, table, right)],
                ).fetchone()
                assert row is not None
                assert {right for right, held in zip(rights, row, strict=True) if held} == allowed, table
        by_column = connection.execute(
            "SELECT DISTINCT table_name, column_name FROM information_schema.column_privileges "
            "WHERE grantee = %s AND privilege_type <> 'SELECT' AND table_name = ANY(%s)",
            [APPLICATION, NAMES],
        ).fetchall()
    assert set(by_column) == {(model.__tablename__, name) for model in FACTS for name in addable(model)}


@pytest.mark.parametrize("model", REFERENCE, ids=lambda m: m.__tablename__)
def test_of_a_reference_row_only_what_may_change_can_be_changed(urls: Urls, model: type[Base]) -> None:
    with psycopg.connect(urls.owner) as connection:
        found = connection.execute(
            "SELECT column_name FROM information_schema.column_privileges "
            "WHERE grantee = %s AND privilege_type = 'UPDATE' AND table_name = %s",
            [APPLICATION, model.__tablename__],
        ).fetchall()
    assert {name for (name,) in found} == set(changeable(model))


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE person SET role = 'supervisor'",
        "UPDATE person_secret SET hash = ''",
        "SELECT hash FROM person_secret",
        "SELECT key_hash FROM signed_in",
        "UPDATE person SET active = true",
        "DELETE FROM person",
        "INSERT INTO person (id, login, name, role) VALUES (gen_random_uuid(), 'x', 'x', 'supervisor')",
        "UPDATE lot SET nominal = 7",
        "UPDATE lot SET expires_on = '2099-01-01'",
        "UPDATE probe SET kind = 'orp'",
        "UPDATE login_attempt SET succeeded = true",
    ],
)
def test_the_application_cannot_make_itself_a_supervisor_or_a_lot_good(urls: Urls, statement: str) -> None:
    schema.upgrade(urls.owner, APPLICATION)
    assert state_of(urls.application, statement) == PRIVILEGE


@pytest.mark.parametrize("role", ["technician", "reader"])
def test_what_a_role_may_not_record_the_database_refuses_too(filled: Database, urls: Urls, role: str) -> None:
    with psycopg.connect(urls.owner) as connection:
        person = connection.execute("SELECT id FROM person WHERE role = %s", [role]).fetchone()
        assert person
        withdrawal = (
            "INSERT INTO calibration_amendment (id, run_id, person_id, at, kind, reason) SELECT gen_random_uuid(), "
            f"run_id, '{person[0]}', now(), '%s', 'x' FROM calibration_signature s WHERE NOT EXISTS "
            "(SELECT 1 FROM calibration_amendment a WHERE a.run_id = s.run_id) LIMIT 1"
        )
        limit = (
            "INSERT INTO site_limit (id, site_id, person_id, at, quantity, low, reason) "
            f"SELECT gen_random_uuid(), id, '{person[0]}', now(), 'ph', 6, 'x' FROM site LIMIT 1"
        )
    key = minted(urls.owner, person[0])
    assert state_of(urls.application, withdrawal % "withdrawal", key) == KEPT
    assert state_of(urls.application, limit, key) == KEPT
    assert state_of(urls.application, withdrawal % "note", key) == (KEPT if role == "reader" else None)


def test_every_fact_that_a_person_makes_is_guarded_against_readers(urls: Urls) -> None:
    made = {m.__tablename__ for m in FACTS if "person_id" in m.__table__.columns}
    with psycopg.connect(urls.owner) as connection:
        guarded = connection.execute(
            "SELECT tgrelid::regclass::text FROM pg_trigger WHERE tgfoid = 'brumel_put_who'::regproc"
        )
        assert {name for (name,) in guarded} == made


def test_the_catalogue_holds_both_triggers_of_every_fact(urls: Urls) -> None:
    with psycopg.connect(urls.owner) as connection:
        rows = connection.execute(
            "SELECT c.relname, pg_get_triggerdef(t.oid) FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid "
            "JOIN pg_proc p ON p.oid = t.tgfoid WHERE p.proname = 'brumel_refuse_change' AND t.tgenabled = 'O'"
        ).fetchall()
    kept = {table for table, words in rows if "BEFORE DELETE OR UPDATE ON" in words and "FOR EACH ROW" in words}
    not_emptied = {table for table, words in rows if "BEFORE TRUNCATE ON" in words and "FOR EACH STATEMENT" in words}
    assert kept == not_emptied == set(NAMES)


def test_the_documents_name_every_guard(urls: Urls, root: Path) -> None:
    """Each by how its trigger ends, or by its whole name, with the function that it calls."""
    words = (root / "docs/decisions/guards.md").read_text(encoding="utf-8")
    listed = [re.findall(r"`([^`]+)`", line) for line in words.splitlines() if line.startswith("| `")]
    named = {(end, each[-1]) for each in listed for end in each[:-1]}
    with psycopg.connect(urls.owner) as connection:
        found = connection.execute(
            "SELECT tgname, tgrelid::regclass::text, tgfoid::regproc::text FROM pg_trigger WHERE NOT tgisinternal"
        ).fetchall()

    def of(trigger: str, table: str, function: str) -> set[tuple[str, str]]:
        function = function.replace(f"brumel_{table}_", "brumel_…_")
        return {(end, does) for end, does in named if trigger.endswith(end) and function == does}

    guards = {(trigger, table, function): of(trigger, table, function) for trigger, table, function in found}
    assert [guard for guard, names in guards.items() if not names] == []
    assert named == set().union(*guards.values()), "no guard of these is left"


@pytest.mark.parametrize(
    "statement",
    [
        "SET session_replication_role = replica",
        f"SET ROLE {OWNER}",
        f"SET SESSION AUTHORIZATION {OWNER}",
        "CREATE TABLE sly (a int)",
        "CREATE OR REPLACE FUNCTION brumel_refuse_change() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'",
        "DROP FUNCTION brumel_refuse_change() CASCADE",
        "UPDATE alembic_version SET version_num = '0001'",
    ],
)
def test_the_role_cannot_get_round_the_guards(urls: Urls, statement: str) -> None:
    assert state_of(urls.application, statement) == PRIVILEGE


def test_a_signed_run_takes_no_more_points(filled: Database, urls: Urls) -> None:
    with psycopg.connect(urls.owner) as connection, pytest.raises(psycopg.Error, match="has been signed"):
        connection.execute(
            "INSERT INTO calibration_step (id, run_id, person_id, step, at, after_seq) "
            "SELECT %s, run_id, person_id, 'acid', now(), 0 FROM calibration_signature LIMIT 1",
            [uuid.uuid4()],
        )


def test_every_table_is_of_one_class() -> None:
    classes = [model for group in (FACTS, REFERENCE, OPERATIONAL, ONLY_READ, OF_THE_OWNER) for model in group]
    assert {m.__tablename__ for m in classes} == set(Base.metadata.tables)
    assert len(classes) == len(set(classes))


def test_a_role_that_owns_nothing_is_fine_and_another_schema_is_said(urls: Urls) -> None:
    with create_engine(urls.application).connect() as connection:
        assert schema.problem(connection) is None


def test_a_quantity_that_the_schema_was_not_told_of_is_said(urls: Urls) -> None:
    with create_engine(urls.owner).connect() as owner, create_engine(urls.application).connect() as connection:
        owner.exec_driver_sql("DELETE FROM quantity_bound WHERE quantity = 'turbidity'")
        owner.commit()
        assert "what can be recorded of turbidity: run ./brumel db upgrade" in (schema.problem(connection) or "")
    schema.upgrade(urls.owner, APPLICATION)


def test_models_and_migrations_agree(urls: Urls) -> None:
    with create_engine(urls.owner).connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection), Base.metadata) == []


def test_migrations_go_down_and_up_again(cluster) -> None:  # type: ignore[no-untyped-def]
    cluster.create_database("updown")
    both = Urls(cluster, "updown")
    schema.upgrade(both.owner, APPLICATION)
    schema.downgrade(both.owner)
    with psycopg.connect(both.owner) as connection:
        left = connection.execute("SELECT count(*) FROM pg_tables WHERE schemaname = 'public'").fetchone()
    assert left == (1,)  # alembic's own
    schema.upgrade(both.owner, APPLICATION)
    database = Database(both.application)
    with database.engine.connect() as connection:
        assert schema.problem(connection) is None
    database.close()


def test_an_owning_role_is_refused_as_the_applications(urls: Urls) -> None:
    with create_engine(urls.owner).connect() as connection:
        assert "owns tables" in (schema.problem(connection) or "")
