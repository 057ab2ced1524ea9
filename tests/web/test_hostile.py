"""A few hundred requests that no page sends; ``./brumel bench hostile`` sends ten thousand."""

from __future__ import annotations

from tests.web.hostile import attack

from brumel.services.application import Services
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app

SEED, COUNT = 20261126, 250


def test_nothing_breaks_and_nothing_odd_is_stored(services: Services, database: Database) -> None:
    app = create_app(services, WebSettings("hostile", demo=True))
    answered, wrong = attack(app, database, SEED, COUNT, "technician")
    assert wrong == [], f"seed {SEED}"
    assert answered[200] > 10
    assert sum(answered.values()) >= COUNT - 10
