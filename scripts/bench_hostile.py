"""Ten thousand requests that no page sends, files that no export makes: what answers wrongly or breaks a page, and what
is stored that no form would have stored.

``./brumel bench hostile`` sends 10 000 and a tenth as many files, with ``HOSTILE_COUNT=500`` so many;
``HOSTILE_SEED`` repeats one.
"""

from __future__ import annotations

import os
import time
from collections import Counter

from tests.conftest import CLOCK, load_demonstration, own_cluster
from tests.devices.garbage import GarbageLine
from tests.web.hostile import attack
from tests.web.hostile_files import attack_by_files
from tests.web.screens import enter

from brumel.services.application import Services
from brumel.services.live.link import Link
from brumel.store.database import Database
from brumel.store.models.reference import Device
from brumel.store.queries import device as device_queries
from brumel.web.app import WebSettings, create_app

_ANSWERS = 2_000
_SHARES = {"supervisor": 0.6, "technician": 0.3, "reader": 0.1}


def _garbage(database: Database, seed: int) -> str:
    """Two thousand answers of garbage to a link: whether it lives, and how many samples came through."""
    with database.session() as session:
        device = session.query(Device).first()
        assert device is not None
        device_queries.mark_wanted(session, device.id, 600.0)
        before = device_queries.last_sample_seq(session, device.id)
    line = GarbageLine(device.url, seed)
    Link(database, device.url, line, pause=lambda _: None).run(lambda: line.port.answers < _ANSWERS)
    with database.session() as session:
        came = len(device_queries.samples_after(session, device.id, before))
    return f"{line.port.answers} answers, the link lives, {came} samples that its channels say"


def hostile() -> None:
    """Attack a demonstration of its own, as each role."""
    count = int(os.environ.get("HOSTILE_COUNT", "10000"))
    seed = int(os.environ.get("HOSTILE_SEED", time.time_ns() % 10_000))
    print(f"Hostile: {count} requests, seed {seed}", flush=True)
    with own_cluster("hostile") as cluster:
        load_demonstration(cluster, "hostile", days=365)
        database = Database(cluster.url(database="hostile"))
        services = Services.over(database, CLOCK)
        app = create_app(services, WebSettings("hostile", demo=True))
        sent, wrong = Counter[int](), list[str]()
        for number, (role, share) in enumerate(_SHARES.items()):
            more, found = attack(app, database, seed + number, round(count * share), role)
            sent, wrong = sent + more, wrong + [f"{role}: {f}" for f in found]
        files = max(count // 10, 60)
        with app.test_client() as client:
            enter(client, "supervisor")
            taken, broken = attack_by_files(services, client, seed, files)
        print(f"garbage on a line: {_garbage(database, seed)}")
        database.close()
    print(f"files: {files}, taken {taken}, without a sentence or breaking a page {len(broken)} (wanted: 0)")
    wrong += broken
    print("answered: " + ", ".join(f"{status} {number}" for status, number in sorted(sent.items())))
    for line in wrong[:200]:
        print(line)
    print(f"answered or stored wrongly: {len(wrong)} of {sum(sent.values())} (wanted: 0)", flush=True)
