"""What a visit costs with ten years of data: saving ten typed quantities, and a thousand readings amended at once."""

from __future__ import annotations

import statistics
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta

from bench_pairs import visit_form
from bench_table import line
from bench_worked import Worked, timed
from flask.testing import FlaskClient
from sqlalchemy import text
from tests.conftest import own_cluster
from tests.web.screens import BASE, enter, token

from brumel.services.application import Services
from brumel.services.readings.meter_settings import WrongSetting
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Person

YEARS, SAVES, AMENDED = 10, 25, 1_000


def visits() -> None:
    """Print both figures, the first beside an empty page."""
    with filled() as (services, client):
        print(f"\na visit of ten typed quantities, {YEARS} years of data")
        site = next(s.id for s in services.states.sites() if s.code == "SHRIMP")
        key = token(client)
        empty, saved, looked = [], [], []
        for _ in range(SAVES):
            visit = services.visits.open(NewVisit(uuid.uuid4(), site), _person(services))
            choices = {r.about.key: r.usual for r in services.visits.view(visit).rows}
            form = visit_form(key, choices)
            empty.append(timed(client, "/healthy"))
            begun = time.perf_counter()
            answer = client.post(f"/visits/{visit}", data=form, base_url=BASE, headers={"Referer": BASE})
            saved.append(time.perf_counter() - begun)
            assert answer.status_code == 302, answer.text
            looked.append(timed(client, f"/visits/{visit}"))
        for name, times in (("empty page", empty), ("saving it (aim: ≤ 150 ms)", saved), ("its page", looked)):
            line(name, times, statistics.median(empty))
        _amended(services)


def _amended(services: Services) -> None:
    """A thousand readings of one meter, amended by one setting."""
    site = next(s.id for s in services.states.sites() if s.code == "TANK")
    cell = next(s.probe for s in services.states.probe_states() if s.probe.label == "A-EC")
    person, began = _person(services), services.clock.now() - timedelta(seconds=1)
    for _ in range(AMENDED):
        visit = services.visits.open(NewVisit(uuid.uuid4(), site), person)
        typed = [
            TypedIn(uuid.uuid4(), "temperature", "20.5"),
            TypedIn(uuid.uuid4(), "specific-conductance", "1850", "", f"probe:{cell.id}", "bench"),
        ]
        services.visits.save(visit, Sheet(typed), person)
    really = {"method": "none", "reference_c": 25.0}
    wrong = WrongSetting(cell.meter_id, "specific-conductance", began, began + timedelta(days=1), really)
    begun = time.perf_counter()
    count = services.resetting.apply(wrong, "its menu said off", person)
    print(f"{count} readings amended by one setting, {time.perf_counter() - begun:.1f} s (aim: ≤ 5 s for 1 000)")


def _person(services: Services) -> Person:
    with services.people.database.session() as session:
        return session.query(Person).filter_by(role="technician").first()  # type: ignore[return-value]


@contextmanager
def filled() -> Iterator[tuple[Services, FlaskClient]]:
    """The demonstration's year, nine more of its visits before, and somebody signed in."""
    with own_cluster("bench") as made:
        worked = Worked(made, 365)
        for year in range(1, YEARS):
            _again(worked.database, year)
        worked.analyse()
        with worked.database.session() as session:
            print(f"{session.scalar(text('SELECT count(*) FROM reading')):,} readings")
        with worked.app.test_client() as client:
            enter(client, "technician")
            yield worked.services, client
        worked.database.close()


def _again(database: Database, year: int) -> None:
    """The year's visits and readings once more, so many years before."""
    other = {
        "id": f"md5(id::text || '{year}')::uuid", "visit_id": f"md5(visit_id::text || '{year}')::uuid",
        "taken_at": f"taken_at - interval '{year} years'", "recorded_at": f"recorded_at - interval '{year} years'",
    }  # fmt: skip
    names = [c.key for c in Reading.__table__.columns if c.key != "ordinal"]
    with database.session() as session:
        session.execute(
            text(
                "INSERT INTO visit SELECT md5(id::text || :y)::uuid, site_id, sample, person_id, round_id, "
                f"begun_at - interval '{year} years', recorded_at FROM visit WHERE begun_at > now() - interval '1 year'"
            ),
            {"y": str(year)},
        )
        columns = ", ".join(other.get(name, name) for name in names)
        session.execute(
            text(
                f"INSERT INTO reading ({', '.join(names)}) SELECT {columns} FROM reading "
                "WHERE taken_at > now() - interval '1 year' AND amends_id IS NULL"
            )
        )
