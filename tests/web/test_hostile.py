"""A few hundred requests that no page sends; ``./brumel bench hostile`` sends ten thousand."""

from __future__ import annotations

import pytest
from tests.web.hostile import attack

from brumel.services.application import Services
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app


@pytest.mark.parametrize(("role", "seed", "count"), [("technician", 20261126, 250), ("reader", 20261127, 60)])
def test_nothing_breaks_and_nothing_odd_is_stored(
    services: Services, database: Database, role: str, seed: int, count: int
) -> None:
    app = create_app(services, WebSettings("hostile", demo=True))
    answered, wrong = attack(app, database, seed, count, role)
    assert wrong == [], f"seed {seed}"
    assert answered[200] > 10
    assert sum(answered.values()) >= count - 10
