"""The demonstration's data behind the services, anew for each module that takes these fixtures, and who is at work."""

from __future__ import annotations

import pytest

from brumel.services.application import Services
from brumel.store.database import Database
from brumel.store.models.reference import Person
from tests.conftest import CLOCK


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def services(database: Database) -> Services:
    return Services.over(database, CLOCK)


@pytest.fixture(scope="module")
def person(database: Database) -> Person:
    with database.session() as session:
        return session.query(Person).filter_by(role="technician").first()
