"""The guided start keeps row by row; what a house chose is what runs begin with."""

from __future__ import annotations

import uuid
from datetime import date

import pytest

from brumel.services.errors import Forbidden, InvalidInput
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.people import Person
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.sites.sites import NewSite
from brumel.services.start.starting import NewThing
from brumel.store.queries import visit as visit_queries
from tests.services.world import World

DAY = date(2026, 1, 1)
METHODS = {"glass": "ph-neutral-side-check"}


@pytest.fixture(scope="module")
def supervisor(world: World) -> Person:
    return world.at().people.add("vera", "Vera Holm", "supervisor", "a long password")


def site(code: str, limits: dict[str, tuple[float | None, float | None]] | None = None) -> NewThing:
    key = uuid.uuid4()
    return NewThing(key, NewSite(key, code, code.title(), "warm-water pond", 1.0), limits or {})


def test_meters_come_before_the_probes_on_them_and_a_wrong_row_holds_no_other_up(
    world: World, supervisor: Person
) -> None:
    meter, probe, lot = uuid.uuid4(), uuid.uuid4(), uuid.uuid4()
    things = [
        NewThing(meter, NewMeter(meter, "M1", "77", "Kit", DAY, takes=["ph-combination"]), {}),
        NewThing(probe, NewProbe(probe, "A1", "78", "ph-combination", "Kit", DAY, meter_id=meter), {}),
        NewThing(lot, NewLot(lot, "ph-buffer", "", "technical", 7.0), {}),
    ]
    done = world.at().starting.keep(things, "distilled-once", {}, supervisor)
    assert done.kept == {meter, probe}
    assert set(done.wrong[lot]) == {"lot_number", "expires_on"}
    assert world.at().starting.keep(things[:2], "distilled-once", {}, supervisor).kept == {meter, probe}
    assert [p.label for p in world.at().meters.view(meter).probes] == ["A1"]


def test_limits_that_differ_from_the_waters_are_the_sites_own(world: World, supervisor: Person) -> None:
    one = site("OWN1", {"oxygen": (6.0, None), "ph": (6.5, 9.0)})
    world.at().starting.keep([one], "distilled-once", {}, supervisor)
    with world.database.session() as session:
        own = visit_queries.site_limits(session, one.key)
    assert [(x.quantity, x.low, x.high, x.reason) for x in own] == [("oxygen", 6.0, None, "Set in the guided start")]


def test_a_technician_keeps_sites_with_the_limits_of_their_waters(world: World) -> None:
    one = site("OWN2", {"oxygen": (6.0, None)})
    assert world.at().starting.keep([one], "distilled-once", {}, world.person).kept == {one.key}
    with world.database.session() as session:
        assert not visit_queries.site_limits(session, one.key)


def test_runs_begin_with_what_the_house_chose_until_a_probe_has_its_own(world: World, supervisor: Person) -> None:
    world.at().starting.keep([], "tap-several", METHODS, supervisor)
    probe = world.probe()
    last = world.at().calibrations.choices(probe.id).proposed.fields
    assert (last["rinse"], last["method"]) == ("tap-several", "ph-neutral-side-check")
    world.calibrated(probe)
    assert world.at().calibrations.choices(probe.id).proposed.fields["method"] == "ph-neutral-acid-alkaline"


def test_a_house_chooses_from_what_there_is(world: World, supervisor: Person) -> None:
    with pytest.raises(InvalidInput) as refused:
        world.at().starting.keep([site("OWN3")], "spit", {"glass": "conductivity-one", "x": "y"}, supervisor)
    assert set(refused.value.fields) == {"rinse", "method-glass", "method-x"}
    assert refused.value.fields["method-glass"] == "Choose a procedure for these probes."
    assert "OWN3" not in {s.code for s in world.at().states.sites()}


def test_a_reader_keeps_nothing(world: World) -> None:
    reader = world.at().people.add("rolf", "Rolf Dern", "reader", "a long password")
    with pytest.raises(Forbidden):
        world.at().starting.keep([site("OWN4")], "distilled-once", {}, reader)
