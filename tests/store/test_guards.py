"""What the database itself refuses, as the application's own role; and the migrations."""

from __future__ import annotations

import uuid

import psycopg
import pytest
from alembic.autogenerate import compare_metadata
from alembic.runtime.migration import MigrationContext
from sqlalchemy import create_engine
from tests.conftest import NOW, Urls

from brumel import demo
from brumel.launch.cluster import APPLICATION
from brumel.services.clock import Clock
from brumel.store import schema
from brumel.store.database import Database
from brumel.store.models.base import Base
from brumel.store.models.tables import ADDED_TO, FACTS, OPERATIONAL, REFERENCE


@pytest.fixture(scope="module")
def filled(database: Database) -> Database:
    from zoneinfo import ZoneInfo

    demo.load(database, NOW, Clock(ZoneInfo("UTC"), NOW))
    return database


@pytest.mark.parametrize("table", [model.__tablename__ for model in FACTS])
def test_the_application_cannot_change_a_fact(filled: Database, urls: Urls, table: str) -> None:
    for statement in (
        f"UPDATE {table} SET ctid = ctid",
        f"DELETE FROM {table}",
        f"TRUNCATE {table} CASCADE",
        f"ALTER TABLE {table} DISABLE TRIGGER ALL",
        f"DROP TABLE {table} CASCADE",
    ):
        with psycopg.connect(urls.application) as connection, pytest.raises(psycopg.Error):
            connection.execute(statement)


@pytest.mark.parametrize("table", ["calibration_run", "calibration_point", "calibration_signature", "reading"])
def test_even_the_owner_is_stopped_by_the_triggers(filled: Database, urls: Urls, table: str) -> None:
    for statement in (f"DELETE FROM {table}", f"TRUNCATE {table} CASCADE"):
        with (
            psycopg.connect(urls.owner) as connection,
            pytest.raises(psycopg.Error, match=r"kept as it was made|violates foreign key"),
        ):
            connection.execute(statement)


def test_the_role_cannot_silence_triggers_for_its_session(urls: Urls) -> None:
    with psycopg.connect(urls.application) as connection, pytest.raises(psycopg.errors.InsufficientPrivilege):
        connection.execute("SET session_replication_role = replica")


def test_a_signed_run_takes_no_more_points(filled: Database, urls: Urls) -> None:
    with (
        psycopg.connect(urls.application) as connection,
        pytest.raises(psycopg.Error, match="has been signed"),
    ):
        connection.execute(
            "INSERT INTO calibration_immersion (id, run_id, step, at, after_seq) "
            "SELECT %s, run_id, 'acid', now(), 0 FROM calibration_signature LIMIT 1",
            [uuid.uuid4()],
        )


def test_every_table_is_of_one_class() -> None:
    classes = [model for group in (FACTS, REFERENCE, OPERATIONAL, ADDED_TO) for model in group]
    assert {m.__tablename__ for m in classes} == set(Base.metadata.tables)
    assert len(classes) == len(set(classes))


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


def test_records_come_through_the_migration_to_rounds_and_meters(cluster) -> None:  # type: ignore[no-untyped-def]
    cluster.create_database("older")
    older = Urls(cluster, "older")
    schema.upgrade(older.owner, APPLICATION, "0004")
    person, probe, site = (uuid.uuid4() for _ in range(3))
    with psycopg.connect(older.owner) as connection:
        connection.execute(
            "INSERT INTO person (id, login, name, role, password_hash) VALUES (%s, 'a', 'A', 'technician', '')",
            [person],
        )
        connection.execute("INSERT INTO probe VALUES (%s, 'P', 'S', 'ORP platinum', 'Kit', '2026-01-01')", [probe])
        connection.execute("INSERT INTO site VALUES (%s, 'W', 'W', 'pond', 6.5, 8.5, 1)", [site])
        connection.execute(
            "INSERT INTO care_record (id, probe_id, person_id, at, recorded_at, care, detail, note) "
            "VALUES (%s, %s, %s, now(), now(), 'power-lost', '', '')",
            [uuid.uuid4(), probe, person],
        )
    schema.upgrade(older.owner, APPLICATION)
    with psycopg.connect(older.owner) as connection:
        assert connection.execute("SELECT care, measured, findings FROM care_record").fetchall() == [
            ("unplugged", {}, [])
        ]
        ranges = connection.execute("SELECT parameter, low, high FROM site_range").fetchall()
        assert ranges == [("pH", 6.5, 8.5)]
        with pytest.raises(psycopg.Error, match="kept as it was made"):
            connection.execute("UPDATE care_record SET care = 'cleaned'")
    schema.downgrade(older.owner, "0004")
    with psycopg.connect(older.owner) as connection:
        assert connection.execute("SELECT care FROM care_record").fetchall() == [("power-lost",)]
        assert connection.execute("SELECT expected_ph_low, expected_ph_high FROM site").fetchall() == [(6.5, 8.5)]


def test_an_owning_role_is_refused_as_the_applications(urls: Urls) -> None:
    with create_engine(urls.owner).connect() as connection:
        assert "owns tables" in (schema.problem(connection) or "")
