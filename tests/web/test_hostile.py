"""A few hundred requests that no page sends; ``./brumel bench hostile`` sends ten thousand."""

from __future__ import annotations

import psycopg
from tests.conftest import Urls
from tests.web.hostile import attack, unsound

from brumel.core.typed import TEXT_MOST
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


def test_what_nobody_would_type_is_found_where_it_is_stored(urls: Urls, database: Database) -> None:
    with psycopg.connect(urls.owner) as owner:
        owner.execute("CREATE TABLE odd (value float8, at timestamptz, said text, held jsonb)")
        owner.execute("GRANT SELECT ON odd TO PUBLIC")
        for row in (
            ("NaN", "0099-01-01", "x" * (TEXT_MOST + 1), '{"a": [1e300]}'),
            ("-Infinity", "infinity", "y" * 400_000, '["' + "z" * (TEXT_MOST + 1) + '"]'),
            ("1e-300", "2026-05-06", "short", '{"a": 7}'),
            (0.0, "2026-05-06", "", "null"),
        ):
            owner.execute("INSERT INTO odd VALUES (%s, %s, %s, %s)", row)
    columns = sorted(words.split(" ")[0] for words in unsound(database))
    with psycopg.connect(urls.owner) as owner:
        owner.execute("DROP TABLE odd")
    assert columns == ["odd.at"] * 2 + ["odd.held"] * 2 + ["odd.said"] * 2 + ["odd.value"] * 3
