"""A double submit or a reload makes no second record, whatever was submitted."""

from __future__ import annotations

import uuid

import pytest

from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.runs import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.people import Person
from brumel.store.database import StoreError
from tests.conftest import NOW
from tests.services.world import THREE, World


def test_run_point_immersion_and_signature_once(world: World) -> None:
    services, probe = world.at(), world.probe()
    lots = {role: world.lots[name].id for role, name in (("neutral", "7.00"), ("acid", "4.01"), ("alkaline", "10.01"))}
    begin = Begin(uuid.uuid4(), probe.id, THREE, "distilled-once", lots)
    assert services.calibrations.begin(begin, world.person) == services.calibrations.begin(begin, world.person)
    assert len([r for r in services.calibrations.open_runs() if r.probe_id == probe.id]) == 1
    take = TakePoint(uuid.uuid4(), "neutral", 2.0, 22.0, device=False)
    immersion = uuid.uuid4()
    for _ in range(2):
        services.calibrations.begin_step(begin.run_id, immersion, "neutral", world.person)
        services.calibrations.take(begin.run_id, take, world.person)
    view = services.calibrations.view(begin.run_id)
    assert len(view.run.points) == len(view.run.begun) == 1
    assert world.sign(begin.run_id).findings == world.sign(begin.run_id).findings
    late = TakePoint(uuid.uuid4(), "acid", 170.0, 22.0, device=False)
    with pytest.raises(StoreError, match="has been signed: begin a new one"):
        services.calibrations.take(begin.run_id, late, world.person)


def test_a_repeat_supersedes_and_keeps_both(world: World) -> None:
    run_id = world.begin(world.probe())
    world.take(run_id, "neutral", offset=20.0)
    world.take(run_id, "neutral", offset=3.0)
    view = world.at().calibrations.view(run_id)
    assert len(view.run.points) == 2
    assert view.step("neutral").repeats == 1
    assert view.response is not None
    assert view.response["offset"] == pytest.approx(3.0, abs=0.1)


def test_a_run_with_nothing_to_adjust_to_is_not_signed(world: World) -> None:
    with pytest.raises(InvalidInput, match="at least one point"):
        world.sign(world.begin(world.probe()))


def test_a_reader_begins_nothing(world: World) -> None:
    reader: Person = world.at(NOW).people.add("reed", "Reed Moss", "reader", "a long password")
    begin = Begin(uuid.uuid4(), world.probe().id, THREE, "distilled-once", {})
    with pytest.raises(Exception, match="reader"):
        world.at().calibrations.begin(begin, reader)


def test_all_that_is_missing_is_said_at_once(world: World) -> None:
    with pytest.raises(InvalidInput) as wrong:
        world.at().calibrations.begin(Begin(uuid.uuid4(), None, THREE, "", {}), world.person)
    assert set(wrong.value.fields) == {"probe", "rinse", "lot_neutral", "lot_acid", "lot_alkaline"}
