"""Units as people have them on kits and meters, at the water and at the bench; the one chosen is offered."""

from __future__ import annotations

import re
import uuid

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, post, probe_id

from brumel.services.application import Services
from brumel.services.visits.visits import NewVisit


@pytest.mark.parametrize(
    ("key", "typed", "value"),
    [
        # 1 °dH is 10 mg CaO/L: 10/56.077 mmol/L, times 100.087 as CaCO3 (molar masses, IUPAC).
        ("hardness", "12 °dH", 12 * 10 / 56.077 * 100.087),
        ("alkalinity", "12 °fH", 120.0),
        # One milliequivalent is half a millimole of CaCO3.
        ("alkalinity", "2.2 meq/L", 2.2 * 100.087 / 2),
        ("salinity", "32 ppt", 32.0),
        ("salinity", "3.2 %", 32.0),
        ("sodium-chloride", "3200 ppm", 3200.0),
        ("sodium-chloride", "3.2 ppt", 3200.0),
    ],
)
def test_a_unit_of_a_kit_under_something_else(
    client: FlaskClient, services: Services, key: str, typed: str, value: float
) -> None:
    """Salt in ppm or ppt saved nothing and said nothing."""
    enter(client, "technician")
    person = services.people.add(f"u{uuid.uuid4().hex[:8]}", "Una", "technician", "a long password")
    visit = services.visits.open(NewVisit(uuid.uuid4(), None, "jar"), person)
    form = {"more_quantity": key, "more_value": typed, "id-more": uuid.uuid4()}
    assert post(client, f"/visits/{visit}", **form).status_code == 302
    (found,) = [r for r in services.visits.view(visit).readings if r.quantity == key]
    assert found.value == pytest.approx(value, rel=1e-4)
    assert found.typed_as == typed


def test_fahrenheit_and_volts_at_the_bench(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    site, probe = services.states.sites()[0].id, probe_id(services, "B-ORP")
    key = uuid.uuid4()
    form = {
        "id": key, "site": site, "probe": probe, "source": "typed-signal", "signal": "0.412 V",
        "temperature_c": "66.2 °F", "despite": "a test",
    }  # fmt: skip
    assert post(client, "/rounds/reading", **form).status_code == 302
    found = services.readings.view(key).reading
    assert (found.signal, found.temperature_c) == (pytest.approx(412.0), pytest.approx(19.0))


def test_the_unit_that_a_person_reads_in_is_the_one_that_is_asked_for(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    assert post(client, "/units", **{"unit-°C": "°F"}).status_code == 302
    site, probe = services.states.sites()[0].id, probe_id(services, "A-pH")
    page = client.get(f"/rounds/reading?site={site}&probe={probe}&source=typed-signal", base_url=BASE).text
    assert re.search(r'name="temperature_c".*?<span>°F</span>', page, re.DOTALL)
    key = uuid.uuid4()
    form = {"id": key, "site": site, "probe": probe, "source": "typed-signal", "signal": "10", "temperature_c": "66.2",
            "despite": "a test"}  # fmt: skip
    assert post(client, "/rounds/reading", **form).status_code == 302
    assert services.readings.view(key).reading.temperature_c == pytest.approx(19.0)
    post(client, "/units", **{"unit-°C": "°C"})
