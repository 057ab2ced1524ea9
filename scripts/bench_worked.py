"""What the benches of screens and of visits run on: so many days of the demonstration's work, in this process."""

from __future__ import annotations

import time
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import psycopg
from flask.testing import FlaskClient
from tests.acting import as_said
from tests.web.screens import BASE

from brumel import demo
from brumel.launch.cluster import APPLICATION, OWNER, Cluster
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.store import schema
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app


class Worked:
    """An application over so many days of work."""

    def __init__(self, made: Cluster, days: int) -> None:
        name = f"d{days}"
        made.create_database(name)
        schema.upgrade(made.url(OWNER, name), APPLICATION)
        self.owner, clock = made.url(OWNER, name), Clock(ZoneInfo("UTC"))
        self.database = as_said(Database(made.url(APPLICATION, name)), self.owner)
        loader = Database(self.owner)  # who else could add people
        demo.load(loader, datetime.now(UTC), clock, lambda _: None, days)
        loader.close()
        self.analyse()
        self.services = Services.over(self.database, clock)
        self.app = create_app(self.services, WebSettings("bench", demo=True))

    def analyse(self) -> None:
        """As the server does by itself within a minute."""
        with psycopg.connect(self.owner, autocommit=True) as owner:
            owner.execute("ANALYZE")


def timed(client: FlaskClient, path: str) -> float:
    """How long a page takes, s."""
    begun = time.perf_counter()
    answer = client.get(path, base_url=BASE)
    taken = time.perf_counter() - begun
    if answer.status_code != 200:
        raise RuntimeError(f"{path}: {answer.status_code}")
    return taken
