"""A pond's oxygen until dawn: dusk's value alone is not known, two tell a line, an aerator ends it."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from icalendar import Calendar

from brumel.core.reading.night import Looked, Night, NightState
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.services.planning.calendar import calendar_of, of_night
from brumel.services.readings.given_value import Spot
from brumel.services.sites.sites import NewSite
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Remark, Sheet
from brumel.store.database import Database
from brumel.store.models.reference import Person
from tests.services.demonstrated import person, services, template

__all__ = ["person", "services", "template"]
DUSK = datetime(2026, 5, 6, 18, 10, tzinfo=UTC)
HOUR = timedelta(hours=1)


class Pond:
    """A pond that is looked at through an evening, by a laboratory's number, so that its U is small."""

    def __init__(self, database: Database, person: Person) -> None:
        self.database, self.person = database, person
        self.name = f"Pond {uuid.uuid4().hex[:6]}"
        new = NewSite(uuid.uuid4(), uuid.uuid4().hex[:8], self.name, "shrimp pond", 1)
        self.site_id = self.at(DUSK).sites.save(new, person)
        self.visit = self.at(DUSK).visits.open(NewVisit(uuid.uuid4(), self.site_id), person)

    def at(self, moment: datetime) -> Services:
        return Services.over(self.database, Clock(ZoneInfo("UTC"), moment))

    def look(self, moment: datetime, mg_l: str, layer: str = "") -> Night | None:
        sheet = Sheet([TypedIn(uuid.uuid4(), "oxygen", mg_l)], spot=Spot(None, layer))
        self.at(moment).visits.save(self.visit, sheet, self.person)
        return self.night(moment)

    def night(self, moment: datetime) -> Night | None:
        return self.at(moment).nights.of_visit(self.at(moment).visits.view(self.visit).visit)

    def steps(self, moment: datetime) -> list[str]:
        return [s.title for s in self.at(moment).today.day().steps if s.action == "night" and self.name in s.title]


@pytest.fixture
def pond(database: Database, person: Person) -> Pond:
    return Pond(database, person)


def test_dusk_alone_is_not_known_and_asks_for_a_second_look(pond: Pond) -> None:
    assert pond.night(DUSK) is None
    night = pond.look(DUSK, "6.2")
    assert night is not None
    assert night.state is NightState.UNKNOWN
    assert night.words(lambda t: f"{t:%H:%M}").startswith("Not known: look again from 20:10 to 21:10.")
    assert [f"Read the oxygen of {pond.name} again at 20:10"] == pond.steps(DUSK + 1 * HOUR)
    event = Calendar.from_ical(calendar_of(of_night(pond.visit, "Night pond", night), DUSK)).walk("VEVENT")[0]
    assert (event["dtstart"].dt, event["dtend"].dt) == (DUSK + 2 * HOUR, DUSK + 3 * HOUR)


def test_the_bottom_counts_and_two_looks_tell_when_aerators_must_run(pond: Pond) -> None:
    """6.0 at 18:10 and 5.0 at 20:40 fall by 0.4 mg/L an hour: 4.0, the limit, at 23:10."""
    pond.look(DUSK, "8.4", "top")
    pond.look(DUSK, "6.0", "bottom")
    night = pond.look(DUSK + 2.5 * HOUR, "5.0", "bottom")
    assert night is not None
    assert (night.first.mg_l, night.state) == (6.0, NightState.FALLS)
    assert night.crosses == DUSK + 5 * HOUR
    assert night.earliest is not None
    assert night.earliest < night.crosses
    assert night.dawn == datetime(2026, 5, 7, 6, tzinfo=UTC)
    (title,) = [t for t in pond.steps(DUSK + 2.6 * HOUR) if t.startswith("Aerators")]
    assert title == f"Aerators of {pond.name} must run by {night.earliest:%H:%M}"
    assert pond.steps(night.dawn + HOUR) == [], "the night is over"


def test_the_top_is_no_second_look_at_the_bottom(pond: Pond) -> None:
    pond.look(DUSK, "6.0", "bottom")
    night = pond.look(DUSK + 2.5 * HOUR, "7.9", "top")
    assert night is not None
    assert night.state is NightState.UNKNOWN


def test_an_aerator_ends_it(pond: Pond) -> None:
    pond.look(DUSK, "6.0")
    pond.look(DUSK + 2.5 * HOUR, "5.0")
    on = DUSK + 3 * HOUR
    said = Remark(uuid.uuid4(), "aerated", "an aerator was switched on")
    pond.at(on).visits.save(pond.visit, Sheet(said=[said]), pond.person)
    night = pond.night(on)
    assert night is not None
    assert (night.state, night.crosses, night.aerated_at) == (NightState.ENDED, None, on)
    assert "says nothing more" in night.words(str)
    assert pond.steps(on + HOUR) == []


def test_what_was_read_at_noon_is_no_dusk_and_a_stream_has_no_night(pond: Pond) -> None:
    pond.visit = pond.at(DUSK - 6 * HOUR).visits.open(NewVisit(uuid.uuid4(), pond.site_id), pond.person)
    assert pond.look(DUSK - 6 * HOUR, "9.0") is None
    new = NewSite(uuid.uuid4(), uuid.uuid4().hex[:8], "Brook", "stream or lake", 1)
    pond.site_id = pond.at(DUSK).sites.save(new, pond.person)
    pond.visit = pond.at(DUSK).visits.open(NewVisit(uuid.uuid4(), pond.site_id), pond.person)
    assert pond.look(DUSK, "6.0") is None


@pytest.mark.parametrize("u", [0.02, 0.1, 0.3])
def test_the_interval_holds_the_crossing_as_often_as_it_says(u: float) -> None:
    """The whole way from two noisy looks at a straight fall: by Monte Carlo, 95 % of nights cross within it."""
    rng, held, dawn = np.random.default_rng(42), 0, DUSK + 12 * HOUR
    true = Night(Looked(DUSK, 6.0, 0.0), Looked(DUSK + 2.5 * HOUR, 5.0, 0.0), dawn, 4.0).crosses
    assert true is not None
    for _ in range(400):
        noisy = [v + u * rng.standard_normal() for v in (6.0, 5.0)]
        night = Night(Looked(DUSK, noisy[0], u), Looked(DUSK + 2.5 * HOUR, noisy[1], u), dawn, 4.0)
        held += (night.earliest is not None and night.earliest <= true) and (
            night.latest is None or true <= night.latest
        )
    assert 0.92 <= held / 400 <= 0.985
    assert replace(night, second=None).state is NightState.UNKNOWN
