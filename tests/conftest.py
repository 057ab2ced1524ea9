"""One cluster for all tests, a fresh database for each module that asks for one."""

from __future__ import annotations

import asyncio
import itertools
import os
import shutil
import threading
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import hypothesis
import psycopg
import pytest
from psycopg import sql

from brumel import demo
from brumel.devices.sdi12 import Sdi12Line
from brumel.devices.simulation.bench import Bench, demo_probes, serve
from brumel.devices.simulation.control import BenchControl
from brumel.launch.cluster import ADMIN, APPLICATION, OWNER, Cluster
from brumel.launch.processes import claim
from brumel.services.clock import Clock
from brumel.store import schema
from brumel.store.database import Database
from tests.acting import as_said
from tests.cutoff import data_folder
from tests.ready import Ready, hasten

# The same cases at every run, and no clock that a busy machine could fail.
hypothesis.settings.register_profile("brumel", deadline=None, derandomize=True)
hypothesis.settings.load_profile("brumel")

DAYS = 60
"""So far back goes the demonstration of the tests: what a year has, in a sixth of it."""
NOW = datetime(2026, 5, 6, 9, 30, tzinfo=UTC)
CLOCK = Clock(ZoneInfo("UTC"), NOW)


_LONG = ("tests/web/test_every_form", "tests/services/test_races", "tests/launch", "tests/browser")
"""What takes long begins first, so that the workers end together; one makes the demonstration, the other needs none."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: next((n for n, folder in enumerate(_LONG) if folder in item.nodeid), len(_LONG)))


@contextmanager
def own_cluster(what: str) -> Iterator[Cluster]:
    """A PostgreSQL of one's own, on loopback, removed at the end, and by the watcher where its run is cut off."""
    made = Cluster(data_folder(what))
    try:
        made.start()
        yield made
    finally:
        made.remove()
        shutil.rmtree(made.folder, ignore_errors=True)


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """The tests' own."""
    with own_cluster("test") as made:
        hasten(made)
        yield made


class Urls:
    """One database as its owner and as the application."""

    def __init__(self, cluster: Cluster, name: str) -> None:
        self.name = name
        self.owner = cluster.url(OWNER, name)
        self.application = cluster.url(APPLICATION, name)


@pytest.fixture(scope="session")
def migrated(cluster: Cluster) -> str:
    """Name of an empty, migrated database that others are copied from."""
    name = "migrated"
    cluster.create_database(name)
    schema.upgrade(cluster.url(OWNER, name), APPLICATION)
    let_people_be_added(cluster, name)
    return name


def let_people_be_added(cluster: Cluster, name: str) -> None:
    """In a database of the tests the application's role adds people, as only the owner does in earnest."""
    with psycopg.connect(cluster.url(OWNER, name), autocommit=True) as connection:
        connection.execute(f"GRANT INSERT ON person, person_secret TO {APPLICATION}")


@pytest.fixture(scope="session")
def ready(tmp_path_factory: pytest.TempPathFactory) -> Ready:
    """The demonstration's data, made once a run."""
    base = tmp_path_factory.getbasetemp()
    return Ready(base.parent if "PYTEST_XDIST_WORKER" in os.environ else base)


def load_demonstration(cluster: Cluster, name: str, days: int = DAYS) -> None:
    """A migrated database with the demonstration's data."""
    cluster.create_database(name)
    schema.upgrade(cluster.url(OWNER, name), APPLICATION)
    let_people_be_added(cluster, name)
    database = Database(cluster.url(OWNER, name), pool_size=1)
    demo.load(database, CLOCK.now(), CLOCK, days=days)
    database.close()


@pytest.fixture(scope="session")
def demonstrated(cluster: Cluster, ready: Ready) -> str:
    """Name of a database with the demonstration's data that others are copied from."""
    ready.into(cluster, "demonstrated", lambda name: load_demonstration(cluster, name))
    return "demonstrated"


def copy_database(cluster: Cluster, template: str, name: str) -> None:
    """A database as another one is that nobody uses."""
    with psycopg.connect(cluster.url(ADMIN, "postgres"), autocommit=True) as connection:
        connection.execute(
            sql.SQL("CREATE DATABASE {} TEMPLATE {} STRATEGY file_copy OWNER {}").format(
                sql.Identifier(name), sql.Identifier(template), sql.Identifier(OWNER)
            )
        )
        Cluster.keep_to_tables(connection, name)  # a copy has the tables' rights, not the database's


@pytest.fixture(scope="module")
def template(migrated: str) -> str:
    """What the module's database is copied from."""
    return migrated


@pytest.fixture(scope="module")
def urls(cluster: Cluster, template: str) -> Iterator[Urls]:
    """A migrated database of the module's own."""
    name = f"t{uuid.uuid4().hex[:12]}"
    copy_database(cluster, template, name)
    yield Urls(cluster, name)
    with psycopg.connect(cluster.url(ADMIN, "postgres"), autocommit=True) as connection:
        connection.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(name)))


@pytest.fixture(scope="module")
def database(urls: Urls) -> Iterator[Database]:
    """The module's database as the application's role."""
    made = as_said(Database(urls.application, pool_size=4), urls.owner)
    yield made
    made.close()


@pytest.fixture
def clock() -> Clock:
    """A calendar that stands still."""
    return CLOCK


@pytest.fixture(scope="session")
def root() -> Path:
    """The project's root."""
    return Path(__file__).parents[1]


@pytest.fixture
def bench() -> Iterator[tuple[Sdi12Line, BenchControl]]:
    sides = claim("127.0.0.1", 0), claim("127.0.0.1", 0)
    line_port, control_port = (side.getsockname()[1] for side in sides)
    loop = asyncio.new_event_loop()
    task = loop.create_task(serve(Bench(demo_probes(), speed=1.0, clock=itertools.count(0.0, 0.5).__next__), *sides))

    def run() -> None:
        with pytest.raises(asyncio.CancelledError):
            loop.run_until_complete(task)

    thread = threading.Thread(target=run)
    thread.start()
    line = Sdi12Line(f"socket://127.0.0.1:{line_port}", timeout_s=0.3)
    yield line, BenchControl(f"127.0.0.1:{control_port}")
    line.close()
    loop.call_soon_threadsafe(task.cancel)
    thread.join(5)
