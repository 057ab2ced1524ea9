"""Every use case, for everybody: what a reader may not do, and what only a supervisor may."""

from __future__ import annotations

import inspect
import uuid
from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Any, NamedTuple

import pytest

from brumel.core.errors import CoreError
from brumel.core.place.surroundings import Surroundings
from brumel.services.application import Services
from brumel.services.calibrating.beginning import PutRight
from brumel.services.calibrating.meter_runs import NewKept
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import Forbidden, ServiceError
from brumel.services.kit.instruments import NewInstrument
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.people import Person
from brumel.services.planning.rounds import NewRound
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.services.readings.meter_settings import WrongSetting
from brumel.services.shelf.typed_lot import Correction, NewLot
from brumel.services.sites.site_settings import NewSetting
from brumel.services.sites.sites import NewLimit, NewSite
from brumel.services.visits.at_once import Together
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Sheet
from brumel.store.database import StoreError
from tests.conftest import NOW
from tests.services.world import World

ANY = uuid.UUID(int=7)
"""An id that nothing has: who may not act is told so before anybody looks whether it exists."""


class Case(NamedTuple):
    """A use case that changes something: how to call it, and who may."""

    call: Callable[[Services, Person], object]
    roles: frozenset[str]


RECORDS = frozenset({"technician", "supervisor"})
SUPERVISES = frozenset({"supervisor"})


def _new_probe() -> NewProbe:
    return NewProbe(ANY, "", "", "", "", None)


WRONG = WrongSetting(ANY, "oxygen", NOW, NOW + timedelta(days=1), {})

CASES: dict[str, Case] = {
    "starting.keep": Case(lambda s, p: s.starting.keep([], "", {}, p), RECORDS),
    "calibrations.begin": Case(lambda s, p: s.calibrations.begin(Begin(ANY, None, "x", "", {}), p), RECORDS),
    "calibrations.begin_step": Case(lambda s, p: s.calibrations.begin_step(ANY, ANY, "neutral", p), RECORDS),
    "calibrations.take": Case(lambda s, p: s.calibrations.take(ANY, TakePoint(ANY, "neutral"), p), RECORDS),
    "calibrations.sign": Case(lambda s, p: s.calibrations.sign(ANY, p), RECORDS),
    "calibrations.abandon": Case(lambda s, p: s.calibrations.abandon(ANY, p, "rain"), RECORDS),
    "calibrations.take_typed": Case(
        lambda s, p: s.calibrations.take_typed(ANY, [TakePoint(ANY, "neutral", 1.0, 22.0, device=False)], p), RECORDS
    ),
    "calibrations.drop": Case(lambda s, p: s.calibrations.drop(ANY, ANY, "neutral", p, "bubble"), RECORDS),
    "calibrations.put_right": Case(
        lambda s, p: s.calibrations.put_right(ANY, PutRight(ANY, Surroundings(), "x"), p), RECORDS
    ),
    "calibrations.take_over": Case(lambda s, p: s.calibrations.take_over(ANY, ANY, p, "called away"), RECORDS),
    "calibrations.amend": Case(lambda s, p: s.calibrations.amend(ANY, ANY, p, "note", withdraw=False), RECORDS),
    "calibrations.amend, withdrawn": Case(
        lambda s, p: s.calibrations.amend(ANY, ANY, p, "wrong", withdraw=True), SUPERVISES
    ),
    "kit.log": Case(lambda s, p: s.kit.log(ANY, NewCare(ANY, "cleaned"), p), RECORDS),
    "kit.withdraw": Case(lambda s, p: s.kit.withdraw(ANY, "wrong", p), RECORDS),
    "kit.inspect": Case(lambda s, p: s.kit.inspect(ANY, ANY, {}, "", p), RECORDS),
    "meters.save": Case(lambda s, p: s.meters.save(NewMeter(ANY, "", "", "", None), p), RECORDS),
    "meters.log": Case(lambda s, p: s.meters.log(ANY, ANY, "switched-on", None, "", p), RECORDS),
    "channels.save": Case(lambda s, p: s.channels.save(ANY, ANY, [], p), RECORDS),
    "planned.save": Case(lambda s, p: s.planned.save(NewRound(ANY, NOW, "", "", []), p), RECORDS),
    "planned.take_way": Case(lambda s, p: s.planned.take_way(ANY, "departure", "", p), RECORDS),
    "planned.tick": Case(lambda s, p: s.planned.tick(ANY, "pack", p), RECORDS),
    "planned.untick": Case(lambda s, p: s.planned.untick(ANY, p), RECORDS),
    "planned.drop": Case(lambda s, p: s.planned.drop(ANY, p), RECORDS),
    "probes.add": Case(lambda s, p: s.probes.add(_new_probe(), p), RECORDS),
    "probes.change": Case(lambda s, p: s.probes.change(_new_probe(), p), RECORDS),
    "kept.record": Case(lambda s, p: s.kept.record(NewKept(ANY, ANY), p), RECORDS),
    "readings.record": Case(lambda s, p: s.readings.record(NewReading(ANY, None, None, "typed-signal"), p), RECORDS),
    "shelf.receive": Case(lambda s, p: s.shelf.receive(NewLot(ANY, "", ""), p), RECORDS),
    "shelf.open": Case(lambda s, p: s.shelf.open(ANY, ANY, p), RECORDS),
    "shelf.use": Case(lambda s, p: s.shelf.use(ANY, ANY, 1.0, "", p), RECORDS),
    "shelf.discard": Case(lambda s, p: s.shelf.discard(ANY, ANY, "old", p), RECORDS),
    "shelf.correct": Case(
        lambda s, p: s.shelf.correct(ANY, Correction(ANY, "1", None, None, None, 1, None, "wrong", 1), p), RECORDS
    ),
    "shelf.withdraw": Case(lambda s, p: s.shelf.withdraw(ANY, "wrong", p), RECORDS),
    "retiring.retire": Case(lambda s, p: s.retiring.retire("probe", ANY, p), RECORDS),
    "retiring.bring_back": Case(lambda s, p: s.retiring.bring_back("site", ANY, p), RECORDS),
    "shelf.attach": Case(lambda s, p: s.shelf.attach(ANY, b"%PDF-", p), RECORDS),
    "shelf.pour_off": Case(lambda s, p: s.shelf.pour_off(ANY, uuid.uuid4(), None, "", p), RECORDS),
    "sites.limit": Case(lambda s, p: s.sites.limit(NewLimit(ANY, ANY, "ph", 6.0, 8.0, "permit"), p), SUPERVISES),
    "instruments.save": Case(lambda s, p: s.instruments.save(NewInstrument(ANY, "", "", ""), p), RECORDS),
    "visits.open": Case(lambda s, p: s.visits.open(NewVisit(ANY), p), RECORDS),
    "visits.save": Case(lambda s, p: s.visits.save(ANY, Sheet(), p), RECORDS),
    "visits.amend": Case(lambda s, p: s.visits.amend(ANY, TypedIn(ANY, "ph", "7"), "typo", p), RECORDS),
    "visits.remove": Case(lambda s, p: s.visits.remove(ANY, ANY, "typo", p), RECORDS),
    "visits.photograph": Case(lambda s, p: s.visits.photograph(ANY, ANY, b"x", "", p), RECORDS),
    "visits.acknowledge": Case(lambda s, p: s.visits.acknowledge(ANY, "told", p), RECORDS),
    "at_once.record": Case(lambda s, p: s.at_once.record(ANY, [], Together(), p), RECORDS),
    "resetting.apply": Case(lambda s, p: s.resetting.apply(WRONG, "found", p), RECORDS),
    "visits.finish": Case(lambda s, p: s.visits.finish(ANY, ANY, "", p), RECORDS),
    "simulation.into_lot": Case(lambda s, p: s.simulation.into_lot(ANY, p), RECORDS),
    "simulation.into_site": Case(lambda s, p: s.simulation.into_site(None, ANY, p), RECORDS),
    "simulation.fault": Case(lambda s, p: s.simulation.fault(None, "", p), RECORDS),
    "site_settings.apply": Case(
        lambda s, p: s.site_settings.apply(NewSetting(ANY, ANY, NOW, 3.0, reason="surveyed"), p), RECORDS
    ),
    "sites.save": Case(lambda s, p: s.sites.save(NewSite(ANY, "", "", "", None, {}), p), RECORDS),
}
FOR_EVERYBODY = {
    "channels.of_meter", "channels.view",
    "coming_back.probes",
    "calibrations.open_runs", "calibrations.view", "calibrations.lens", "calibrations.choices", "calibrations.before",
    "calibrations.same_pour",
    "health.checks", "health.restarts", "kept.form", "states.probe", "states.probe_states",
    "states.probe_state", "states.sites", "states.site", "states.probes", "states.logs",
    "kit.cards", "kit.life", "kit.photo", "ledger.calibrations", "ledger.readings", "ledger.calibrations_csv",
    "ledger.readings_csv", "ledger.calibration_file", "ledger.calibrations_json", "ledger.calibrations_jsonl",
    "ledger.readings_json", "ledger.care", "ledger.care_csv", "ledger.care_json", "live.newest_sample", "live.stream",
    "meters.all", "meters.view", "outlook.lacking", "outlook.shopping",
    "planned.ahead", "planned.kits", "planned.plan", "readings.basis", "readings.lens", "readings.signal",
    "at_once.missing", "readings.view",
    "readings.place", "readings.check_place", "rounds.history", "rounds.histories", "instruments.all",
    "instruments.one", "visits.view", "visits.photo", "visits.at_site", "visits.unfinished_at", "visits.limits",
    "resetting.preview", "site_settings.preview", "site_settings.of_site", "nights.of_visit", "nights.tonight",
    "touring.tour", "touring.tour_at",
    "rounds.sites_with_latest", "search.hits", "shelf.certificate", "shelf.daily_use", "shelf.entries", "shelf.view",
    "first.awaited", "first.check", "known.inputs", "known.limits", "today.day", "today.drawn", "today.ribbon",
    "clock.local", "clock.moment_of", "clock.now", "clock.today",
    "clock.said", "clock.hour", "clock.soon", "clock.day_said", "clock.why_not",
}  # fmt: skip
"""Use cases that only look."""
WITHOUT_A_PERSON = {
    "people.add": "the command line's alone",
    "people.set_password": "the command line's alone",
    "people.deactivate": "the command line's alone",
    "first.enter": "who has the invitation, before anybody is anybody",
    "people.sign_in": "nobody is anybody before",
    "people.act_as": "the command line's alone, as the owner",
    "people.signed_in": "it says who somebody is",
    "people.end": "whoever has the key",
    "people.read_in": "everybody chooses the own units",
    "simulation.state": "the simulated bench changes no record",
}


@pytest.fixture(scope="module")
def people(world: World) -> dict[str, Person]:
    add = world.at().people.add
    return {role: add(f"a-{role}", role, role, "a long password") for role in ("reader", "technician", "supervisor")}


@pytest.mark.parametrize("role", ["reader", "technician", "supervisor"])
@pytest.mark.parametrize("name", CASES)
def test_who_may(world: World, people: dict[str, Person], name: str, role: str) -> None:
    case = CASES[name]
    try:
        case.call(world.at(), people[role])
        refused = False
    except Forbidden:
        refused = True
    except (ServiceError, CoreError, StoreError):  # allowed, and then told that there is no such thing
        refused = False
    assert refused == (role not in case.roles)


def _use_cases() -> Iterator[str]:
    for service, kind in inspect.get_annotations(Services, eval_str=True).items():
        for name, member in vars(kind).items():
            if not name.startswith("_") and callable(member) and inspect.isfunction(member):
                yield f"{service}.{name}"


def test_no_use_case_is_forgotten() -> None:
    named = {name.partition(",")[0] for name in CASES} | FOR_EVERYBODY | set(WITHOUT_A_PERSON)
    assert set(_use_cases()) == named


def test_who_only_looks_needs_no_role() -> None:
    """No use case that takes a person stands among those that only look."""
    for name in FOR_EVERYBODY:
        service, method = name.split(".")
        kind: Any = inspect.get_annotations(Services, eval_str=True)[service]
        assert "person" not in inspect.signature(getattr(kind, method)).parameters


def test_a_reader_is_told_whom_to_ask(world: World, people: dict[str, Person]) -> None:
    with pytest.raises(Forbidden, match="ask a technician to record this"):
        world.at().kit.log(ANY, NewCare(ANY, "cleaned", NOW - timedelta(hours=1)), people["reader"])
    with pytest.raises(Forbidden, match="Only a supervisor withdraws a calibration; add a note, or ask one"):
        world.at().calibrations.amend(ANY, ANY, people["technician"], "wrong", withdraw=True)
