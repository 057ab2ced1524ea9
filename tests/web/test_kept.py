"""What is kept: nobody changes it, a page shows one moment, and no page differs from one that nothing was kept for."""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence, Set
from dataclasses import fields, is_dataclass, replace
from datetime import timedelta
from typing import Any

import psycopg
import pytest
from flask.testing import FlaskClient
from sqlalchemy import text
from tests.acting import as_said
from tests.conftest import CLOCK, NOW, Urls
from tests.web.remembered import memories
from tests.web.screens import _ID, BASE, enter, screen_paths

from brumel.services.application import Services
from brumel.services.cached.remembered import Remembered, cached, one_look
from brumel.services.probes.care_log import NewCare
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.sites.site_settings import NewSetting
from brumel.services.sites.sites import NewLimit, NewSite
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.database import Database
from brumel.store.models.base import Base
from brumel.store.models.reference import Person
from brumel.web.app import WebSettings, create_app


def fingerprint(thing: Any, at: str = "", ours: bool = True) -> Iterator[tuple[str, str]]:
    """All that an answer holds, with its place; what of it could be changed is said as a fault."""
    if isinstance(thing, Base):
        loaded = {k: v for k, v in vars(thing).items() if not k.startswith("_") and not isinstance(v, Base | list)}
        yield at, repr(sorted(loaded.items(), key=lambda item: item[0]))
    elif is_dataclass(thing):
        ours = type(thing).__module__.startswith("brumel.services")
        for field in fields(thing):
            yield from fingerprint(getattr(thing, field.name), f"{at}.{field.name}", ours)
    elif isinstance(thing, str | bytes) or hasattr(thing, "_fields"):  # a row of the store, as it came
        yield at, repr(thing)
    elif isinstance(thing, Mapping):
        assert not (ours and isinstance(thing, dict)), f"{at} is a mapping that can be changed"
        for key, value in thing.items():
            yield from fingerprint(value, f"{at}[{key}]", ours)
    elif isinstance(thing, Sequence | Set):
        assert not (ours and isinstance(thing, list | set)), f"{at} can be changed"
        for n, part in enumerate(thing):
            yield from fingerprint(part, f"{at}[{n}]", ours)
    else:
        yield at, repr(thing)


def answers(services: Services) -> dict[tuple[int, object], Any]:
    """All that is kept now."""
    found: list[Remembered[object]] = []
    for service in vars(services).values():
        found += memories(service, set())
    return {(id(m), of): known.thing for m in {id(m): m for m in found}.values() for of, known in m._known.items()}


def test_no_page_changes_what_is_kept(client: FlaskClient, services: Services) -> None:
    """The list of what to order once grew into another answer at each look."""
    enter(client, "technician")
    paths = screen_paths(lambda path: client.get(path, base_url=BASE).text)
    for path in paths.values():
        client.get(path, base_url=BASE)
    before = {key: list(fingerprint(thing, str(key[1]))) for key, thing in answers(services).items()}
    assert len(before) > 20
    for name, path in paths.items():
        assert client.get(path, base_url=BASE).status_code == 200
        now = answers(services)
        for key, was in before.items():
            assert list(fingerprint(now[key], str(key[1]))) == was, name


def test_what_to_order_is_no_part_of_what_the_rounds_lack(services: Services) -> None:
    lacking = list(services.outlook.lacking())
    services.outlook.shopping()
    assert list(services.outlook.lacking()) == lacking


class Telling:
    """A service of two questions, and a clock that goes on."""

    def __init__(self, database: Database) -> None:
        self.database, self.clock = database, replace(CLOCK, frozen=None)

    @cached
    def names(self, which: str) -> list[str]:
        with self.database.session() as session:
            return [*session.execute(text("SELECT name FROM site ORDER BY code")).scalars(), which]


def test_a_page_shows_one_moment(database: Database, urls: Urls) -> None:
    """Its parts read in sessions of their own: one once listed a fall and another showed the probe unhurt."""
    service = Telling(database)
    with one_look():
        first, at = service.names("first"), service.clock.now()
        with psycopg.connect(urls.owner, autocommit=True) as owner:
            owner.execute("UPDATE site SET name = name || ' renamed'")
        assert service.names("second")[:-1] == first[:-1]
        assert service.clock.now() == at
    assert service.names("third")[0] == f"{first[0]} renamed"
    assert service.clock.now() > at


def test_a_look_only_reads(database: Database) -> None:
    with one_look(), pytest.raises(Exception, match="takes no records"), database.session() as session:
        session.execute(text("UPDATE site SET name = 'no'"))


def test_who_holds_a_record_has_a_transaction_of_its_own(database: Database) -> None:
    with one_look():
        with database.session(uuid.uuid4()) as session:
            session.execute(text("UPDATE site SET name = name"))
        with database.session() as session:
            assert session.execute(text("SHOW transaction_read_only")).scalar_one() == "on"


def test_a_count_that_fell_makes_everything_old(database: Database, urls: Urls) -> None:
    """As after a copy was taken back: what was kept is of another history."""
    service = Telling(database)
    service.clock = CLOCK
    first = service.names("kept")
    assert service.names("kept") is first
    with psycopg.connect(urls.owner, autocommit=True) as owner:
        owner.execute("UPDATE change_count SET counts = counts || '{\"site\": 0}'")
    assert service.names("kept") is not first


def test_what_can_be_changed_or_deleted_is_counted_when_it_is(urls: Urls) -> None:
    """PostgreSQL's catalogue, tgtype: 4 insert, 8 delete, 16 update; facts are guarded against the latter two."""
    with psycopg.connect(urls.owner) as owner:
        rows = owner.execute(
            "SELECT tgrelid::regclass::text, tgtype FROM pg_trigger WHERE tgname LIKE '%_counted'"
        ).fetchall()
        facts = owner.execute("SELECT tgrelid::regclass::text FROM pg_trigger WHERE tgname LIKE '%_kept'").fetchall()
    guarded = {table for (table,) in facts}
    assert {table for table, kind in rows if table not in guarded and kind & 28 != 28} == set()


Record = Callable[[Services, Person], object]
NEW = uuid.uuid4()


def _recordings(services: Services) -> dict[str, Record]:
    """One of each kind of recording, in an order in which they can be done."""
    ph = next(p for p in services.states.probes() if p.label == "A-pH")
    site = services.states.sites()[0]
    lot = services.shelf.entries()[0].lot
    (visit, readings), *_ = services.visits.at_site(site.id)
    reading = next(r for r in readings if r.quantity == "temperature")
    planned = services.planned.ahead()[0]
    new_lot = NewLot(
        NEW, "ph-buffer", "K1", "technical", 7.0, expires_on=NOW.date() + timedelta(days=90), content=500.0
    )  # fmt: skip
    changed_site = NewSite(
        site.id, site.code, "Another name", site.water_kind, site.visit_every_days, {"ph": (6.0, 8.0)},
        site.compensation, site.altitude_m, version=site.version,
    )  # fmt: skip
    setting = NewSetting(uuid.uuid4(), site.id, NOW, 12.5, reason="surveyed")
    entries = [TypedIn(uuid.uuid4(), "temperature", "19.5"), TypedIn(uuid.uuid4(), "ph", "7.9")]
    return {
        "care": lambda s, p: s.kit.log(ph.id, NewCare(uuid.uuid4(), "dropped", NOW - timedelta(minutes=1)), p),
        "a lot received": lambda s, p: s.shelf.receive(new_lot, p),
        "a lot opened": lambda s, p: s.shelf.open(NEW, uuid.uuid4(), p),
        "a lot used": lambda s, p: s.shelf.use(NEW, uuid.uuid4(), 60.0, "", p),
        "a lot discarded": lambda s, p: s.shelf.discard(lot.id, uuid.uuid4(), "old", p),
        "a visit's values": lambda s, p: s.visits.save(visit.id, Sheet(entries), p),
        "a reading amended": lambda s, p: s.visits.amend(
            reading.id, TypedIn(uuid.uuid4(), "temperature", "11.5"), "typo", p
        ),
        "a site set": lambda s, p: s.site_settings.apply(setting, p),
        "a site changed": lambda s, p: s.sites.save(changed_site, p),
        "a limit set": lambda s, p: s.sites.limit(NewLimit(uuid.uuid4(), site.id, "ph", 6.9, 7.1, "the owner's"), p),
        "a visit opened": lambda s, p: s.visits.open(NewVisit(uuid.uuid4(), site.id), p),
        "a round dropped": lambda s, p: s.planned.drop(planned.id, p),
    }


_MASKED = re.compile(rf'(value="|csrf_token[^>]*|/static/|-){_ID}|name="csrf_token" value="[^"]*"')


def test_no_page_differs_from_one_that_nothing_was_kept_for(urls: Urls, client: FlaskClient) -> None:
    """Two processes keep, and record by turns; a third forgets everything before each page."""
    made = []
    for _ in range(3):
        database = as_said(Database(urls.application, pool_size=2), urls.owner)
        services = Services.over(database, CLOCK)
        one = create_app(services, WebSettings("test", demo=True)).test_client()
        enter(one, "supervisor")
        made.append((database, services, one))
    (_, first, a), (_, second, b), (third, forgetful, c) = made
    with third.session() as session:
        person = session.query(Person).filter_by(role="supervisor").first()
    paths = screen_paths(lambda path: a.get(path, base_url=BASE).text)

    def shown(client: FlaskClient, path: str) -> str:
        return _MASKED.sub("", client.get(path, base_url=BASE).text)

    for path in paths.values():
        shown(a, path), shown(b, path)  # from then on each keeps what it showed last
    for n, (what, record) in enumerate(_recordings(first).items()):
        record((first, second)[n % 2], person)
        for name, path in paths.items():
            for service in vars(forgetful).values():
                for memory in memories(service, set()):
                    memory._known.clear()
            unkept = shown(c, path)
            assert shown(a, path) == unkept, (what, name)
            assert shown(b, path) == unkept, (what, name)
    for database, _, _ in made:
        database.close()
