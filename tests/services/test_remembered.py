"""What many pages show is worked out once: any worker sees at once what any other recorded."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta

import psycopg
import pytest
from sqlalchemy import event

from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.services.kit.care_log import NewCare
from brumel.store.database import Database
from brumel.store.models.reference import Person
from tests.conftest import CLOCK, NOW, Urls

COUNT = "SELECT number FROM change_count"


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def services(database: Database) -> Services:
    return Services.over(database, CLOCK)


@contextmanager
def asked(database: Database) -> Iterator[list[str]]:
    """The statements that are sent meanwhile."""
    found: list[str] = []

    def note(_connection: object, _cursor: object, statement: str, *_: object) -> None:
        found.append(statement)

    event.listen(database.engine, "before_cursor_execute", note)
    try:
        yield found
    finally:
        event.remove(database.engine, "before_cursor_execute", note)


def a_ph(services: Services) -> object:
    return next(s for s in services.states.probe_states() if s.probe.label == "A-pH")


def technician(database: Database) -> Person:
    with database.session() as session:
        return session.query(Person).filter_by(role="technician").first()


def test_states_and_ribbon_are_worked_out_once_while_nothing_is_recorded(
    services: Services, database: Database
) -> None:
    first = services.today.ribbon(services.states.probe_states())
    with asked(database) as statements:
        assert services.today.ribbon(services.states.probe_states()) is first
    assert [s.split()[0:4] for s in statements if "change_count" not in s] == []
    assert len(statements) == 2


def test_another_worker_sees_at_once_what_one_recorded(services: Services, database: Database, urls: Urls) -> None:
    other_database = Database(urls.application, pool_size=1)
    other = Services.over(other_database, CLOCK)
    before, lanes = a_ph(other), other.today.ribbon(other.states.probe_states())
    care = NewCare(uuid.uuid4(), "dropped", NOW - timedelta(minutes=1))
    services.kit.log(before.probe.id, care, technician(database))
    after = a_ph(other)
    assert before.readiness != after.readiness
    assert other.today.ribbon(other.states.probe_states()) is not lanes
    other_database.close()


def test_waits_run_out_although_nothing_is_recorded(services: Services, database: Database) -> None:
    clock = Clock(CLOCK.timezone, NOW)
    moved = Services.over(database, clock)
    first = a_ph(moved)
    object.__setattr__(clock, "frozen", NOW + timedelta(days=40))
    assert a_ph(moved).level != first.level


def test_the_count_rises_as_a_transaction_commits_and_once(urls: Urls, services: Services) -> None:
    with psycopg.connect(urls.application) as writer, psycopg.connect(urls.application, autocommit=True) as reader:
        before = reader.execute(COUNT).fetchone()[0]
        for site in range(3):
            writer.execute("UPDATE site SET version = version + 1 WHERE code = 'POOL'")
            assert reader.execute(COUNT).fetchone() == (before,), site
        writer.commit()
        assert reader.execute(COUNT).fetchone() == (before + 1,)
        writer.execute("UPDATE site SET version = version + 1 WHERE code = 'POOL'")
        writer.rollback()
        assert reader.execute(COUNT).fetchone() == (before + 1,)


def test_two_that_record_at_once_do_not_wait_for_each_other_and_both_count(urls: Urls, services: Services) -> None:
    with psycopg.connect(urls.application) as one, psycopg.connect(urls.application) as two:
        before = one.execute(COUNT).fetchone()[0]
        one.commit()
        one.execute("UPDATE site SET version = version + 1 WHERE code = 'POOL'")
        two.execute("UPDATE site SET version = version + 1 WHERE code = 'TANK'")
        two.commit()
        one.commit()
        assert two.execute(COUNT).fetchone() == (before + 2,)


@pytest.mark.parametrize("wanted", ["status = 'ok'", "wanted_until = now()"])
def test_what_a_link_notes_of_its_line_counts_as_no_change(urls: Urls, services: Services, wanted: str) -> None:
    with psycopg.connect(urls.application, autocommit=True) as link:
        before = link.execute(COUNT).fetchone()
        link.execute(f"UPDATE device SET {wanted}")
        assert link.execute(COUNT).fetchone() == before
        link.execute("UPDATE device SET channels = channels || '[]'")
        assert link.execute(COUNT).fetchone() == (before[0] + 1,)
