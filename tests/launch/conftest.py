"""A data folder of a test's own, for commands that start a database."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from brumel.launch.cluster import Cluster
from tests.cutoff import data_folder


@pytest.fixture
def folder() -> Iterator[Path]:
    made = data_folder("front")
    yield made
    Cluster(made / "demo").remove()
    shutil.rmtree(made, ignore_errors=True)
