"""The nights when clocks change: a time that is none, or two, is asked back in its field, with what it can be."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from flask.testing import FlaskClient
from sqlalchemy import select
from tests.conftest import NOW
from tests.web.screens import BASE, enter, post, probe_id

from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.store.database import Database
from brumel.store.models.care import CareRecord
from brumel.web.app import WebSettings, create_app

SPRING, AUTUMN = "2026-03-29T02:30", "2025-10-26T02:30"


@pytest.fixture(scope="module")
def services(database: Database) -> Services:
    return Services.over(database, Clock(ZoneInfo("Europe/Berlin"), NOW))


@pytest.fixture
def client(services: Services) -> Iterator[FlaskClient]:
    with create_app(services, WebSettings("nights", demo=True)).test_client() as made:
        enter(made, "technician")
        yield made


@pytest.mark.parametrize(
    ("typed", "words", "readings"),
    [
        (SPRING, "02:30 was left out that night, for clocks went forward: 01:30 or 03:30?",
         {"2026-03-29T01:30:00+01:00": datetime(2026, 3, 29, 0, 30, tzinfo=UTC),
          "2026-03-29T03:30:00+02:00": datetime(2026, 3, 29, 1, 30, tzinfo=UTC)}),
        (AUTUMN, "02:30 came twice that night, for clocks went back: the first (UTC+2) or the second (UTC+1)?",
         {"2025-10-26T02:30:00+02:00": datetime(2025, 10, 26, 0, 30, tzinfo=UTC),
          "2025-10-26T02:30:00+01:00": datetime(2025, 10, 26, 1, 30, tzinfo=UTC)}),
    ],
)  # fmt: skip
def test_it_is_asked_and_what_was_chosen_is_kept(
    client: FlaskClient, services: Services, typed: str, words: str, readings: dict[str, datetime]
) -> None:
    probe = probe_id(services, "B-EC")
    form = {"care": "cleaned", "at": typed, "note": f"night {typed}"}
    for odd in ("", "2026-05-06T02:30:00+02:00"):
        asked = post(client, f"/kit/probes/{probe}/care", id=uuid.uuid4(), **form, **{"at-meant": odd})
        assert asked.status_code == 422
        assert words in asked.text
        assert f'value="{typed}"' in asked.text
        for reading in readings:
            assert f'name="at-meant" value="{reading}"' in asked.text
    for reading, moment in readings.items():
        note = f"{form['note']} {reading}"
        kept = post(client, f"/kit/probes/{probe}/care", id=uuid.uuid4(), **form | {"note": note, "at-meant": reading})
        assert kept.status_code == 302
        with services.ledger.database.session() as session:
            assert session.scalars(select(CareRecord.at).where(CareRecord.note == note)).all() == [moment]


def test_any_other_time_is_not_asked(client: FlaskClient, services: Services) -> None:
    form = {"care": "cleaned", "at": "2026-03-29T03:30", "at-meant": "2026-03-29T01:30:00+01:00"}
    kept = post(client, f"/kit/probes/{probe_id(services, 'B-EC')}/care", id=uuid.uuid4(), **form)
    assert kept.status_code == 302


@pytest.mark.parametrize(
    "path", ["/visits/new?site={site}", "/rounds/reading?site={site}", "/reckon/night-oxygen", "/plan/"]
)
def test_every_page_with_a_time_can_show_both(client: FlaskClient, services: Services, path: str) -> None:
    site = services.states.sites()[0].id
    assert client.get(path.format(site=site), base_url=BASE).status_code == 200


def test_a_span_of_a_site_and_a_time_at_the_desk_are_asked_too(client: FlaskClient, services: Services) -> None:
    site = services.states.sites()[0].id
    page = client.get(f"/visits/site/{site}?since={AUTUMN}", base_url=BASE).text
    assert 'name="since-meant" value="2025-10-26T02:30:00+02:00"' in page
    page = client.get(f"/reckon/night-oxygen?dawn_at={SPRING}", base_url=BASE).text
    assert "was left out that night" in page
    assert 'name="dawn_at-meant" value="2026-03-29T03:30:00+02:00"' in page


def test_smaller_than_any_float_is_asked_too(client: FlaskClient, services: Services) -> None:
    visit = uuid.uuid4()
    post(client, "/visits/new", id=visit, site=next(s.id for s in services.states.sites() if s.code == "TANK"))
    for typed in ("1e-400", "<1e-400", "0.1e-330"):
        answer = post(client, f"/visits/{visit}", **{"temperature": typed, "id-temperature": uuid.uuid4()})
        assert answer.status_code == 422
        assert "is too small to be meant: write 0" in answer.text
