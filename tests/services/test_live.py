"""What a viewer of a live trace is told first: the trace as it stands, and whether it still grows."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from brumel.core.findings import Acceptance
from brumel.core.shipped_rules import shipped
from brumel.services.live import hub as live
from brumel.services.live.channels import Positions
from brumel.services.live.hub import LiveHub
from brumel.services.live.signal import Lens, signal_since
from brumel.services.live.watch import Watched
from brumel.services.sites.site_settings import NewSetting
from brumel.services.sites.sites import NewSite
from brumel.store.models.reference import Device, DeviceSample, Probe
from brumel.store.queries.device import last_sample_seq
from tests.conftest import NOW
from tests.services.world import World
from tests.simulated import CALIBRATION_PH

MINUTE = timedelta(minutes=1)
RAW = Lens(Positions(1, 0))


def raw(probe: Probe, lens: Lens = RAW) -> Callable[[], list[Watched]]:
    """That a page shows the trace of a probe."""
    return lambda: [Watched(probe.device_id, 0, CALIBRATION_PH, lens)]


def told(world: World, *, stored_ago: timedelta, status: str, samples: int = 150) -> list[tuple[str, dict[str, Any]]]:
    """The first two events of a viewer who comes now to a still trace."""
    probe = world.probe(device=True)
    world.samples(probe, [177.2] * samples)
    with world.database.session() as session:
        device = session.get_one(Device, probe.device_id)
        device.status, device.status_words = status, "The probe has not answered."
        for sample in session.query(DeviceSample).filter_by(device_id=device.id):
            sample.stored_at = datetime.now(UTC) - stored_ago
    stream = LiveHub(world.database).stream(raw(probe))
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
    assert (trouble, second) == ("trouble", {"status": "silent", "words": "The probe has not answered.", "of": 0})


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


def streams(world: World, hub: LiveHub, owner: object, count: int) -> list[Iterator[str]]:
    """So many pages of somebody, each with its first event read."""
    probe = world.probe(device=True)
    world.samples(probe, [177.2] * 20)
    made = [hub.stream(raw(probe), owner) for _ in range(count)]
    for stream in made:
        assert next(stream).startswith("event: trace")
    return made


def rest(stream: Iterator[str]) -> list[tuple[str, dict[str, Any]]]:
    """What is left of a stream that ends."""
    parts = (text.strip().split("\n") for text in stream)
    return [(name.removeprefix("event: "), json.loads(data.removeprefix("data: "))) for name, data in parts]


def test_of_one_person_twelve_pages_look_and_of_all_thirty(world: World) -> None:
    """The oldest is told that it is closed, and why; nobody else's is."""
    hub = LiveHub(world.database)
    first = streams(world, hub, "ada", live.MOST_OF_ONE + 2)
    for closed in first[:2]:
        (data,) = [data for name, data in rest(closed) if name == "closed"]
        assert "Too many pages follow probes at once" in data["words"]
    others = [s for who in ("ben", "cy") for s in streams(world, hub, who, (live.MOST_IN_ALL - live.MOST_OF_ONE) // 2)]
    assert len(hub._viewers) == live.MOST_IN_ALL
    last = streams(world, hub, "dee", 1)
    assert [name for name, _ in rest(first[2])][-1] == "closed"
    assert len(hub._viewers) == live.MOST_IN_ALL
    for stream in (*first, *others, *last):
        stream.close()  # type: ignore[attr-defined]


def test_who_is_signed_out_meanwhile_looks_no_longer(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    assert live._ASK_EVERY_S <= 15
    monkeypatch.setattr(live, "_ASK_EVERY_S", 0.0)
    probe = world.probe(device=True)
    world.samples(probe, [177.2] * 20)
    may = [True]
    stream = LiveHub(world.database).stream(raw(probe), "ada", lambda: may[0])
    assert next(stream).startswith("event: trace")
    may[0] = False
    assert [(name, data["words"]) for name, data in rest(stream) if name == "closed"] == [("closed", live._SIGNED_OUT)]


def test_one_failing_trace_ends_neither_its_neighbours_nor_who_listens(world: World) -> None:
    probe = world.probe(device=True)
    hub, seen = LiveHub(world.database), [0]

    def fails(signal: Any, temperature_c: Any) -> Any:
        seen[0] += 1
        if seen[0] > 1:  # its first trace can still be told
            raise ZeroDivisionError
        return signal

    bad, good = raw(probe, Lens(Positions(1, 0), fails, of="bad")), raw(probe)
    stream = hub.stream(lambda: [*bad(), *good()])
    assert [next(stream)[:12] for _ in range(2)] == ["event: trace"] * 2
    note = {"device": str(probe.device_id), "seq": 1, "t": 1.0, "v": [20.0, 177.2], "at": 0.0}
    for payload in (
        "{",
        "[]",
        "null",
        '{"device": 5}',
        '{"device": "x"}',
        json.dumps(note),
        json.dumps(note | {"seq": 2}),
    ):
        hub._dispatch("brumel_sample", payload)
    events = [next(stream) for _ in range(4)]
    assert [(e.split()[1], '"of":1' in e) for e in events] == [("trouble", False), ("sample", True)] * 2
    stream.close()  # type: ignore[attr-defined]


def test_a_picture_is_corrected_as_a_reading_of_now_would_be(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """It kept the compensation, the calibration, the positions of whoever came first, and so did who came later."""
    monkeypatch.setattr(live, "_LOOK_EVERY_S", 0.0)
    services = world.at()
    probe = world.probe(kind="conductivity-1", device=True)
    world.samples(probe, [500.0] * 30, temperature_c=15.0)
    site = NewSite(uuid.uuid4(), f"L{probe.label}"[:10], "Live", "estuary", 7)
    services.sites.save(site, world.person)

    def watched() -> list[Watched]:
        lens = services.readings.lens(probe.id, site.site_id)
        return [Watched(probe.device_id, 0, shipped().settled("specific-conductance", calibrating=False), lens)]

    stream = services.live.stream(watched)
    first = json.loads(next(stream).split("data: ")[1])
    linear = {"method": "linear", "coefficient_percent_per_c": 2.2, "reference_c": 20.0}
    setting = NewSetting(uuid.uuid4(), site.site_id, NOW, None, linear, "as the permit has it")
    services.site_settings.apply(setting, world.person)
    second = json.loads(next(stream).split("data: ")[1])
    assert second["y"][0] != first["y"][0]
    assert json.loads(next(services.live.stream(watched)).split("data: ")[1])["y"] == second["y"]
    stream.close()  # type: ignore[attr-defined]


def test_what_was_read_as_stable_is_what_is_taken(world: World) -> None:
    """Between a look and the arrival of a form a trace goes on: a jump in between is not what the technician took."""
    probe = world.probe(device=True)
    world.samples(probe, [177.2] * 150)
    with world.database.session() as session:
        seen = last_sample_seq(session, probe.device_id)
    with world.database.session() as session:
        session.add_all(
            DeviceSample(device_id=probe.device_id, time_s=150.0 + t, values=[22.0, mv])
            for t, mv in enumerate((190.0, 191.0))
        )
    where = RAW.positions
    with world.database.session() as session:
        as_seen = signal_since(session, probe.device_id, 0, CALIBRATION_PH, where, until_seq=seen)
        assert (as_seen.acceptance, as_seen.value, len(as_seen.trace)) == (
            Acceptance.SETTLED,
            pytest.approx(177.2),
            150,
        )
        for unknown in (None, 0):
            now = signal_since(session, probe.device_id, 0, CALIBRATION_PH, where, until_seq=unknown)
            assert now.acceptance is Acceptance.UNSETTLED
        for sample in session.query(DeviceSample).filter(DeviceSample.seq <= seen):
            sample.stored_at -= MINUTE
        session.flush()
        late = signal_since(session, probe.device_id, 0, CALIBRATION_PH, where, until_seq=seen)
        assert late.acceptance is Acceptance.UNSETTLED, "a page that is a minute old is no look"
