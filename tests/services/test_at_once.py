"""Several probes in one water: each recorded once it is stable, with where it was and how warm the water is."""

from __future__ import annotations

import uuid

import pytest

from brumel.services.errors import NotFound
from brumel.services.readings.given_value import Spot
from brumel.services.visits.at_once import InWater, Together
from brumel.services.visits.visits import NewVisit
from brumel.store.models.reference import Probe
from tests.services.world import World

STILL, WANDERING = [-35.0] * 150, [-35.0 + 0.4 * n for n in range(150)]


def dipped(world: World, signal: list[float], *, calibrated: bool = True) -> tuple[Probe, InWater]:
    probe = world.probe(device=True)
    if calibrated:
        world.calibrated(probe)
    world.samples(probe, signal, 18.4)
    return probe, InWater(probe.id, 0, uuid.uuid4())


def visit(world: World) -> uuid.UUID:
    return world.at().visits.open(NewVisit(uuid.uuid4(), world.site.id), world.person)


def test_what_is_stable_is_recorded_and_the_rest_says_what_it_waits_for(world: World) -> None:
    (still, one), (wandering, other) = dipped(world, STILL), dipped(world, WANDERING)
    visit_id, said = visit(world), Together(Spot(0.5, "top"))
    refused = world.at().at_once.record(visit_id, [other, one], said, world.person)
    assert list(refused) == [wandering.id]
    (words,) = refused[wandering.id].values()
    assert "Not stable yet." in words
    assert "Wait, or record it with a reason; the reason stays on record." in words
    read = {r.quantity: r for r in world.at().visits.view(visit_id).readings}
    assert set(read) == {"ph", "temperature"}
    assert (read["ph"].id, read["ph"].probe_id, read["ph"].depth_m, read["ph"].layer) == (
        one.reading_id, still.id, 0.5, "top",
    )  # fmt: skip
    warm = read["temperature"]
    assert (warm.value, warm.source, warm.depth_m, warm.level) == (18.4, "device", 0.5, "sound")
    assert warm.working == [f"18.4 °C as {still.label} sensed it"]
    # Sent again, with a reason for the one that wanders: nothing doubled, the temperature is known.
    again = world.at().at_once.record(visit_id, [one, other], Together(Spot(0.5, "top"), "storm comes"), world.person)
    assert again == {}
    found = world.at().visits.view(visit_id).readings
    assert sorted(r.quantity for r in found) == ["ph", "ph", "temperature"]
    assert "not-settled" in {f.code for r in found for f in r.findings}


def test_each_depth_is_its_own(world: World) -> None:
    visit_id = visit(world)
    for depth in (0.5, 2.0):
        _, one = dipped(world, STILL)
        assert world.at().at_once.record(visit_id, [one], Together(Spot(depth)), world.person) == {}
    found = world.at().visits.view(visit_id).readings
    assert sorted((r.quantity, r.depth_m) for r in found) == [
        ("ph", 0.5), ("ph", 2.0), ("temperature", 0.5), ("temperature", 2.0),
    ]  # fmt: skip


def test_a_probe_that_is_not_ready_waits_for_a_reason_and_stops_no_other(world: World) -> None:
    (new, one), (_, other) = dipped(world, STILL, calibrated=False), dipped(world, STILL)
    visit_id = visit(world)
    refused = world.at().at_once.record(visit_id, [one, other], Together(), world.person)
    assert list(refused) == [new.id]
    assert world.at().at_once.record(visit_id, [one], Together(despite="no buffer left"), world.person) == {}
    assert len([r for r in world.at().visits.view(visit_id).readings if r.quantity == "ph"]) == 2


def test_a_visit_that_is_not_there_is_said(world: World) -> None:
    with pytest.raises(NotFound, match="There is no such visit"):
        world.at().at_once.record(uuid.uuid4(), [], Together(), world.person)
