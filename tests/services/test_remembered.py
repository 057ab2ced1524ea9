"""What many pages show is worked out once: any worker sees at once what any other recorded."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta

import psycopg
import pytest
from sqlalchemy import event, select

from brumel.services.application import Services
from brumel.services.cached.remembered import cached, one_look
from brumel.services.clock import Clock
from brumel.services.probes.care_log import NewCare
from brumel.store.database import Database
from brumel.store.models.reference import Person, Site
from tests.conftest import CLOCK, NOW, Urls

COUNT = "SELECT coalesce((counts ->> '{}')::bigint, 0) FROM change_count"
SITES, DEVICES = COUNT.format("site"), COUNT.format("device")


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
    first, day = services.today.ribbon(), services.today.day()
    with asked(database) as statements:
        assert services.today.ribbon() is first
        assert services.today.day() is day
    assert [s.split()[0:4] for s in statements if "change_count" not in s] == []
    assert len(statements) == 2


def test_another_worker_sees_at_once_what_one_recorded(services: Services, database: Database, urls: Urls) -> None:
    other_database = Database(urls.application, pool_size=1)
    other = Services.over(other_database, CLOCK)
    before, lanes = a_ph(other), other.today.ribbon()
    care = NewCare(uuid.uuid4(), "dropped", NOW - timedelta(minutes=1))
    services.kit.log(before.probe.id, care, technician(database))
    after = a_ph(other)
    assert before.readiness != after.readiness
    assert other.today.ribbon() is not lanes
    other_database.close()


def test_waits_run_out_although_nothing_is_recorded(services: Services, database: Database) -> None:
    clock = Clock(CLOCK.timezone, NOW)
    moved = Services.over(database, clock)
    first = a_ph(moved)
    object.__setattr__(clock, "frozen", NOW + timedelta(days=40))
    assert a_ph(moved).level != first.level


def test_the_count_rises_as_a_transaction_commits_and_once(urls: Urls, services: Services) -> None:
    with psycopg.connect(urls.application) as writer, psycopg.connect(urls.application, autocommit=True) as reader:
        before = [reader.execute(q).fetchone()[0] for q in (SITES, DEVICES)]
        for site in range(3):
            writer.execute("UPDATE site SET version = version + 1 WHERE code = 'POOL'")
            writer.execute("UPDATE device SET channels = channels || '[]'")
            assert reader.execute(SITES).fetchone() == (before[0],), site
        writer.commit()
        assert [reader.execute(q).fetchone()[0] for q in (SITES, DEVICES)] == [n + 1 for n in before]
        writer.execute("UPDATE site SET version = version + 1 WHERE code = 'POOL'")
        writer.rollback()
        assert reader.execute(SITES).fetchone() == (before[0] + 1,)


def test_two_that_record_at_once_do_not_wait_for_each_other_and_both_count(urls: Urls, services: Services) -> None:
    with psycopg.connect(urls.application) as one, psycopg.connect(urls.application) as two:
        before = one.execute(SITES).fetchone()[0]
        one.commit()
        one.execute("UPDATE site SET version = version + 1 WHERE code = 'POOL'")
        two.execute("UPDATE site SET version = version + 1 WHERE code = 'TANK'")
        two.commit()
        one.commit()
        assert two.execute(SITES).fetchone() == (before + 2,)


@pytest.mark.parametrize("wanted", ["status = 'ok'", "wanted_until = now()"])
def test_what_a_link_notes_of_its_line_counts_as_no_change(urls: Urls, services: Services, wanted: str) -> None:
    with psycopg.connect(urls.application, autocommit=True) as link:
        before = link.execute(DEVICES).fetchone()
        link.execute(f"UPDATE device SET {wanted}")
        assert link.execute(DEVICES).fetchone() == before
        link.execute("UPDATE device SET channels = channels || '[]'")
        assert link.execute(DEVICES).fetchone() == (before[0] + 1,)


class Counting:
    """A service that counts how often it works a thing out."""

    def __init__(self, database: Database, clock: Clock) -> None:
        self.database, self.clock, self.worked = database, clock, list[object]()

    @cached
    def thing(self, key: str, *, much: int = 1) -> str:
        self.worked.append((key, much))
        if key == "bad":
            raise ValueError(key)
        with self.database.session() as session:
            return key * much + str(session.scalar(select(Site.version).where(Site.code == "POOL")))

    @cached
    def around(self) -> str:
        """What hangs on a thing, and asks nothing itself."""
        self.worked.append("around")
        return f"around {self.thing('a')}"


def changed(urls: Urls, table: str) -> None:
    """Somebody changes something in a table."""
    what = {"site": "version = version + 1", "device": "channels = channels || '[]'"}[table]
    with psycopg.connect(urls.application, autocommit=True) as somebody:
        somebody.execute(f"UPDATE {table} SET {what}")


def test_an_answer_is_kept_by_what_was_asked_until_something_is_recorded(database: Database, urls: Urls) -> None:
    service = Counting(database, CLOCK)
    answers = [service.thing("a"), service.thing("a"), service.thing("a", much=2), service.thing("b")]
    assert [a.rstrip("0123456789") for a in answers] == ["a", "a", "aa", "b"]
    assert service.worked == [("a", 1), ("a", 2), ("b", 1)]
    assert Counting(database, CLOCK).thing("a") == answers[0]
    changed(urls, "site")
    assert service.thing("a") != answers[0]
    assert len(service.worked) == 4
    assert service.thing.__name__ == "thing"


def test_an_answer_is_kept_while_only_other_tables_change(database: Database, urls: Urls) -> None:
    service = Counting(database, CLOCK)
    first = service.thing("a")
    changed(urls, "device")
    assert service.thing("a") == first
    assert len(service.worked) == 1


def test_what_hangs_on_a_kept_answer_grows_old_with_it(database: Database, urls: Urls) -> None:
    service = Counting(database, CLOCK)
    service.thing("a")  # it asks nothing more when it is used below
    first = service.around()
    changed(urls, "device")
    assert service.around() is first
    changed(urls, "site")
    assert service.around() != first
    assert service.worked == [("a", 1), "around", "around", ("a", 1)]


def test_a_refusal_is_not_kept(database: Database) -> None:
    service = Counting(database, CLOCK)
    for _ in range(2):
        with pytest.raises(ValueError, match="bad"):
            service.thing("bad")
    assert len(service.worked) == 2


def test_waits_run_out_by_themselves(database: Database) -> None:
    service = Counting(database, CLOCK)
    service.thing("a")
    service.clock = replace(CLOCK, frozen=NOW + timedelta(minutes=1))
    service.thing("a")
    assert len(service.worked) == 2


def test_within_one_look_the_count_is_read_once_and_nothing_newer_is_seen(database: Database, urls: Urls) -> None:
    service = Counting(database, CLOCK)
    with asked(database) as sent, one_look():
        service.thing("a")
        changed(urls, "site")
        service.thing("a")
        service.thing("b")
    assert sum("change_count" in s for s in sent) == 1
    assert service.worked == [("a", 1), ("b", 1)]
    service.thing("a")
    assert len(service.worked) == 3


def test_what_is_kept_has_its_bound(database: Database) -> None:
    service = Counting(database, CLOCK)
    for n in range(150):
        service.thing(str(n))
    (memory,) = [m for name, m in vars(service).items() if name == "_kept_thing"]
    assert len(memory._known) <= 100
