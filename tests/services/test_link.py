"""The link alone: one owner of a line, reads what is wanted, stores, tells of troubles."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import psycopg
import pytest

from brumel.devices.sdi12 import DeviceGarbled, Sdi12Line
from brumel.devices.simulation.control import BenchControl
from brumel.services.live.link import LineTaken, Link
from brumel.store.database import Database
from brumel.store.models.reference import Device
from brumel.store.queries import device as device_queries
from tests.devices.garbage import GarbageLine
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
def device(database: Database, world: World, bench: tuple[Sdi12Line, BenchControl]) -> Device:
    line, _ = bench
    probe = world.probe(device=True)
    with database.session() as session:
        device = session.get_one(Device, probe.device_id)
        device.url, device.period_s = line.url, 0.0
        device_queries.mark_wanted(session, device.id, 60.0)
    return device


def test_a_link_alone(database: Database, bench: tuple[Sdi12Line, BenchControl], device: Device) -> None:
    line, control = bench

    def newest() -> int:
        with database.session() as session:
            return device_queries.last_sample_seq(session, device.id)

    def status() -> str:
        with database.session() as session:
            return session.get_one(Device, device.id).status

    def told() -> str:
        with database.session() as session:
            return session.get_one(Device, device.id).status_words

    link = Link(database, line.url, line)
    link.run(Rounds(lambda: newest() > 0))
    assert status() == "ok"
    for fault, words in (
        ("garbled", "plug"),
        ("silent", "has not answered"),
        ("unplugged", "line to the probe is closed"),
    ):
        control.fault("0", fault)
        link.run(Rounds(lambda fault=fault: status() == fault))  # type: ignore[misc]
        assert words in told()
        control.fault("0", "none")
        before = newest()
        link.run(Rounds(lambda before=before: newest() > before))  # type: ignore[misc]
        assert status() == "ok"
    with database.session() as session:
        times = [s.time_s for s in device_queries.samples_after(session, device.id, 0)]
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


class Away(Database):
    """A database that can't be reached for the first so many times."""

    def __init__(self, url: str, times: int) -> None:
        super().__init__(url, pool_size=1)
        self.times = times

    @contextmanager
    def notifications(self) -> Iterator[psycopg.Connection]:
        self.times -= 1
        if self.times >= 0:
            raise psycopg.OperationalError("connection refused")
        with super().notifications() as connection:
            yield connection


def test_a_link_waits_for_a_database_that_is_away_and_goes_on(
    database: Database, bench: tuple[Sdi12Line, BenchControl], device: Device
) -> None:
    line, _ = bench
    waited: list[float] = []
    away = Away(database.url, 6)

    def newest() -> bool:
        with database.session() as session:
            return device_queries.last_sample_seq(session, device.id) > 0

    Link(away, line.url, line, pause=waited.append).run(Rounds(newest))
    assert waited == [0.5, 1.0, 2.0, 4.0, 8.0, 8.0]
    assert newest()
    away.close()


def test_what_a_probe_says_is_told_to_a_bound(database: Database, device: Device) -> None:
    class Talks(Sdi12Line):
        def read(self, address: str, least: int = 0) -> list[float]:
            raise DeviceGarbled("x" * 20_000)

    def told() -> str:
        with database.session() as session:
            return session.get_one(Device, device.id).status_words or ""

    Link(database, device.url, Talks(device.url)).run(Rounds(lambda: bool(told())))
    assert told() == "x" * 500


@pytest.mark.parametrize("seed", [20261201, 7])
def test_two_thousand_answers_of_garbage_end_nothing(database: Database, device: Device, seed: int) -> None:
    """Nor is anything stored that its channels do not say; the seed is in the name of the test."""
    line = GarbageLine(device.url, seed)
    with database.session() as session:
        before = device_queries.last_sample_seq(session, device.id)
    Link(database, device.url, line).run(Rounds(lambda: line.port.answers >= 2_000, most=20_000))
    with database.session() as session:
        stored = device_queries.samples_after(session, device.id, before)
        assert session.get_one(Device, device.id).status in {"ok", "slow", "garbled", "silent", "unplugged", "too-slow"}
    assert all(s.values == [21.5, -17.4] for s in stored)


def test_one_that_says_999_s_holds_no_neighbour(database: Database, world: World, device: Device) -> None:
    """Both are asked for on one line: the other has its samples, and this one says why it has none."""
    other = world.probe(device=True)
    waited: list[float] = []

    class TwoProbes(Sdi12Line):
        def _ask(self, command: str, address: str) -> str:
            if address == "0":
                return {"M": "09992", "C": "099902"}.get(command[1], "0")
            return "1+21.5-17.4" if command == "1R0!" else "1"

    with database.session() as session:
        neighbour = session.get_one(Device, other.device_id)
        neighbour.url, neighbour.address, neighbour.period_s = device.url, "1", 0.0
        device_queries.mark_wanted(session, neighbour.id, 60.0)

    def samples() -> int:
        with database.session() as session:
            return len(device_queries.samples_after(session, neighbour.id, 0))

    Link(database, device.url, TwoProbes(device.url, pause=waited.append)).run(Rounds(lambda: samples() >= 5, most=20))
    with database.session() as session:
        slow = session.get_one(Device, device.id)
    assert slow.status == "too-slow"
    assert slow.status_words.startswith("The probe says it needs 999 s: not waited for")
    assert waited == []
