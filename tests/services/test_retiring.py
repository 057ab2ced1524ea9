"""What is used no more: nothing offers it, its records stay, and it can be brought back."""

from __future__ import annotations

import uuid

import pytest

from brumel.services.application import Services
from brumel.services.calibrating.meter_runs import NewKept, TypedPoint
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from tests.services.world import World


def offered(services: Services) -> dict[str, set[uuid.UUID]]:
    return {
        "probe": {s.probe.id for s in services.states.probe_states()},
        "meter": {v.meter.id for v in services.meters.all()},
        "instrument": {i.id for i in services.instruments.all()},
        "site": {s.id for s in services.states.sites()},
    }


def made(world: World, what: str) -> uuid.UUID:
    if what == "instrument":
        measures = {"ph": TypedMeasures(4, 9)}
        new = NewInstrument(uuid.uuid4(), f"I {uuid.uuid4().hex[:6]}", "photometer", "Kit", measures=measures)
        return world.at().instruments.save(new, world.person)
    ways = {
        "probe": lambda: world.other_probe("ph-combination"),
        "meter": world.meter,
        "site": lambda: world.water("Old"),
    }
    return ways[what]()


@pytest.mark.parametrize("what", ["probe", "meter", "instrument", "site"])
def test_what_is_retired_is_offered_no_more_until_it_is_brought_back(world: World, what: str) -> None:
    key = made(world, what)
    assert key in offered(world.at())[what]
    for _ in range(2):
        world.at().retiring.retire(what, key, world.person)
    assert key not in offered(world.at())[what]
    world.at().retiring.bring_back(what, key, world.person)
    assert key in offered(world.at())[what]


def test_a_retired_probe_keeps_its_page_and_its_records_and_is_read_with_no_more(world: World) -> None:
    probe = world.probe()
    world.calibrated(probe)
    world.read(probe)
    world.at().retiring.retire("probe", probe.id, world.person)
    assert world.at().kit.life(probe.id).readings
    assert probe.id in {p.id for p in world.at().states.probes()}
    with pytest.raises(InvalidInput, match="is retired: bring it back on its page first"):
        world.read(probe)
    with pytest.raises(InvalidInput, match="is retired: bring it back on its page first"):
        world.begin(probe)
    kept = NewKept(uuid.uuid4(), probe.id, points={"low": TypedPoint(before=4.0)})
    with pytest.raises(InvalidInput, match="is retired: bring it back on its page first"):
        world.at().kept.record(kept, world.person)


def test_what_something_rests_on_is_not_retired(world: World) -> None:
    probe = world.probe()
    run_id = world.begin(probe)
    with pytest.raises(InvalidInput, match="is being calibrated: finish or cancel that first"):
        world.at().retiring.retire("probe", probe.id, world.person)
    world.at().calibrations.abandon(run_id, world.person, "rain")
    world.at().retiring.retire("probe", probe.id, world.person)
    meter = world.meter()
    plugged = world.other_probe("ph-combination", meter_id=meter)
    with pytest.raises(InvalidInput, match="stands as plugged into it: change that first"):
        world.at().retiring.retire("meter", meter, world.person)
    world.at().retiring.retire("probe", plugged, world.person)
    world.at().retiring.retire("meter", meter, world.person)


def test_nothing_else_is_retired(world: World) -> None:
    for what in ("lot", "probe"):
        with pytest.raises(NotFound):
            world.at().retiring.retire(what, uuid.uuid4(), world.person)
