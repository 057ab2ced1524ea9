"""What every test of the services stands on."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from brumel.core import tables
from brumel.store.database import Database
from tests.services.world import World

_UNCALIBRATED = """
[silver]
name = "silver strip"
quantity = "total-chlorine"
parts = []
storage_good = ["dry"]
storage_stopgap = []
storage_bad = []
voids = []
waits = []
inspection = []
"""


@pytest.fixture(scope="module")
def world(database: Database) -> World:
    """A small team on a database of the module's own."""
    return World(database)


@pytest.fixture(scope="module")
def uncalibrated(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The key of a house's own kind of probe that nobody calibrates."""
    folder = tmp_path_factory.mktemp("house")
    (folder / "kinds.toml").write_text(_UNCALIBRATED)
    with tables.added(folder):
        yield "silver"
