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
from tests.web.hostile import attack
from tests.web.hostile_files import attack_by_files
from tests.web.screens import enter

from brumel.services.application import Services
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app

_SHARES = {"supervisor": 0.6, "technician": 0.3, "reader": 0.1}


def hostile() -> None:
    """Attack a demonstration of its own, as each role."""
    count = int(os.environ.get("HOSTILE_COUNT", "10000"))
    seed = int(os.environ.get("HOSTILE_SEED", time.time_ns() % 10_000))
    print(f"Hostile: {count} requests, seed {seed}", flush=True)
    with own_cluster("hostile") as cluster:
        load_demonstration(cluster, "hostile")
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
        database.close()
    print(f"files: {files}, taken {taken}, without a sentence or breaking a page {len(broken)} (wanted: 0)")
    wrong += broken
    print("answered: " + ", ".join(f"{status} {number}" for status, number in sorted(sent.items())))
    for line in wrong[:200]:
        print(line)
    print(f"answered or stored wrongly: {len(wrong)} of {sum(sent.values())} (wanted: 0)", flush=True)
