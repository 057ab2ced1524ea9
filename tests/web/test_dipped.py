"""Several probes in one water: what a value leans on is asked for before its probe is listened to, in its place."""

from __future__ import annotations

import html
import uuid

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, post, probe_id

from brumel.services.application import Services
from brumel.services.visiting.visits import NewVisit

AIR = {"pressure": "1009", "pressure_unit": "hPa", "pressure_kind": "station"}


@pytest.fixture
def visit_id(services: Services, client: FlaskClient) -> uuid.UUID:
    """A visit to the shrimp pond, which is salt: nothing read yet."""
    enter(client, "technician")
    anna = services.people.add(f"anna-{uuid.uuid4().hex[:8]}", "Anna Weir", "technician", "a long password")
    pond = next(s for s in services.states.sites() if s.name == "Shrimp pond")
    return services.visits.open(NewVisit(uuid.uuid4(), pond.id), anna)


def tiles(text: str) -> dict[str, str]:
    """The words of each probe's tile, by its label."""
    parts = html.unescape(text).split('<section aria-labelledby="tile-')[1:]
    return {part.split('<span class="soft small">')[1].split("<")[0]: part.split("</section>")[0] for part in parts}


def test_oxygen_goes_into_no_water_without_its_pressure(
    services: Services, client: FlaskClient, visit_id: uuid.UUID
) -> None:
    chosen = [str(probe_id(services, label)) for label in ("A-pH", "B-DO")]
    answer = post(client, f"/visits/{visit_id}/at-once/immerse", probe=chosen)
    assert answer.status_code == 422
    assert "Give the pressure" in html.unescape(answer.text)
    assert "<details open><summary>Air pressure" in answer.text
    assert all(f'value="{key}" checked' in answer.text for key in chosen)
    assert post(client, f"/visits/{visit_id}/at-once/immerse", probe=chosen[:1]).status_code == 302
    given = AIR | {"id-pressure": str(uuid.uuid4())}
    assert post(client, f"/visits/{visit_id}/at-once/immerse", probe=chosen, **given).status_code == 302


def test_a_value_that_leans_on_salts_says_so_in_its_tile_until_they_are_read(
    services: Services, client: FlaskClient, visit_id: uuid.UUID
) -> None:
    dips = "&".join(f"dip={probe_id(services, label)}:0" for label in ("A-pH", "B-DO"))
    assert post(client, f"/visits/{visit_id}", **AIR | {"id-pressure": str(uuid.uuid4())}).status_code == 302
    found = tiles(client.get(f"/visits/{visit_id}/at-once?{dips}", base_url=BASE).text)
    assert "This water is salt: give its salinity, or read its conductivity with a probe first" in found["B-DO"]
    assert ("data-live" in found["B-DO"], "data-live" in found["A-pH"]) == (False, True)
    salt = {
        "temperature": "28.6",
        "id-temperature": str(uuid.uuid4()),
        "specific-conductance": "28300",
        "with-specific-conductance": f"probe:{probe_id(services, 'A-EC')}",
        "id-specific-conductance": str(uuid.uuid4()),
    }
    assert post(client, f"/visits/{visit_id}", **salt).status_code == 302
    found = tiles(client.get(f"/visits/{visit_id}/at-once?{dips}", base_url=BASE).text)
    assert "data-live" in found["B-DO"], found["B-DO"]
