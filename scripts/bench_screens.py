"""What each screen costs the server with one year of work and with ten, and ten people on ten screens at once."""

from __future__ import annotations

import itertools
import os
import statistics
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import psycopg
from bench_worked import Worked, timed
from flask.testing import FlaskClient
from sqlalchemy import event
from tests.conftest import own_cluster
from tests.web.screens import BASE, EVERYTHING_CHANGED, Get, enter, screen_paths

from brumel.launch.cluster import ADMIN, APPLICATION, Cluster

DAYS = (365, 3650)
ROUNDS, COLD_ROUNDS = 100, 5
AIM_MS, MOST_QUERIES, MOST_RATIO = 25.0, 12, 1.2


@dataclass(frozen=True)
class Cost:
    """Of a screen: kept answers, s; after something was recorded, s; and how many questions the latter asks."""

    kept: list[float]
    anew: float
    queries: int

    @property
    def p95(self) -> float:
        """The 95th percentile of the kept ones, s."""
        return statistics.quantiles(self.kept, n=20)[-1]


class Screens(Worked):
    """What its screens cost."""

    def __init__(self, made: Cluster, days: int) -> None:
        super().__init__(made, days)
        self.asked = 0
        event.listen(self.database.engine, "before_cursor_execute", self._count)

    def _count(self, *_: object) -> None:
        self.asked += 1

    def recorded(self) -> None:
        """As if somebody had just recorded something."""
        with psycopg.connect(self.owner, autocommit=True) as owner:
            owner.execute(EVERYTHING_CHANGED)

    def anew(self, client: FlaskClient, path: str) -> tuple[float, int]:
        """The first look after something was recorded: s, and how many questions it asks."""
        self.recorded()
        timed(client, "/guide/")  # the strip of the day is drawn by whoever comes first
        self.asked = 0
        return timed(client, path), self.asked

    def csv(self) -> tuple[float, float, float, int]:
        """Of all readings as CSV: s to the first byte, s to the last, how much memory grew, MB, and lines."""
        with self.app.test_client() as client:
            enter(client, "technician")
            before, begun = _memory_mb(), time.perf_counter()
            answer = client.get("/ledger/readings.csv", base_url=BASE, buffered=False)
            pieces = iter(answer.response)
            lines = next(pieces).count(b"\n")
            first = time.perf_counter() - begun
            grown = 0.0
            for piece in pieces:
                lines += piece.count(b"\n")
                grown = max(grown, _memory_mb() - before)
            return first, time.perf_counter() - begun, grown, lines


def _getter(client: FlaskClient) -> Get:
    return lambda path: client.get(path, base_url=BASE).text


def _memory_mb(process: int | str = "self") -> float:
    """What a process has in memory now, MB."""
    return int(Path(f"/proc/{process}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def _costs(both: Sequence[Screens]) -> Mapping[str, Sequence[Cost]]:
    """What each screen costs in either, asked in turn, so that what else the machine does falls on both."""
    clients = [worked.app.test_client() for worked in both]
    for client in clients:
        enter(client, "technician")
    paths = [{"an empty page": "/healthy"} | screen_paths(_getter(client)) for client in clients]
    found = {}
    for name in paths[0]:
        each = [(client, own[name]) for client, own in zip(clients, paths, strict=True)]
        first = [[worked.anew(*one) for _ in range(COLD_ROUNDS)] for worked, one in zip(both, each, strict=True)]
        kept: list[list[float]] = [[] for _ in each]
        for _ in range(ROUNDS):
            for times, one in zip(kept, each, strict=True):
                times.append(timed(*one))
        found[name] = [
            Cost(times, statistics.median(t for t, _ in cold), statistics.median_low(n for _, n in cold))
            for times, cold in zip(kept, first, strict=True)
        ]
    return found


def screens() -> None:
    """Each screen with one year of work beside ten; then all readings as CSV."""
    with own_cluster("bench") as made:
        worked = {days: Screens(made, days) for days in DAYS}
        costs = _costs(list(worked.values()))
        print(f"\n{'':28}{'one year':>31}{'ten years':>31}{'ratio':>8}")
        head = f"{'kept':>8}{'95 %':>8}{'anew':>8}{'asks':>7}"
        print(f"{'ms':28}{head}{head}{'95 %':>8}")
        for name, (one, ten) in costs.items():
            cells = "".join(
                f"{1000 * statistics.median(c.kept):8.1f}{1000 * c.p95:8.1f}{1000 * c.anew:8.1f}{c.queries:7}"
                for c in (one, ten)
            )
            print(f"{name:28}{cells}{ten.p95 / one.p95:8.2f}")
        worst = max((c.p95, name) for name, each in costs.items() for c in each)
        asks = max((c.queries, name) for name, each in costs.items() for c in each)
        ratio = max((ten.p95 / one.p95, name) for name, (one, ten) in costs.items())
        print(f"worst 95 %: {1000 * worst[0]:.1f} ms, {worst[1]} (aim: ≤ {AIM_MS:g} ms)")
        print(f"most that ten years cost beside one: {ratio[0]:.2f}, {ratio[1]} (aim: ≤ {MOST_RATIO:g})")
        print(f"most questions: {asks[0]}, {asks[1]} (aim: ≤ {MOST_QUERIES})")
        print("kept: nothing was recorded since; anew: the first after something was, with all its questions")
        print(f"\n{'all readings as CSV':28}{'first byte':>12}{'whole':>10}{'memory':>10}{'lines':>10}")
        for days, found in worked.items():
            first, whole, grown, lines = found.csv()
            print(f"{days:>4} days{'':19}{1000 * first:9.1f} ms{whole:8.2f} s{grown:7.1f} MB{lines:10,}")
            found.database.close()
        print("aims: first byte ≤ 50 ms, memory flat")


LOAD_S = float(os.environ.get("BENCH_LOAD_S", "600"))
PEOPLE = 10
LOAD_AIM_MS = 300.0
_LOOKS_S = 60.0


def under_load(get_of: Callable[[], tuple[Get, Callable[[], None]]], cluster_: Cluster, servers: list[int]) -> None:
    """Ten people on ten screens each, as fast as they are answered, one of them recording every few seconds.

    Parameters
    ----------
    get_of
        Signs somebody in: gives how they look at a page, and how they record something.
    servers
        The processes that answer, whose memory is watched.
    """
    times: list[float] = []
    errors: list[str] = []
    stop = threading.Event()
    recorded = itertools.count()

    def work(number: int) -> None:
        get, record = get_of()
        paths = list(screen_paths(get).values())
        own = itertools.cycle(paths[number:] + paths[:number])
        recorded_at = time.monotonic()
        while not stop.is_set():
            begun = time.perf_counter()
            try:
                if number == 0 and time.monotonic() - recorded_at > 3:
                    recorded_at = time.monotonic()
                    record()
                    next(recorded)
                else:
                    get(next(own))
            except (RuntimeError, OSError) as error:
                errors.append(str(error))
                continue
            times.append(time.perf_counter() - begun)

    people = [threading.Thread(target=work, args=(n,), daemon=True) for n in range(PEOPLE)]
    for person in people:
        person.start()
    begun, memory, most = time.monotonic(), [], 0
    with psycopg.connect(cluster_.url(ADMIN), autocommit=True) as admin:
        while time.monotonic() - begun < LOAD_S:
            stop.wait(2)
            row = admin.execute("SELECT count(*) FROM pg_stat_activity WHERE usename = %s", (APPLICATION,)).fetchone()
            most = max(most, row[0] if row else 0)
            if time.monotonic() - begun > len(memory) * _LOOKS_S:
                memory.append([round(_memory_mb(pid)) for pid in servers])
    stop.set()
    for person in people:
        person.join(30)
    p95 = statistics.quantiles(times, n=20)[-1]
    print(f"\n{PEOPLE} people, {LOAD_S:.0f} s: {len(times):,} answers, {len(times) / LOAD_S:.0f} a second, "
          f"{next(recorded)} records")  # fmt: skip
    print(f"median {1000 * statistics.median(times):.0f} ms, 95 % {1000 * p95:.0f} ms (aim: ≤ {LOAD_AIM_MS:g} ms), "
          f"errors {len(errors)} {errors[:3] or ''}")  # fmt: skip
    print(f"memory of the web servers, MB, minute by minute: {memory}")
    print(f"connections to the database at most: {most} of {len(servers)} × 40")
