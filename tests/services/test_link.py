"""The link alone: one owner of a line, reads what is wanted, stores, tells of troubles."""

from __future__ import annotations

import threading
from collections.abc import Callable

import pytest

from brumel.devices.sdi12 import Sdi12Line
from brumel.devices.simulation.control import BenchControl
from brumel.services.live.link import LineTaken, Link
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.reference import Device
from tests.services.world import World


class Rounds:
    """Lets a link run until a condition holds, at most so many rounds; no clock is asked."""

    def __init__(self, holds: Callable[[], bool], most: int = 400) -> None:
        self.holds, self.left = holds, most

    def __call__(self) -> bool:
        self.left -= 1
        assert self.left > 0, "the link never came so far"
        return not self.holds()


@pytest.fixture
def device(database: Database, bench: tuple[Sdi12Line, BenchControl]) -> Device:
    line, _ = bench
    probe = World(database).probe(device=True)
    with database.session() as session:
        device = session.get_one(Device, probe.device_id)
        device.url, device.period_s = line.url, 0.0
        queries.mark_wanted(session, device.id, 60.0)
    return device


def test_a_link_alone(database: Database, bench: tuple[Sdi12Line, BenchControl], device: Device) -> None:
    line, control = bench

    def newest() -> int:
        with database.session() as session:
            return queries.last_sample_seq(session, device.id)

    def status() -> str:
        with database.session() as session:
            return session.get_one(Device, device.id).status

    link = Link(database, line.url, line)
    link.run(Rounds(lambda: newest() > 0))
    assert status() == "ok"
    for fault in ("garbled", "silent", "unplugged"):
        control.fault("0", fault)
        link.run(Rounds(lambda fault=fault: status() == fault))  # type: ignore[misc]
        control.fault("0", "none")
        before = newest()
        link.run(Rounds(lambda before=before: newest() > before))  # type: ignore[misc]
        assert status() == "ok"
    with database.session() as session:
        times = [s.time_s for s in queries.samples_after(session, device.id, 0)]
    assert times == sorted(times)


def test_a_line_has_one_owner(database: Database) -> None:
    url = "socket://127.0.0.1:1"
    entered, done = threading.Event(), threading.Event()

    def busy() -> bool:
        entered.set()
        return not done.wait(10)

    owner = threading.Thread(target=Link(database, url).run, args=(busy,))
    owner.start()
    entered.wait(10)
    try:
        with pytest.raises(LineTaken, match="already: stop it first"):
            Link(database, url).run(lambda: False)
    finally:
        done.set()
        owner.join(10)
