"""How many questions a screen asks the database: few, and no more for more rows."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import psycopg
import pytest
from flask.testing import FlaskClient
from sqlalchemy import event
from tests.conftest import Urls
from tests.web.remembered import memories
from tests.web.screens import BASE, EVERYTHING_CHANGED, enter, screen_paths

from brumel.services.application import Services
from brumel.store.database import Database

MOST, KEPT = 12, 6
"""The first after something was recorded, and after that: a meter's page has live values."""
SCREENS = [
    "Today", "Kit", "Kit, a probe's life", "Kit, a meter", "Shelf", "Shelf, a lot", "Bench", "Bench, new run", "Rounds",
    "Rounds, reading at a site", "A site's history", "A visit", "A new visit", "Plans", "Plan, a round",
    "Ledger, readings", "Ledger, calibrations", "Ledger, care", "Ledger, one calibration", "Ledger, one reading",
    "Reckon", "Reckon, a calculation", "Reckon, an answer", "Guide", "Set up",
]  # fmt: skip

Ask = Callable[[str], int]


@pytest.fixture
def recorded(urls: Urls) -> Callable[[], None]:
    """As if somebody had just recorded something: what was kept is old."""

    def count() -> None:
        with psycopg.connect(urls.owner, autocommit=True) as owner:
            owner.execute(EVERYTHING_CHANGED)

    return count


@pytest.fixture
def asked(client: FlaskClient, database: Database) -> Iterator[Ask]:
    """How many questions a page asks."""
    found: list[str] = []

    def note(_connection: object, _cursor: object, statement: str, *_: object) -> None:
        found.append(statement)

    def ask(path: str) -> int:
        found.clear()
        assert client.get(path, base_url=BASE).status_code == 200
        return len(found)

    event.listen(database.engine, "before_cursor_execute", note)
    yield ask
    event.remove(database.engine, "before_cursor_execute", note)


@pytest.fixture
def paths(client: FlaskClient) -> dict[str, str]:
    enter(client, "technician")
    return screen_paths(lambda path: client.get(path, base_url=BASE).text)


def test_all_screens_are_counted(paths: dict[str, str]) -> None:
    assert list(paths) == SCREENS


@pytest.mark.parametrize("screen", SCREENS)
def test_no_screen_asks_more_than_twelve_questions(
    paths: dict[str, str], screen: str, asked: Ask, recorded: Callable[[], None]
) -> None:
    """Drawing the strip of the day, once for all screens, is counted by itself."""
    recorded()
    asked("/guide/")
    assert asked(paths[screen]) <= MOST
    assert asked(paths[screen]) <= KEPT


def test_the_strip_of_the_day_asks_no_more(paths: dict[str, str], asked: Ask, recorded: Callable[[], None]) -> None:
    recorded()
    assert asked("/guide/") <= MOST
    assert asked("/guide/") <= 3
    assert paths


def test_what_is_kept_is_read_from_tables_that_are_counted(
    paths: dict[str, str], client: FlaskClient, urls: Urls, services: Services, recorded: Callable[[], None]
) -> None:
    """Else it would show for a while what is no longer so."""
    recorded()
    for path in paths.values():
        client.get(path, base_url=BASE)
    kept = [memory for service in vars(services).values() for memory in memories(service, set())]
    read = {table for memory in kept for known in memory._known.values() for table in known.counts}
    with psycopg.connect(urls.owner) as owner:
        counted = owner.execute("SELECT tgrelid::regclass::text FROM pg_trigger WHERE tgname LIKE '%_counted'")
        assert read <= {table for (table,) in counted}
    assert {"reading", "calibration_run", "care_record", "house_choice"} <= read
