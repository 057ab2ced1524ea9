"""A probe that is not ready is refused with the reason, or taken with one that becomes a finding."""

from __future__ import annotations

import uuid
from datetime import timedelta

import pytest

from brumel.services.calibrating.rows import Begin
from brumel.services.errors import InvalidInput
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.store.models.reference import Probe
from tests.conftest import NOW
from tests.said import sentence
from tests.services.world import THREE, World

HOUR = timedelta(hours=1)


def dropped(world: World, *, calibrated: bool = False) -> Probe:
    probe = world.probe()
    if calibrated:
        world.calibrated(probe, NOW - 2 * HOUR)
    world.at().kit.log(probe.id, NewCare(uuid.uuid4(), "dropped", NOW - HOUR), world.person)
    return probe


def begin(world: World, probe: Probe, despite: str = "") -> uuid.UUID:
    lots = {role: world.lots[name].id for role, name in (("neutral", "7.00"), ("acid", "4.01"), ("alkaline", "10.01"))}
    new = Begin(uuid.uuid4(), probe.id, THREE, "distilled-once", lots, despite=despite)
    return world.at().calibrations.begin(new, world.person)


def read(world: World, probe: Probe, despite: str = "", **given: object) -> list[tuple[str, str]]:
    source = {"source": "typed-signal", "signal": -20.0} | given
    new = NewReading(uuid.uuid4(), world.site.id, probe.id, temperature_c=20.0, despite=despite, **source)  # type: ignore[arg-type]
    world.at().readings.record(new, world.person)
    view = world.at().readings.view(new.reading_id)
    assert view.reading.despite == despite
    return [(f.code, sentence(f)) for f in view.findings]


def test_a_dropped_probe_at_the_bench(world: World) -> None:
    probe = dropped(world)
    with pytest.raises(InvalidInput) as refused:
        begin(world, probe)
    assert set(refused.value.fields) == {"despite"}
    assert "It was dropped and has not been inspected since." in refused.value.fields["despite"]
    run_id = begin(world, probe, "no other is left")
    for step in ("neutral", "acid", "alkaline"):
        world.take(run_id, step)
    signed = world.sign(run_id)
    assert signed.level == "doubtful"
    (found,) = (f for f in signed.findings if f.code == "used-all-the-same")
    assert "dropped" in sentence(found)
    assert sentence(found).endswith("Because: no other is left.")


def test_a_dropped_probe_at_a_water(world: World) -> None:
    probe = dropped(world, calibrated=True)
    for given in ({}, {"source": "typed-value", "signal": None, "shown": 7.2}):
        with pytest.raises(InvalidInput, match="has not been inspected since"):
            read(world, probe, **given)
        assert "used-all-the-same" in dict(read(world, probe, "the tide", **given))


def test_a_probe_that_was_never_calibrated(world: World) -> None:
    probe = world.probe()
    with pytest.raises(InvalidInput, match=r"It has no signed calibration\. Calibrate it first\."):
        read(world, probe)
    codes = dict(read(world, probe, "only for a first look"))
    assert {"calibration-missing", "used-all-the-same"} <= set(codes)
    shown = read(world, probe, source="typed-value", signal=None, shown=7.2)  # its meter's own stands behind that
    assert [code for code, _ in shown] == ["meter-unknown"]


def test_a_ready_probe_is_asked_for_nothing(world: World) -> None:
    probe = world.probe()
    world.calibrated(probe)
    assert read(world, probe) == []
    assert world.at().calibrations.view(begin(world, probe)).run.not_ready == ""
