"""Speed figures, as ratios against a reference in the same run: the machine may be shared and noisy.

``./brumel bench [screens] [live] [core] [plan]``; without a name, these four. ``screens`` and ``visits`` make ten years
of data first, ``load`` takes ten minutes;
``truth`` takes about an hour and a half. Both are run by their names alone.
``against REV NAME`` compares one of them with that of another version, in turn.
"""

from __future__ import annotations

import http.client
import json
import re
import resource
import shutil
import statistics
import sys
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from urllib.parse import urlencode, urlsplit

import gsw
import numpy as np
from bench_against import against
from bench_causes import causes
from bench_faults import soak
from bench_hostile import hostile
from bench_screens import screens, under_load
from bench_table import line
from bench_truth import KINDS_OF_THE_BENCH, TABLES, truth
from bench_visits import visits
from playwright.sync_api import sync_playwright
from tests.browser.driving import LAUNCH, SCREEN, sign_in

from brumel.core.kit.readiness import Readiness, State
from brumel.core.place.conditions import Conditions
from brumel.core.plan.check import faults
from brumel.core.plan.needs import needs_of
from brumel.core.plan.problem import Job, Problem
from brumel.core.plan.solve import best_plan, earliest_departure
from brumel.core.plan.tasks import ProbeDay, tasks_of
from brumel.core.plan.waters import Expected, Going, sites_of
from brumel.core.quantities.salinity import practical_salinity
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.corrected import corrected_rows
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.principles import principle
from brumel.core.shipped_rules import shipped
from brumel.launch.cluster import Cluster
from brumel.launch.start import DemoOptions, demonstration
from brumel.services.reckon.batch import batch
from brumel.settings import default_data_folder, read_settings

STREAMS = 20
LATENCIES = 150
ROWS = 1_000_000
CORE_ROUNDS = 15
LINES = 200_000


class Client:
    """A signed-in technician without a browser, on one kept connection."""

    def __init__(self, port: int, role: str = "technician") -> None:
        self._port = port
        self._connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
        self._cookies: dict[str, str] = {}
        self._post("/sign-in/demo", "/sign-in", role=role)

    def get(self, path: str) -> str:
        """A page's text."""
        return self._ask("GET", path)[1]

    def begin_run(self, label: str) -> str:
        """Path of a new run of a probe that stands in its first standard."""
        bench = self.get("/bench/")
        new = re.findall(rf'href="(/bench/new\?probe=[^"]+)">[^<]*<span class="visually-hidden"> {label}<', bench)[0]
        page = self.get(new)
        form = {"probe": new.split("probe=")[1], "id": str(uuid.uuid4())}
        for name in (*re.findall(r'name="(lot_[^"]+)"', page), "method", "rinse"):
            form[name] = re.findall(r'value="([^"]+)"', page.split(f'name="{name}"', 1)[1])[0]
        if 'name="pressure"' in page:
            form |= {"pressure": "1010", "pressure_unit": "hPa", "pressure_kind": "station", "altitude_m": "0"}
        run = self._post("/bench/new", new, **form)
        step = re.findall(r'name="step" value="([^"]+)"', self.get(run))[0]
        self._post(f"{run}/immerse", run, id=str(uuid.uuid4()), step=step)
        return run

    def log_care(self) -> None:
        """Note that a probe was cleaned."""
        life = re.findall(r'href="(/kit/probes/[0-9a-f-]{36})">B-EC<', self.get("/kit/"))[0]
        self._post(f"{life}/care", life, id=str(uuid.uuid4()), care="cleaned", note="bench")

    def stream(self, path: str) -> http.client.HTTPResponse:
        """An open stream of events, on a connection of its own."""
        connection = http.client.HTTPConnection("127.0.0.1", self._port, timeout=30)
        connection.request("GET", path, headers=self._headers())
        return connection.getresponse()

    def _headers(self) -> dict[str, str]:
        cookie = "; ".join(f"{k}={v}" for k, v in self._cookies.items())
        return {"Cookie": cookie, "Referer": f"http://127.0.0.1:{self._port}/"}

    def _post(self, path: str, page: str, **form: str) -> str:
        token = re.findall(r'name="csrf_token" value="([^"]+)"', self.get(page))[0]
        headers, _ = self._ask("POST", path, urlencode({**form, "csrf_token": token}))
        return re.sub(r"[?#].*", "", headers["Location"])

    def _ask(self, method: str, path: str, body: str | None = None) -> tuple[http.client.HTTPMessage, str]:
        headers = self._headers() | ({"Content-Type": "application/x-www-form-urlencoded"} if body else {})
        self._connection.request(method, path, body, headers)
        answer = self._connection.getresponse()
        text = answer.read().decode()
        if answer.status >= 400:
            raise RuntimeError(f"{method} {path}: {answer.status}")
        for cookie in answer.headers.get_all("Set-Cookie") or ():
            name, _, value = cookie.split(";")[0].partition("=")
            self._cookies[name] = value
        return answer.headers, text


@contextmanager
def running() -> Iterator[int]:
    """The demonstration on data of its own, real time."""
    folder = default_data_folder() / f"bench-{uuid.uuid4().hex[:8]}"
    try:
        with demonstration(read_settings({"BRUMEL_DATA": str(folder)}), DemoOptions(port=0)) as processes:
            yield urlsplit(processes.address).port or 0
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def load() -> None:
    """Ten people on ten screens at once, over HTTP, for ten minutes (``BENCH_LOAD_S``)."""
    folder = default_data_folder() / f"bench-{uuid.uuid4().hex[:8]}"
    try:
        settings = read_settings({"BRUMEL_DATA": str(folder)})
        with demonstration(settings, DemoOptions(port=0)) as processes:
            port = urlsplit(processes.address).port or 0
            servers = [c.process.pid for c in processes.children if c.name.startswith("web server") and c.process]

            def somebody() -> tuple[Callable[[str], str], Callable[[], None]]:
                client = Client(port)
                return client.get, client.log_care

            under_load(somebody, Cluster(folder / "demo"), servers)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def live() -> None:
    """From the probe's sample to the drawn pixel, 5 samples a second, 20 streams of four kinds, one a browser."""
    with running() as port, sync_playwright() as playwright:
        client = Client(port)
        path = client.begin_run("A-pH")
        urls = [
            re.findall(r'data-url="([^"]+)"', client.get(run))[0].replace("&amp;", "&")
            for run in (path, *(client.begin_run(label) for label in ("B-ORP", "A-EC", "B-DO")))
        ]
        # Of one person so many look at once and no more.
        people = [client, Client(port, "supervisor"), Client(port, "reader")]
        streams = [people[n % len(people)].stream(urls[n % len(urls)]) for n in range(STREAMS - 1)]
        counts = [0] * len(streams)
        stop = threading.Event()

        def count(number: int) -> None:
            while not stop.is_set() and (text := streams[number].readline()):
                counts[number] += text.startswith(b"event: sample")

        readers = [threading.Thread(target=count, args=(n,), daemon=True) for n in range(len(streams))]
        for reader in readers:
            reader.start()
        browser = playwright.chromium.launch(**LAUNCH)
        page = browser.new_page(base_url=f"http://127.0.0.1:{port}", viewport=SCREEN)
        sign_in(page)
        page.goto(path)
        page.wait_for_selector("[data-live][data-drawn-after]")
        begun = time.monotonic()
        latencies = page.evaluate(
            """n => new Promise(done => {
                const box = document.querySelector("[data-live]"), found = [];
                new MutationObserver(() => {
                    found.push(Number(box.dataset.drawnAfter));
                    if (found.length >= n) done(found);
                }).observe(box, {attributes: true, attributeFilter: ["data-drawn-after"]});
            })""",
            LATENCIES,
        )
        rate = len(latencies) / (time.monotonic() - begun)
        stop.set()
        browser.close()
    median, p95 = statistics.median(latencies), statistics.quantiles(latencies, n=20)[-1]
    print(f"\nsample to drawn pixel, {STREAMS} streams of four kinds of probes, {rate:.1f} samples a second drawn")
    print(
        f"median {1000 * median:.0f} ms, 95 % {1000 * p95:.0f} ms, worst {1000 * max(latencies):.0f} ms (aim: < 300 ms)"
    )
    print(f"plain clients got {min(counts)} to {max(counts)} samples each")


def core() -> None:
    """A million rows through the calculations beside gsw's salinity of the same rows, and a batch of lines."""
    random = np.random.default_rng(0)
    t, raw = random.uniform(0, 30, ROWS), random.uniform(1_000, 60_000, ROWS)
    percent, hpa, ms_cm = random.uniform(50, 120, ROWS), random.uniform(900, 1020, ROWS), raw / 1000.0
    jobs: dict[str, Callable[[], object]] = {
        "gsw.SP_from_C, the reference": lambda: gsw.SP_from_C(ms_cm, t, 0.0),
        "salinity": lambda: practical_salinity(ms_cm, t),
        "all four corrections": lambda: corrected_rows(t, raw, percent, hpa),
        "the same through the registry": lambda: calculate(
            "corrected-readings",
            {"temperature_c": t, "conductivity_us_cm": raw, "oxygen_percent": percent, "pressure_hpa": hpa},
            strict=False,
        ),
    }
    times: dict[str, list[float]] = {name: [] for name in jobs}
    for number in range(CORE_ROUNDS + 2):
        for name, job in jobs.items():
            begun = time.perf_counter()
            job()
            if number >= 2:
                times[name].append(time.perf_counter() - begun)
    print(f"\n{f'{ROWS:,} rows':34}{'median':>12}{'95 %':>12}   to gsw's salinity (aims: 1.0 ×, 2.5 ×)")
    reference = statistics.median(times["gsw.SP_from_C, the reference"])
    for name, found in times.items():
        line(name, found, reference)
    bare, registry = (statistics.median(times[n]) for n in ("all four corrections", "the same through the registry"))
    print(f"the registry's way to the bare chain: {registry / bare:.2f} × (aim: 1.3 ×)")
    lines = [json.dumps({"calc": name, "inputs": inputs}) + "\n" for name, inputs in _jobs(LINES)]
    parsed, took = [], []
    for _ in range(CORE_ROUNDS):
        begun = time.perf_counter()
        for text in lines:
            json.loads(text)
        parsed.append(time.perf_counter() - begun)
        begun = time.perf_counter()
        done = sum(1 for _ in batch(lines))
        took.append(time.perf_counter() - begun)
    rate, ratio = done / statistics.median(took), statistics.median(took) / statistics.median(parsed)
    print(f"\nbatch: {rate:,.0f} lines a second (aim: > 50 000), {ratio:.1f} × parsing them alone (aim: 3 ×)")
    _runs()
    print(f"peak memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB (aim: < 1 000)")


def _runs() -> None:
    """A run of three buffers fitted, and a reading's value with its U."""
    own = principle("glass")
    points = [
        Point(ph, -58.2 * (ph - 7.0) + 3.0 + off, Conditions(21.0), 0.01, 0.15, bottle=str(ph))
        for ph, off in ((7.0, 0.1), (4.0, -0.1), (10.06, 0.2))
    ]
    response = fit(own, points)
    for name, job in (
        ("fitting a run of three buffers", lambda: fit(own, points)),
        ("a reading's value and U", lambda: response.budget(-20.0, Conditions(15.0), age_days=0.2).u),
    ):
        times = []
        for _ in range(200):
            begun = time.perf_counter()
            job()
            times.append(time.perf_counter() - begun)
        print(f"{name}: {1000 * statistics.median(times):.2f} ms (aim: 2 ms a run)")


def _jobs(count: int) -> Iterator[tuple[str, dict[str, object]]]:
    """Lines of five calculations in turn."""
    random = np.random.default_rng(1)
    for number, t in enumerate(random.uniform(0, 30, count).round(2).tolist()):
        yield (
            ("oxygen-saturation", {"temperature_c": t, "pressure_hpa": 1000}),
            ("salinity", {"conductivity_ms_cm": 20.0 + t, "temperature_c": t}),
            ("conductivity-at-reference", {"conductivity_us_cm": 500, "temperature_c": t, "method": "natural-water"}),
            ("unionized-ammonia", {"tan_mg_l": 1, "ph": 8, "temperature_c": t}),
            ("ph-buffer", {"buffer": "borax-9.180", "temperature_c": t}),
        )[number % 5]


def plan() -> None:
    """The time to plan a day of six probes and twelve sites, from kinds and waters to steps, the first and again."""
    ready, waiting = (Readiness(state, None, "", "", (), None) for state in (State.READY, State.WAITING))
    days = [
        (ProbeDay("A-pH", shipped().kind("ph-combination"), ready, cleaned=False), 0),
        (ProbeDay("B-pH", shipped().kind("ph-refillable"), ready, cleaned=False), 0),
        (ProbeDay("A-DO", shipped().kind("oxygen-polarographic"), waiting), 50),
        (ProbeDay("A-EC", shipped().kind("conductivity-1"), ready), 0),
        (ProbeDay("B-ORP", shipped().kind("orp"), ready, cleaned=False), 0),
        (ProbeDay("B-NH4", shipped().kind("ammonium"), waiting), 100),
    ]
    waters = [
        Expected(f"Site {n}", key, low, high)
        for n in range(12)
        for key, low, high in (("ph", 6.5, 8.5), ("oxygen", 4, 9), ("specific-conductance", 50, 900 * (n + 1)))
    ]
    going = [
        Going(d.label, d.kind.quantity, tuple(sites_of(waters, d.kind.quantity)), d.kind.standards) for d, _ in days
    ]
    print(f"\n{'six probes, twelve sites':34}{'first':>12}{'again':>12}   (aim: < 2 s)")
    for departure in (480, 400, 240, 170):
        times = []
        for _ in range(2):
            begun = time.perf_counter()
            needs_of(waters, going, [], shipped().rinses["distilled-once"], shipped())
            jobs = tuple(Job(d.label, d.kind.quantity, d.kind.plan.weight, tasks_of(d), release) for d, release in days)
            problem = Problem(jobs, departure)
            found = best_plan(problem)
            if found.left_out:
                earliest_departure(problem)
            if faults(problem, found):
                raise RuntimeError("the plan does not hold")
            times.append(time.perf_counter() - begun)
        out = f", without {len(found.left_out)}" if found.left_out else ""
        print(f"{f'leaving in {departure} min{out}':34}{times[0]:10.2f} s{times[1]:10.2f} s")


USUAL: dict[str, Callable[[], None]] = {"screens": screens, "live": live, "core": core, "plan": plan}
BENCHES = (
    USUAL
    | {"visits": visits, "load": load, "truth": truth, "faults": soak, "hostile": hostile, "causes": causes}
    | {f"truth-{n}": partial(truth, [n]) for n in (*TABLES, *KINDS_OF_THE_BENCH)}
)

if __name__ == "__main__":
    if sys.argv[1:2] == ["against"] and len(sys.argv) == 4 and sys.argv[3] in {*BENCHES, "pairs"}:
        against(sys.argv[2], sys.argv[3])
        sys.exit()
    unknown = [name for name in sys.argv[1:] if name not in BENCHES]
    if unknown:
        sys.exit(f"brumel: no bench is called {unknown[0]!r}; there are {', '.join(BENCHES)}, and against REV NAME.")
    for name in sys.argv[1:] or USUAL:
        BENCHES[name]()
