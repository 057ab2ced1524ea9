"""What the database refuses is told in words: no rule of it by its name."""

from __future__ import annotations

import uuid

import pytest
from sqlalchemy import text

from brumel.store.database import Database, NotThere, StoreError, hold
from brumel.store.models.reference import Lot


@pytest.mark.parametrize(
    ("statement", "words"),
    [
        (
            "INSERT INTO site_range (site_id, quantity, low, high) VALUES (:id, 'ph', 6, 8)",
            "It points to something that is not there: reload the page and choose again.",
        ),
        (
            "INSERT INTO site (id, code, name, water_kind, visit_every_days) VALUES (:id, NULL, 'x', 'x', 1)",
            "The record contradicts what stands already: look at it anew, then send it again.",
        ),
        (
            "INSERT INTO site_range (site_id, quantity, low, high) VALUES (:id, 'ph', 8, 6)",
            "The record contradicts what stands already: look at it anew, then send it again.",
        ),
        (
            "INSERT INTO site (id, code, name, water_kind, visit_every_days) "
            "VALUES (:id, repeat('x', 500), 'x', 'x', 1)",
            "A text is too long: names have 120 characters at most, notes 4000.",
        ),
    ],
)
def test_a_rule_is_never_told_by_its_name(database: Database, statement: str, words: str) -> None:
    with pytest.raises(StoreError) as refused, database.session() as session:
        session.execute(text(statement), {"id": uuid.uuid4()})
    assert refused.value.for_people == words


def test_what_is_not_there_is_missing(database: Database) -> None:
    with pytest.raises(NotThere, match="is not there: go back"), database.session() as session:
        session.get_one(Lot, uuid.uuid4())


def test_who_waits_too_long_for_a_record_is_told_to_send_again(database: Database) -> None:
    key = uuid.uuid4()

    def impatient() -> None:
        with database.session() as session:
            session.execute(text("SET LOCAL lock_timeout = '1ms'"))
            hold(session, key)

    with database.session(key), pytest.raises(StoreError, match="at the same moment: send it again"):
        impatient()
