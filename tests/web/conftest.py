"""The demonstration's data behind the screens, anew for each module."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from flask import Flask
from flask.testing import FlaskClient
from tests.conftest import CLOCK

from brumel.services.application import Services
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def services(database: Database) -> Services:
    return Services.over(database, CLOCK)


@pytest.fixture(scope="module")
def app(services: Services) -> Flask:
    """One application for a file of tests: a new one reads every template again."""
    return create_app(services, WebSettings("test", demo=True))


@pytest.fixture
def client(app: Flask) -> Iterator[FlaskClient]:
    with app.test_client() as made:
        yield made
