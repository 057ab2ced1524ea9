"""What holds from a moment on, through its pages: a site's settings, a run's conditions, a night's calendar."""

from __future__ import annotations

import uuid

from flask.testing import FlaskClient
from icalendar import Calendar
from tests.web.screens import BASE, enter, person_of_role, post, probe_id

from brumel.services.application import Services


def test_a_site_is_set_once_what_rests_on_it_was_looked_at(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    site = next(s for s in services.states.sites() if s.code == "SPRING")
    path = f"/visits/sites/{site.id}/settings"
    form = {
        "id": uuid.uuid4(),
        "since": "2026-03-01T00:00",
        "method": "linear",
        "coefficient": "2",
        "reference_c": "20",
    }
    refused = post(client, path, **form | {"altitude_m": "99999"})
    assert refused.status_code == 422
    assert 'value="2026-03-01T00:00"' in refused.text, "what was typed stays"
    looked = post(client, path, **form, altitude_m="640")
    assert looked.status_code == 200
    assert "Specific conductance" in looked.text
    assert "Set it and amend all" in looked.text
    assert post(client, path, **form, altitude_m="640", apply="1").status_code == 422, "without a reason"
    assert post(client, path, **form, altitude_m="640", apply="1", reason="surveyed anew").status_code == 302
    page = client.get(path, base_url=BASE).text
    assert "surveyed anew" in page
    assert "linear, 2 %/°C to 20 °C" in page
    assert 'value="640"' in page, "what holds now is what its form begins with"


def test_a_run_of_an_oxygen_probe_is_put_right(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    run_id, probe = uuid.uuid4(), probe_id(services, "B-DO")
    begun = post(
        client, "/bench/new", id=run_id, probe=probe, method="luminescence-air", rinse="distilled-once",
        pressure="1009", pressure_unit="hPa", pressure_kind="station", despite="a test",
    )  # fmt: skip
    assert begun.status_code == 302
    path = f"/bench/runs/{run_id}/put-right"
    form = {"pressure": "1009", "pressure_unit": "hPa", "pressure_kind": "sea-level", "altitude_m": "630"}
    refused = post(client, path, id=uuid.uuid4(), **form, put_right="")
    assert refused.status_code == 422
    assert "Say in a few words how it came to light" in refused.text
    assert 'value="630"' in refused.text
    assert post(client, path, id=uuid.uuid4(), **form, put_right="it is a report's").status_code == 302
    services.calibrations.abandon(run_id, person_of_role(services, "technician"), "only a test")
    page = client.get(f"/ledger/calibrations/{run_id}", base_url=BASE).text
    assert "Put right what was said at the beginning: it is a report" in page
    assert "said at first: 1009.0 hPa measured at the place" in page


def test_a_visit_without_a_night_has_an_empty_calendar(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    visit = services.visits.at_site(services.states.sites()[0].id)[0][0]
    answer = client.get(f"/visits/{visit.id}/night.ics", base_url=BASE)
    assert Calendar.from_ical(answer.data).walk("VEVENT") == []
