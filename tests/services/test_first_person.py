"""The first person: an invitation is good once, for an hour, and only while there is nobody."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import text

from brumel.services.errors import InvalidInput, NotFound, ServiceError
from brumel.services.people import People
from brumel.services.start.first_person import FirstPerson, invite
from brumel.store.database import Database
from tests.conftest import Urls

ENTRY = ("ada", "Ada Fenn", "long enough")


@pytest.fixture
def owner(urls: Urls) -> Iterator[Database]:
    """The module's database as its owner, without people."""
    made = Database(urls.owner, pool_size=2)
    with made.session() as session:
        for table in ("signed_in", "invitation", "person_secret", "person"):
            session.execute(text(f"DELETE FROM {table}"))
    yield made
    made.close()


@pytest.fixture
def first(database: Database) -> FirstPerson:
    return FirstPerson(database)


def invited(owner: Database) -> str:
    key = invite(owner)
    assert key is not None
    return key


def test_the_first_is_a_supervisor_and_signs_in(owner: Database, first: FirstPerson, database: Database) -> None:
    key = invited(owner)
    assert first.awaited()
    first.enter(key, *ENTRY)
    person = People(database).sign_in("ada", "long enough", "here").person
    assert (person.role, person.name, first.awaited()) == ("supervisor", "Ada Fenn", False)


def test_a_key_opens_once(owner: Database, first: FirstPerson) -> None:
    key = invited(owner)
    first.enter(key, *ENTRY)
    with pytest.raises(NotFound, match="used or older than an hour"):
        first.enter(key, "bea", "Bea Holt", "long enough")
    assert invite(owner) is None


def test_of_two_at_once_one_comes_in(owner: Database, first: FirstPerson) -> None:
    key = invited(owner)

    def tried(login: str) -> bool:
        try:
            first.enter(key, login, login.title(), "long enough")
        except ServiceError:
            return False
        return True

    with ThreadPoolExecutor(4) as pool:
        assert sum(pool.map(tried, ["ada", "bea", "cid", "dov"])) == 1


@pytest.mark.parametrize("spoil", ["UPDATE invitation SET expires_at = now()", "DELETE FROM invitation"])
def test_a_key_that_is_too_old_or_gone_opens_nothing(owner: Database, first: FirstPerson, spoil: str) -> None:
    key = invited(owner)
    with owner.session() as session:
        session.execute(text(spoil))
    with pytest.raises(NotFound):
        first.check(key)
    with pytest.raises(NotFound):
        first.enter(key, *ENTRY)


def test_a_new_key_ends_the_one_before_and_a_guess_opens_nothing(owner: Database, first: FirstPerson) -> None:
    before, key = invited(owner), invited(owner)
    for wrong in (before, "guessed", "", key + "x"):
        with pytest.raises(NotFound):
            first.check(wrong)
    first.check(key)


def test_where_somebody_was_added_meanwhile_the_key_is_dead(owner: Database, first: FirstPerson) -> None:
    key = invited(owner)
    People(owner).add("bea", "Bea Holt", "technician", "long enough")
    with pytest.raises(NotFound):
        first.enter(key, *ENTRY)


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        (("A da", "Ada", "long enough"), "login"),
        (("ada", " ", "long enough"), "name"),
        (("ada", "Ada", "short"), "password"),
    ],
)
def test_what_can_not_be_taken_is_said_and_the_key_stays_good(
    owner: Database, first: FirstPerson, entry: tuple[str, str, str], field: str
) -> None:
    key = invited(owner)
    with pytest.raises(InvalidInput) as refused:
        first.enter(key, *entry)
    assert list(refused.value.fields) == [field]
    first.enter(key, *ENTRY)


def test_the_application_can_neither_read_nor_write_invitations(owner: Database, database: Database) -> None:
    invited(owner)
    for statement in (
        "SELECT * FROM invitation",
        "INSERT INTO invitation VALUES ('x', now())",
        "DELETE FROM invitation",
    ):
        with pytest.raises(Exception, match="permission denied"), database.engine.begin() as connection:
            connection.execute(text(statement))
