"""A site's altitude and compensation hold from a moment on; what rests on them is shown and amended in one act."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

import pytest

from brumel.core.place.station_pressure import Pressure
from brumel.services.application import Services
from brumel.services.errors import InvalidInput
from brumel.services.sites.site_settings import NewSetting
from brumel.services.sites.sites import NewSite
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visit_view import VisitView
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Person
from tests.conftest import CLOCK, NOW
from tests.services.demonstrated import person, services, template

__all__ = ["person", "services", "template"]
DAY = timedelta(days=1)
SEA_LEVEL = Pressure(1013.25, kind="sea-level")
LINEAR = {"method": "linear", "coefficient_percent_per_c": 2.0, "reference_c": 20.0}
"""1000 µS/cm at 10 °C are 1000 / (1 + 0.02 × (10 − 20)) = 1250 at 20 °C."""


def site(services: Services, person: Person, altitude_m: float, **compensation: Any) -> uuid.UUID:
    new = NewSite(
        uuid.uuid4(), uuid.uuid4().hex[:8], "Tarn", "stream", 7, compensation=compensation, altitude_m=altitude_m
    )
    return services.sites.save(new, person)


def visited(
    services: Services, person: Person, site_id: uuid.UUID, pressure: Pressure = SEA_LEVEL, *, days_ago: float = 0.0
) -> VisitView:
    """A visit with a conductivity and an oxygen as handhelds showed them, under a weather report's pressure."""
    with_probes = {p.label: f"probe:{p.id}" for p in services.states.probes()}
    at = NOW - days_ago * DAY
    visit = services.visits.open(NewVisit(uuid.uuid4(), site_id, begun_at=at), person)
    sheet = Sheet(
        [
            TypedIn(uuid.uuid4(), "temperature", "10"),
            TypedIn(uuid.uuid4(), "specific-conductance", "1000", read_with=with_probes["B-EC"]),
            TypedIn(uuid.uuid4(), "oxygen", "9.1", read_with=with_probes["B-DO"]),
        ],
        pressure=pressure, pressure_id=uuid.uuid4(),
    )  # fmt: skip
    services.visits.save(visit, sheet, person)
    return services.visits.view(visit)


def by_quantity(view: VisitView) -> Mapping[str, Reading]:
    return {r.quantity: r for r in view.readings}


def setting(site_id: uuid.UUID, since: datetime, altitude_m: float, reason: str = "surveyed", **how: Any) -> NewSetting:
    return NewSetting(uuid.uuid4(), site_id, since, altitude_m, how, reason)


def test_what_was_entered_wrongly_is_as_if_it_had_been_right_at_once(services: Services, person: Person) -> None:
    wrong, right = site(services, person, 30.0), site(services, person, 630.0, **LINEAR)
    before, wanted = visited(services, person, wrong), visited(services, person, right)
    new = setting(wrong, NOW - DAY, 630.0, **LINEAR)
    found = {c.quantity: c for c in services.site_settings.preview(new)}
    assert {"station-pressure", "oxygen", "specific-conductance"} <= found.keys()
    ids = [r.id for r in before.readings]
    assert [r.id for r in services.visits.view(before.visit.id).readings] == ids, "a look records nothing"
    assert services.site_settings.apply(new, person) == len(found)
    assert services.site_settings.apply(new, person) == 0, "sent twice"
    now, then = by_quantity(services.visits.view(before.visit.id)), by_quantity(wanted)
    assert now.keys() == then.keys()
    for key, reading in now.items():
        other = then[key]
        assert reading.value == pytest.approx(other.value, rel=1e-12), key
        assert reading.u == pytest.approx(other.u, rel=1e-4), key
        assert [d["value"] for d in reading.derived] == pytest.approx([d["value"] for d in other.derived]), key
        assert reading.surroundings.get("pressure") == other.surroundings.get("pressure"), key
    for key, change in found.items():
        assert now[key].value == pytest.approx(change.value), f"{key} became what was shown before"
        assert now[key].amend_reason
    assert {now[key].amends_id for key in found} == {c.reading.id for c in found.values()}, "each amended once"


def test_it_holds_from_its_moment_until_the_next(services: Services, person: Person) -> None:
    here = site(services, person, 5.0)
    old, middle, newest = (visited(services, person, here, days_ago=days) for days in (9, 5, 1))
    services.site_settings.apply(setting(here, NOW - 3 * DAY, 5.0, solids_factor=0.6), person)
    services.site_settings.apply(setting(here, NOW - 7 * DAY, 5.0, **LINEAR), person)
    was = by_quantity(old)["specific-conductance"].value
    first, second, third = (
        by_quantity(services.visits.view(v.visit.id))["specific-conductance"] for v in (old, middle, newest)
    )
    assert (first.value, third.value) == (was, was)
    assert second.value != was
    factors = [any(d["quantity"] == "dissolved-solids" for d in r.derived) for r in (first, second, third)]
    assert factors == [False, False, True]
    known = services.site_settings.of_site(here)
    assert (known.holds.compensation["solids_factor"], [s.since for s in known.settings]) == (
        0.6, [NOW - 3 * DAY, NOW - 7 * DAY],
    )  # fmt: skip


def test_what_stays_as_it_is_is_not_amended(services: Services, person: Person) -> None:
    """A conductivity hangs on no altitude, and a pressure of the place itself none either."""
    here = site(services, person, 30.0)
    view = visited(services, person, here, Pressure(1009.0))
    found = services.site_settings.preview(setting(here, NOW - DAY, 31.0))
    assert found == []
    (oxygen,) = services.site_settings.preview(setting(here, NOW - DAY, 630.0))
    assert (oxygen.quantity, oxygen.how) == ("oxygen", "1009.0 hPa measured at the place, doubtful → unfit")
    assert oxygen.reading.id == by_quantity(view)["oxygen"].id, "1009 hPa can't be the pressure at 630 m"


def test_an_altitude_that_somebody_typed_stays(services: Services, person: Person) -> None:
    here = site(services, person, 30.0)
    visit = services.visits.open(NewVisit(uuid.uuid4(), here), person)
    typed = Pressure(1013.25, kind="sea-level", altitude_m=100.0)
    services.visits.save(visit, Sheet([], pressure=typed, pressure_id=uuid.uuid4()), person)
    assert services.site_settings.preview(setting(here, NOW - DAY, 630.0)) == []


def test_what_can_not_be_set_is_refused_in_its_field(services: Services, person: Person) -> None:
    here = site(services, person, 30.0)
    for new, field in (
        (setting(here, NOW - DAY, 99_000.0), "altitude_m"),
        (setting(here, NOW + DAY, 3.0), "since"),
        (setting(here, NOW - DAY, 30.0), "since"),
        (setting(here, NOW - DAY, 3.0, method="linear"), "coefficient"),
        (setting(here, NOW - DAY, 3.0, reason=" "), "reason"),
    ):
        with pytest.raises(InvalidInput) as refused:
            services.site_settings.apply(new, person)
        assert field in refused.value.fields
    assert CLOCK.now() == NOW
