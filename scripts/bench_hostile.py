"""Ten thousand requests that no page sends; what answers wrongly, and what is stored that no form would have stored.

``./brumel bench hostile`` sends 10 000, with ``HOSTILE_COUNT=500`` so many; ``HOSTILE_SEED`` repeats one.
"""

from __future__ import annotations

import os
import time
from collections import Counter

from tests.conftest import CLOCK, load_demonstration, own_cluster
from tests.web.hostile import attack

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
        app = create_app(Services.over(database, CLOCK), WebSettings("hostile", demo=True))
        sent, wrong = Counter[int](), list[str]()
        for number, (role, share) in enumerate(_SHARES.items()):
            more, found = attack(app, database, seed + number, round(count * share), role)
            sent, wrong = sent + more, wrong + [f"{role}: {f}" for f in found]
        database.close()
    print("answered: " + ", ".join(f"{status} {number}" for status, number in sorted(sent.items())))
    for line in wrong[:200]:
        print(line)
    print(f"answered or stored wrongly: {len(wrong)} of {sum(sent.values())} (wanted: 0)", flush=True)
