"""What each screen costs the server with one year of work and with ten, and ten people on ten screens at once."""

from __future__ import annotations

import itertools
import os
import shutil
import statistics
import threading
import time
import uuid
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import psycopg
from flask.testing import FlaskClient
from sqlalchemy import event
from tests.web.screens import BASE, EVERYTHING_CHANGED, Get, enter, screen_paths

from brumel import demo
from brumel.launch.cluster import ADMIN, APPLICATION, OWNER, Cluster
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.settings import default_data_folder
from brumel.store import schema
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app

DAYS = (365, 3650)
ROUNDS, COLD_ROUNDS = 40, 5
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


class Worked:
    """An application over so many days of the demonstration's work, in this process."""

    def __init__(self, cluster: Cluster, days: int) -> None:
        name = f"d{days}"
        cluster.create_database(name)
        schema.upgrade(cluster.url(OWNER, name), APPLICATION)
        self.owner, clock = cluster.url(OWNER, name), Clock(ZoneInfo("UTC"))
        self.database = Database(cluster.url(APPLICATION, name))
        loader = Database(self.owner)  # who else could add people
        demo.load(loader, datetime.now(UTC), clock, lambda _: None, days)
        loader.close()
        with psycopg.connect(self.owner, autocommit=True) as owner:
            owner.execute("ANALYZE")  # as the server does by itself within a minute
        self.app = create_app(Services.over(self.database, clock), WebSettings("bench", demo=True))
        self.asked = 0
        event.listen(self.database.engine, "before_cursor_execute", self._count)

    def _count(self, *_: object) -> None:
        self.asked += 1

    def recorded(self) -> None:
        """As if somebody had just recorded something."""
        with psycopg.connect(self.owner, autocommit=True) as owner:
            owner.execute(EVERYTHING_CHANGED)

    def costs(self) -> Mapping[str, Cost]:
        """What each screen costs."""
        with self.app.test_client() as client:
            enter(client, "technician")
            found = {}
            for name, path in ({"an empty page": "/healthy"} | screen_paths(_getter(client))).items():
                anew = []
                for _ in range(COLD_ROUNDS):
                    self.recorded()
                    _timed(client, "/guide/")  # the strip of the day is drawn by whoever comes first
                    self.asked = 0
                    anew.append(_timed(client, path))
                asked = self.asked
                found[name] = Cost([_timed(client, path) for _ in range(ROUNDS)], statistics.median(anew), asked)
            return found

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


def _timed(client: FlaskClient, path: str) -> float:
    begun = time.perf_counter()
    answer = client.get(path, base_url=BASE)
    taken = time.perf_counter() - begun
    if answer.status_code != 200:
        raise RuntimeError(f"{path}: {answer.status_code}")
    return taken


def _memory_mb(process: int | str = "self") -> float:
    """What a process has in memory now, MB."""
    return int(Path(f"/proc/{process}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


@contextmanager
def cluster() -> Iterator[Cluster]:
    """A cluster of its own, removed at the end."""
    folder = default_data_folder() / f"bench-{uuid.uuid4().hex[:8]}"
    made = Cluster(folder)
    try:
        made.start()
        yield made
    finally:
        made.remove()
        shutil.rmtree(folder, ignore_errors=True)


def screens() -> None:
    """Each screen with one year of work beside ten, in turn; then all readings as CSV."""
    with cluster() as made:
        worked = {days: Worked(made, days) for days in DAYS}
        one, ten = (found.costs() for found in worked.values())
        print(f"\n{'':28}{'one year':>31}{'ten years':>31}{'ratio':>8}")
        head = f"{'kept':>8}{'95 %':>8}{'anew':>8}{'asks':>7}"
        print(f"{'ms':28}{head}{head}{'95 %':>8}")
        for name in one:
            cells = "".join(
                f"{1000 * statistics.median(c.kept):8.1f}{1000 * c.p95:8.1f}{1000 * c.anew:8.1f}{c.queries:7}"
                for c in (one[name], ten[name])
            )
            print(f"{name:28}{cells}{ten[name].p95 / one[name].p95:8.2f}")
        worst = max((c.p95, name) for costs in (one, ten) for name, c in costs.items())
        asks = max((c.queries, name) for costs in (one, ten) for name, c in costs.items())
        print(f"worst 95 %: {1000 * worst[0]:.1f} ms, {worst[1]} (aim: ≤ {AIM_MS:g} ms)")
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
