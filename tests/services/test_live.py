"""What a viewer of a live trace is told first: the trace as it stands, and whether it still grows."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from brumel.services.live import hub as live
from brumel.services.live.channels import Positions
from brumel.services.live.hub import LiveHub, WatchKey
from brumel.services.live.signal import Lens
from brumel.store.models.reference import Device, DeviceSample
from tests.services.world import World
from tests.simulated import CALIBRATION_PH

MINUTE = timedelta(minutes=1)


def told(world: World, *, stored_ago: timedelta, status: str, samples: int = 150) -> list[tuple[str, dict[str, Any]]]:
    """The first two events of a viewer who comes now to a still trace."""
    probe = world.probe(device=True)
    world.samples(probe, [177.2] * samples)
    with world.database.session() as session:
        device = session.get_one(Device, probe.device_id)
        device.status, device.status_words = status, "The probe has not answered."
        for sample in session.query(DeviceSample).filter_by(device_id=device.id):
            sample.stored_at = datetime.now(UTC) - stored_ago
    stream = LiveHub(world.database).stream(WatchKey(probe.device_id, 0, CALIBRATION_PH), Lens(Positions(1, 0)))
    found = []
    for text in (next(stream), next(stream)):
        name, data = text.strip().split("\n")
        found.append((name.removeprefix("event: "), json.loads(data.removeprefix("data: "))))
    stream.close()  # type: ignore[attr-defined]
    return found


def test_a_trace_that_no_longer_grows_is_not_offered_as_it_stands(world: World) -> None:
    (trace, first), (trouble, second) = told(world, stored_ago=MINUTE, status="ok")
    assert (trace, first["judgement"]["state"]) == ("trace", "stable")
    assert (trouble, second["status"]) == ("trouble", "quiet")
    assert "goes on with its next sample" in second["words"]


def test_a_silent_probe_is_said_to_be_silent_at_once(world: World) -> None:
    _, (trouble, second) = told(world, stored_ago=timedelta(0), status="silent")
    assert (trouble, second) == ("trouble", {"status": "silent", "words": "The probe has not answered."})


def test_a_slow_probe_is_said_to_be_slow(world: World) -> None:
    _, (trouble, second) = told(world, stored_ago=timedelta(0), status="slow")
    assert (trouble, second["status"]) == ("trouble", "slow")


@pytest.mark.parametrize("status", ["ok", "idle"])
def test_a_trace_that_grows_is_followed_by_nothing_but_samples(
    world: World, status: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(live, "_QUIET_S", 0.05)
    _, (name, second) = told(world, stored_ago=timedelta(0), status=status)
    assert "No sample has come" in second["words"]  # only after the hub has waited for one
    assert name == "trouble"
