"""What was said wrongly at the beginning of a run is put right before it is signed; its points are judged anew."""

from __future__ import annotations

import json
import uuid

import pytest

from brumel.core.calibrating.run_file import judge_file
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.shipped_rules import shipped
from brumel.services.calibrating.beginning import PutRight
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.store.database import StoreError
from tests.services.world import DESPITE, World

WATER_VAPOUR_HPA = 31.7
"""Saturated over water at 25 °C, handbook value."""


def in_air(world: World, hpa: float = 1010.0) -> uuid.UUID:
    """A membrane in air, with its point taken."""
    begin = Begin(
        uuid.uuid4(), world.other_probe("oxygen-polarographic"), "membrane-air", "distilled-once", {}, despite=DESPITE,
        place=Surroundings(Pressure(hpa)),
    )  # fmt: skip
    world.at().calibrations.begin(begin, world.person)
    point = TakePoint(uuid.uuid4(), "air", 60.0, 25.0, device=False)
    world.at().calibrations.take(begin.run_id, point, world.person)
    return begin.run_id


def put_right(world: World, run_id: uuid.UUID, hpa: float, reason: str = "the weather report gives sea level") -> None:
    right = PutRight(uuid.uuid4(), Surroundings(Pressure(hpa)), reason)
    world.at().calibrations.put_right(run_id, right, world.person)


def gain(world: World, run_id: uuid.UUID) -> float:
    response = world.at().calibrations.view(run_id).response
    assert response is not None
    return float(response["gain"])


def test_a_pressure_that_was_of_sea_level_is_put_right_and_the_points_are_judged_anew(world: World) -> None:
    """The gain goes with the partial pressure of oxygen in saturated air: (p − water vapour), by Dalton."""
    run_id = in_air(world)
    before = gain(world, run_id)
    put_right(world, run_id, 938.0)
    expected = (1010.0 - WATER_VAPOUR_HPA) / (938.0 - WATER_VAPOUR_HPA)
    assert gain(world, run_id) / before == pytest.approx(expected, rel=1e-3)
    world.at().calibrations.sign(run_id, world.person)
    view = world.at().calibrations.view(run_id)
    assert view.pressure is not None
    assert (view.pressure.typed, view.run.method["conditions"]["pressure"]["typed"]) == (938.0, 1010.0)
    assert [(e.kind, e.reason) for e in view.run.entries] == [("put-right", "the weather report gives sea level")]
    judged = judge_file(json.loads(world.at().ledger.calibration_file(run_id)), shipped())
    found = {c["key"]: c["value"] for c in judged["coefficients"]}
    assert found["gain"] == pytest.approx(gain(world, run_id)), "who judges the file finds the same"


def test_a_reason_is_asked_and_what_can_not_be_is_refused(world: World) -> None:
    run_id = in_air(world)
    with pytest.raises(InvalidInput) as refused:
        put_right(world, run_id, 1.0, " ")
    assert refused.value.fields.keys() == {"pressure", "put_right"}
    with pytest.raises(InvalidInput, match="That is how it stands: change what is to be put right"):
        put_right(world, run_id, 1010.0)
    world.at().calibrations.sign(run_id, world.person)
    with pytest.raises(StoreError, match="signed"):
        put_right(world, run_id, 938.0)


def test_another_round_asks_for_other_buffers(world: World) -> None:
    run_id = world.begin(world.probe(), sites=[world.site.id])
    for step in ("neutral", "acid", "alkaline"):
        world.take(run_id, step)
    assert {f.code for f in world.at().calibrations.view(run_id).findings} == {"slope", "offset", "residual"}
    acid = world.water("adit", ph=(2.8, 3.6))
    right = PutRight(uuid.uuid4(), Surroundings(), "the adit was added", [acid])
    for _ in range(2):  # sent twice
        world.at().calibrations.put_right(run_id, right, world.person)
    view = world.at().calibrations.view(run_id)
    assert view.waters_reach == (2.8, 3.6)
    assert "not-bracketing" in {f.code for f in view.findings}
