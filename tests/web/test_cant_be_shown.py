"""A reading that no page can show (let in before it was looked at, or of a quantity that went): said in its place."""

from __future__ import annotations

import json
import uuid

import psycopg
import pytest
from flask.testing import FlaskClient
from tests.conftest import Urls
from tests.web.screens import BASE, EVERYTHING_CHANGED, enter

BAD = {
    "quantity": ("'mood'", "quantity is no quantity that is known"),
    "level": ("'superb'", "level must be one of"),
    "taken_at": ("'0001-01-01 00:00+00'", "taken_at must lie after 1900"),
    "recorded_at": ("'0001-01-01 00:00+00'", "recorded_at must lie after 1900"),
}


@pytest.fixture(scope="module")
def bad(urls: Urls) -> dict[str, uuid.UUID]:
    """A copy of a visit's reading for each column that can't be shown, put where no check sees it."""
    made = {}
    with psycopg.connect(urls.owner) as connection:
        names = connection.execute(
            "SELECT conname FROM pg_constraint WHERE conrelid = 'reading'::regclass AND contype = 'c'"
        ).fetchall()
        for (name,) in names:
            connection.execute(f"ALTER TABLE reading DROP CONSTRAINT {name}")
        connection.execute("ALTER TABLE reading DISABLE TRIGGER reading_bounded")
        columns = [
            name for (name,) in connection.execute(
                "SELECT column_name FROM information_schema.columns WHERE table_name = 'reading'"
            ) if name != "ordinal"
        ]  # fmt: skip
        good = connection.execute(
            "SELECT id FROM reading WHERE visit_id IS NOT NULL AND quantity = 'temperature' "
            "ORDER BY taken_at DESC LIMIT 1"
        ).fetchone()
        for column, (value, _) in BAD.items():
            made[column] = key = uuid.uuid4()
            other = {"id": f"'{key}'", "amends_id": "NULL", "amend_reason": "NULL", column: value}
            connection.execute(
                f"INSERT INTO reading ({', '.join(columns)}) SELECT {', '.join(other.get(c, c) for c in columns)} "
                "FROM reading WHERE id = %s",
                good,
            )
        connection.execute(EVERYTHING_CHANGED)
    return made


@pytest.fixture
def looked(client: FlaskClient, bad: dict[str, uuid.UUID]) -> FlaskClient:
    assert bad
    enter(client, "supervisor")
    return client


def get(client: FlaskClient, path: str, expected: int = 200) -> str:
    answer = client.get(path, base_url=BASE)
    assert answer.status_code == expected, path
    return answer.text


def test_it_is_said_in_its_place_in_the_ledger(looked: FlaskClient, bad: dict[str, uuid.UUID]) -> None:
    page = get(looked, "/ledger/readings")
    for column in ("quantity", "level", "recorded_at"):
        assert f'{bad[column]}</td><td colspan="9">This reading can\'t be shown: {BAD[column][1]}' in page
    for column, key in bad.items():
        assert f"This reading can&#39;t be shown: {BAD[column][1]}" in get(looked, f"/ledger/readings/{key}", 409)


def test_every_export_says_so(looked: FlaskClient, bad: dict[str, uuid.UUID]) -> None:
    table, whole = get(looked, "/ledger/readings.csv"), json.loads(get(looked, "/ledger/readings.json"))
    said = {r["reading_id"]: r.get("unshown", "") for r in whole["readings"]}
    for column, key in bad.items():
        (line,) = (line for line in table.splitlines() if line.startswith(str(key)))
        assert f"can't be shown: {BAD[column][1]}" in line
        assert BAD[column][1] in said[str(key)]
        assert any(row["id"] == str(key) for row in whole["records"]["reading"]), "nothing of it is lost"


def test_no_other_page_breaks_and_none_counts_it(looked: FlaskClient, urls: Urls, bad: dict[str, uuid.UUID]) -> None:
    with psycopg.connect(urls.owner) as connection:
        (visit, site), *_ = connection.execute(
            "SELECT visit_id, site_id FROM reading WHERE id = %s", [bad["level"]]
        ).fetchall()
    for path in ("/", "/rounds/", "/kit/", f"/visits/{visit}", f"/visits/{visit}/sheet",
                 f"/visits/site/{site}", f"/rounds/sites/{site}"):  # fmt: skip
        answer = looked.get(path, base_url=BASE)
        assert answer.status_code in (200, 404), path
        assert not any(str(key) in answer.text for key in bad.values()), path
