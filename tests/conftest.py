"""One cluster for all tests, a fresh database for each module that asks for one."""

from __future__ import annotations

import os
import shutil
import uuid
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import psycopg
import pytest
from psycopg import sql

from brumel.launch.cluster import ADMIN, APPLICATION, OWNER, Cluster
from brumel.services.clock import Clock
from brumel.settings import default_data_folder
from brumel.store import schema
from brumel.store.database import Database

NOW = datetime(2026, 5, 6, 9, 30, tzinfo=UTC)


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A PostgreSQL of the tests' own, on loopback, removed afterwards."""
    folder = default_data_folder() / f"test-{os.getpid()}-{uuid.uuid4().hex[:6]}"
    made = Cluster(folder)
    try:
        made.start()
        yield made
    finally:
        made.remove()
        shutil.rmtree(folder, ignore_errors=True)


class Urls:
    """One database as its owner and as the application."""

    def __init__(self, cluster: Cluster, name: str) -> None:
        self.owner = cluster.url(OWNER, name)
        self.application = cluster.url(APPLICATION, name)


@pytest.fixture(scope="module")
def urls(cluster: Cluster) -> Iterator[Urls]:
    """A migrated database of the module's own."""
    name = f"t{uuid.uuid4().hex[:12]}"
    cluster.create_database(name)
    found = Urls(cluster, name)
    schema.upgrade(found.owner, APPLICATION)
    yield found
    with psycopg.connect(cluster.url(ADMIN, "postgres"), autocommit=True) as connection:
        connection.execute(sql.SQL("DROP DATABASE {} WITH (FORCE)").format(sql.Identifier(name)))


@pytest.fixture(scope="module")
def database(urls: Urls) -> Iterator[Database]:
    """The module's database as the application's role."""
    made = Database(urls.application, pool_size=4)
    yield made
    made.close()


@pytest.fixture
def clock() -> Clock:
    """A calendar that stands still."""
    return Clock(ZoneInfo("UTC"), NOW)


@pytest.fixture
def root() -> Path:
    """The project's root."""
    return Path(__file__).parents[1]
