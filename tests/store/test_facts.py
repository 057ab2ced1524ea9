"""What the schema itself keeps: finite numbers, bounded texts, signatures that pass over no point; migrations."""

from __future__ import annotations

import hashlib
import threading
import uuid
from dataclasses import replace

import psycopg
import pytest
from psycopg import sql
from sqlalchemy import CheckConstraint
from tests.acting import as_said, hand_over, minted
from tests.conftest import CLOCK, Urls, copy_database
from tests.services.world import World
from tests.store.everything import fill
from tests.store.refused import CHECK

from brumel.launch.cluster import OWNER, Cluster
from brumel.services.calibrating.taking import TakePoint
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.store.add_fact import OtherContent
from brumel.store.database import Database, StoreError
from brumel.store.models.base import Base
from brumel.store.models.tables import FACTS


@pytest.fixture(scope="module")
def world(database: Database) -> World:
    return World(database)


def constraints(urls: Urls) -> dict[tuple[str, str], str]:
    """Every CHECK in the catalogue, by table and name."""
    with psycopg.connect(urls.owner) as connection:
        rows = connection.execute(
            "SELECT c.relname, k.conname, pg_get_constraintdef(k.oid) FROM pg_constraint k "
            "JOIN pg_class c ON c.oid = k.conrelid WHERE k.contype = 'c'"
        ).fetchall()
    return {(table, name): words for table, name, words in rows}


def test_every_number_is_finite_every_text_bounded_and_every_moment_of_our_time(urls: Urls) -> None:
    """From the catalogue: each column of a number, a text or a moment has its CHECK, in every table."""
    with psycopg.connect(urls.owner) as connection:
        columns = connection.execute(
            "SELECT table_name, column_name, udt_name FROM information_schema.columns "
            "WHERE table_schema = 'public' AND udt_name IN ('float8', '_float8', 'text', 'timestamptz') "
            "AND table_name <> 'alembic_version'"
        ).fetchall()
    known = constraints(urls)
    declared = {
        (table.name, str(c.name).replace("%%", "%"))
        for table in Base.metadata.tables.values() for c in table.constraints if isinstance(c, CheckConstraint)
    }  # fmt: skip
    assert {(t, f"ck_{t}_{n}" if not n.startswith("ck_") else n) for t, n in declared} == {
        k for k in known if k[0] != "alembic_version"
    }
    assert len(columns) > 100
    for table, column, kind in columns:
        ending = {"text": "length", "timestamptz": "moment"}.get(kind, "finite")
        assert (table, f"ck_{table}_{column}_{ending}") in known, (table, column)


@pytest.mark.parametrize("value", ["NaN", "Infinity", "-Infinity"])
def test_no_certificate_is_infinite(world: World, urls: Urls, value: str) -> None:
    with psycopg.connect(urls.owner) as connection, pytest.raises(psycopg.Error) as refused:
        connection.execute("UPDATE lot SET certificate_u = %s::float8", [value])
    assert refused.value.sqlstate == CHECK
    world.take(world.begin(world.probe()), "neutral")
    with psycopg.connect(urls.owner) as connection, pytest.raises(psycopg.Error) as refused:
        connection.execute(
            "INSERT INTO series_block (id, point_id, number, first_at, last_at, unit, times_s, samples) "
            "SELECT gen_random_uuid(), id, 7, now(), now(), 'mV', ARRAY[0, 1], ARRAY[1.0, %s::float8] "
            "FROM calibration_point LIMIT 1",
            [value],
        )
    assert refused.value.sqlstate == CHECK


def test_a_text_that_is_too_long_is_said_in_words(world: World) -> None:
    with pytest.raises(StoreError, match="This can't be kept: note has 4001 characters; up to 4000 can be kept"):
        world.read(world.probe(), note="x" * 4001)
    assert world.read(world.probe(), note="x" * 4000).reading.note == "x" * 4000


class TestASignature:
    def test_names_the_points_that_it_rests_on(self, world: World) -> None:
        run_id = world.begin(world.probe())
        for offset in (20.0, 2.0):
            world.take(run_id, "neutral", offset=offset)
        signed = world.sign(run_id)
        assert signed.run.signature is not None
        assert signed.run.signature.point_ids == [signed.run.points[-1].id]

    def test_is_refused_beside_a_point_that_it_passes_over(self, world: World, urls: Urls) -> None:
        run_id = world.begin(world.probe())
        world.take(run_id, "neutral")
        first = world.at().calibrations.view(run_id).run.points[0].id
        world.take(run_id, "neutral", offset=9.0)
        with psycopg.connect(urls.application) as connection:
            hand_over(connection, minted(urls.owner, world.person.id))
            with pytest.raises(psycopg.Error, match="Another point was taken meanwhile"):
                connection.execute(
                    "INSERT INTO calibration_signature (run_id, person_id, signed_at, level, point_ids, covariance, "
                    "note) VALUES (%s, %s, now(), 'sound', %s, '[]', '')",
                    [run_id, world.person.id, [first]],
                )

    def test_and_a_repeated_point_never_ignore_each_other(self, world: World) -> None:
        """Both at once, many times: the signature rests on the point, or the point is refused."""
        for _ in range(25):
            run_id = world.begin(world.probe())
            world.take(run_id, "neutral", offset=2.0)
            late, refused = uuid.uuid4(), []

            def repeat(run_id: uuid.UUID = run_id, late: uuid.UUID = late, refused: list[str] = refused) -> None:
                take = TakePoint(late, "neutral", -30.0, 22.0, device=False)
                try:
                    world.at().calibrations.take(run_id, take, world.person)
                except StoreError as error:
                    refused.append(str(error))

            other = threading.Thread(target=repeat)
            other.start()
            world.at().calibrations.sign(run_id, world.person)
            other.join()
            signed = world.at().calibrations.view(run_id)
            assert signed.run.signature is not None
            if refused:
                assert "has been signed" in refused[0]
                assert late not in {p.id for p in signed.run.points}
            else:
                assert late in signed.run.signature.point_ids


class TestTheSameFormWithOtherContent:
    def test_a_point(self, world: World) -> None:
        run_id, point_id = world.begin(world.probe()), uuid.uuid4()
        take = TakePoint(point_id, "neutral", 2.0, 22.0, device=False)
        world.at().calibrations.take(run_id, take, world.person)
        world.at().calibrations.take(run_id, take, world.person)
        other = TakePoint(point_id, "neutral", 3.0, 22.0, device=False)
        with pytest.raises(OtherContent, match=r"that stands: signal 2\.0"):
            world.at().calibrations.take(run_id, other, world.person)

    def test_a_reading(self, world: World) -> None:
        new = NewReading(
            uuid.uuid4(), world.site.id, world.probe().id, "typed-signal", None, 3.0, 20.0, despite="test", note="still"
        )
        for _ in range(2):
            world.at().readings.record(new, world.person)
        with pytest.raises(OtherContent, match="note still"):
            world.at().readings.record(replace(new, note="windy"), world.person)
        assert world.at().readings.view(new.reading_id).reading.note == "still"

    def test_an_entry_of_care(self, world: World) -> None:
        probe, care_id = world.probe().id, uuid.uuid4()
        world.at().kit.log(probe, NewCare(care_id, "cleaned", minutes=15.0), world.person)
        with pytest.raises(OtherContent, match="minutes 15"):
            world.at().kit.log(probe, NewCare(care_id, "cleaned", minutes=30.0), world.person)


@pytest.fixture
def dump(cluster: Cluster, demonstrated: str) -> Urls:
    """A database of this first schema with every fact in it."""
    name = f"dump{uuid.uuid4().hex[:8]}"
    copy_database(cluster, demonstrated, name)
    urls = Urls(cluster, name)
    database = as_said(Database(urls.application, pool_size=1), urls.owner)
    owner = Database(urls.owner, pool_size=1)
    fill(database, owner, CLOCK)
    database.close()
    owner.close()
    return urls


def test_facts_come_through_a_change_of_their_shape(dump: Urls) -> None:
    """As a coming migration does it: the owner copies a table of facts into a new one; the rows agree, guards stand."""
    table = "calibration_point"
    columns = [c.name for c in Base.metadata.tables[table].columns]

    def hashed(connection: psycopg.Connection) -> str:
        names = sql.SQL(", ").join(map(sql.Identifier, columns))
        rows = connection.execute(
            sql.SQL("SELECT {}::text FROM (SELECT {} FROM {} ORDER BY ordinal) t").format(
                sql.SQL("t"), names, sql.Identifier(table)
            )
        ).fetchall()
        assert len(rows) > 300
        return hashlib.sha256("\n".join(r[0] for r in rows).encode()).hexdigest()

    with psycopg.connect(dump.owner) as connection:
        before = hashed(connection)
        connection.execute(f"CREATE TABLE {table}_new (LIKE {table} INCLUDING ALL)")
        connection.execute(f"ALTER TABLE {table}_new ADD COLUMN depth_m double precision")
        names = ", ".join(columns)
        connection.execute(
            f"INSERT INTO {table}_new ({names}) OVERRIDING SYSTEM VALUE SELECT {names} FROM {table} ORDER BY ordinal"
        )
        pointing = ("series_block", "calibration_entry")
        for other in pointing:
            connection.execute(f"ALTER TABLE {other} DROP CONSTRAINT fk_{other}_point_id")
        connection.execute(f"DROP TABLE {table}")
        connection.execute(f"ALTER TABLE {table}_new RENAME TO {table}")
        for other in pointing:
            connection.execute(
                f"ALTER TABLE {other} ADD CONSTRAINT fk_{other}_point_id FOREIGN KEY (point_id) REFERENCES {table} (id)"
            )
        for what, when, each in (("kept", "UPDATE OR DELETE", "ROW"), ("not_emptied", "TRUNCATE", "STATEMENT")):
            connection.execute(
                f"CREATE TRIGGER {table}_{what} BEFORE {when} ON {table} "
                f"FOR EACH {each} EXECUTE FUNCTION brumel_refuse_change()"
            )
        connection.commit()
        assert hashed(connection) == before
        assert connection.execute("SELECT current_user").fetchone() == (OWNER,)
        with pytest.raises(psycopg.Error, match="kept as it was made"):
            connection.execute(f"UPDATE {table} SET signal = 0")


def test_every_fact_has_its_guard_named_after_it(urls: Urls) -> None:
    with psycopg.connect(urls.owner) as connection:
        names = {r[0] for r in connection.execute("SELECT tgname FROM pg_trigger WHERE NOT tgisinternal").fetchall()}
    assert {f"{m.__tablename__}_kept" for m in FACTS} <= names
