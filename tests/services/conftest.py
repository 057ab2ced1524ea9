"""What every test of the services stands on."""

from __future__ import annotations

import uuid
from collections.abc import Iterator

import pytest

from brumel.core import tables
from brumel.services.application import Services
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.store.database import Database
from brumel.store.models.reference import Person
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


@pytest.fixture(scope="module")
def photometer(services: Services, person: Person) -> str:
    measures = {
        "free-chlorine": TypedMeasures(0.02, 6.0, "±0.05, ±5 % of reading, steps of 0.01"),
        "total-chlorine": TypedMeasures(0.02, 6.0, "±0.05, ±5 % of reading, steps of 0.01"),
        "stabiliser": TypedMeasures(5.0, 160.0, "±5, ±8 % of reading"),
        "alkalinity": TypedMeasures(10.0, 400.0, "±5 % of reading, steps of 1"),
        "hardness": TypedMeasures(20.0, 500.0, "±5 % of reading, steps of 1"),
        "dissolved-solids": TypedMeasures(None, None, "±5 % of reading"),
    }
    new = NewInstrument(uuid.uuid4(), "P-9", "photometer", "Kit A", measures=measures)
    return f"instrument:{services.instruments.save(new, person)}"
