"""Meters on the real database: what they take, what their probes feel, what can't be entered."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import date, timedelta

import pytest

from brumel.core.kit.readiness import State
from brumel.core.words.catalogue import word
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from tests.conftest import NOW
from tests.services.world import World


def meter(world: World, **given: object) -> uuid.UUID:
    number = uuid.uuid4().hex[:6]
    usual = {"takes": ["oxygen-polarographic", "oxygen-galvanic", "orp"], "compensates": ["temperature"]}
    new = NewMeter(uuid.uuid4(), f"M{number}", number, "Kit", date(2026, 1, 1), **usual | given)  # type: ignore[arg-type]
    return world.at().meters.save(new, world.person)


def log(world: World, meter_id: uuid.UUID, event: str, minutes_ago: float) -> None:
    at = NOW - timedelta(minutes=minutes_ago)
    world.at().meters.log(meter_id, uuid.uuid4(), event, at, "", world.person)


def minutes_to_ready(world: World, probe_id: uuid.UUID) -> float | None:
    found = world.at().states.probe_state(probe_id).readiness
    assert found.state is not State.BLOCKED
    return None if found.ready_at is None else (found.ready_at - NOW).total_seconds() / 60


@pytest.mark.parametrize(
    ("kind", "polarises_off", "events", "minutes"),
    [
        # Common practice: 90 min after more than an hour without power, about 15 after minutes, 10 of warm-up.
        ("oxygen-polarographic", False, [("switched-off", 300), ("switched-on", 20)], 70),
        ("oxygen-polarographic", False, [("switched-off", 40), ("switched-on", 5)], 10),
        ("oxygen-polarographic", True, [("switched-off", 300), ("switched-on", 4)], 6),
        ("oxygen-polarographic", True, [("batteries-out", 300), ("batteries-in", 30)], 60),
        ("oxygen-polarographic", True, [("batteries-changed", 5)], 10),
        ("oxygen-galvanic", False, [("switched-off", 300), ("switched-on", 4)], 6),
        ("oxygen-galvanic", False, [("batteries-out", 300), ("batteries-in", 30)], None),
        ("orp", False, [("batteries-changed", 1)], None),
    ],
)
def test_its_probes_feel_what_is_done_with_it(
    world: World, kind: str, polarises_off: bool, events: list[tuple[str, float]], minutes: float | None
) -> None:
    meter_id = meter(world, polarises_off=polarises_off)
    probe_id = world.other_probe(kind, meter_id=meter_id)
    for event, ago in events:
        log(world, meter_id, event, ago)
    assert minutes_to_ready(world, probe_id) == minutes


@pytest.mark.parametrize("event", ["switched-off", "batteries-out"])
def test_without_power_it_is_blocked(world: World, event: str) -> None:
    meter_id = meter(world)
    probe_id = world.other_probe("oxygen-polarographic", meter_id=meter_id)
    log(world, meter_id, event, 30)
    found = world.at().states.probe_state(probe_id).readiness
    assert found.state is State.BLOCKED
    assert event.replace("-", " ") in str(word(found.why))


def test_a_meter_takes_only_its_kinds(world: World) -> None:
    meter_id = meter(world)
    with pytest.raises(InvalidInput, match="takes no nitrate tip probe") as wrong:
        world.other_probe("nitrate", meter_id=meter_id)
    assert set(wrong.value.fields) == {"meter"}
    world.other_probe("orp", meter_id=meter_id)
    view = world.at().meters.view(meter_id)
    known = NewMeter(meter_id, view.meter.label, view.meter.serial, "Kit", date(2026, 1, 1), takes=["oxygen-galvanic"])
    with pytest.raises(InvalidInput, match="is plugged into it"):
        world.at().meters.save(known, world.person)


def test_a_probe_moves_to_another_meter_and_kit(world: World) -> None:
    probe_id, meter_id = world.other_probe("orp"), meter(world)
    change = NewProbe(probe_id, "ORP of the boat", "", "", "Boat", None, meter_id, reference="ag-agcl-sat", version=1)
    world.at().probes.change(change, world.person)
    probe = world.at().states.probe_state(probe_id).probe
    assert (probe.label, probe.kit, probe.meter_id) == ("ORP of the boat", "Boat", meter_id)
    with pytest.raises(InvalidInput) as wrong:
        world.at().probes.change(replace(change, label=" "), world.person)
    assert set(wrong.value.fields) == {"label"}


def test_what_cannot_be_entered_is_said_in_its_field(world: World) -> None:
    known = world.at().meters.view(meter(world)).meter
    bad = NewMeter(
        uuid.uuid4(), known.label.upper(), known.serial, " ", NOW.date() + timedelta(days=1), takes=["crystal ball"],
        compensates=["mood"], memory_records=-1, battery_hours=0,
    )  # fmt: skip
    with pytest.raises(InvalidInput) as wrong:
        world.at().meters.save(bad, world.person)
    assert set(wrong.value.fields) == {
        "label", "serial", "kit", "in_service_on", "takes", "compensates", "memory_records", "battery_hours",
    }  # fmt: skip
    with pytest.raises(InvalidInput) as wrong:
        world.at().meters.log(known.id, uuid.uuid4(), "polished", NOW + timedelta(hours=1), "", world.person)
    assert set(wrong.value.fields) == {"event", "at"}
    with pytest.raises(NotFound):
        world.at().meters.log(uuid.uuid4(), uuid.uuid4(), "switched-on", None, "", world.person)


def test_batteries_are_remembered(world: World) -> None:
    meter_id = meter(world)
    assert world.at().meters.view(meter_id).batteries_since is None
    log(world, meter_id, "batteries-changed", 600)
    log(world, meter_id, "switched-on", 10)
    view = world.at().meters.view(meter_id)
    assert view.batteries_since == NOW - timedelta(minutes=600)
    assert [r.event for r in view.records] == ["switched-on", "batteries-changed"]
