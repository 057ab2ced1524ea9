"""Signing in: how guesses are counted, who gets in all the same, and what ends a stay."""

from __future__ import annotations

import math
import threading
import time
import uuid
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta

import psycopg
import pytest
from argon2 import PasswordHasher
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from brumel.services import people as module
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.people import Costs, People, Person, SignInRefused
from brumel.store.database import Database
from tests.conftest import Urls

RIGHT, WRONG = "a long password", "not this one"
HERE, ELSEWHERE = "10.0.0.1", "10.0.0.2"


@pytest.fixture(scope="module")
def people(database: Database) -> People:
    return People(database)


@pytest.fixture(scope="module")
def as_owner(urls: Urls) -> Iterator[People]:
    """As the command line has it."""
    database = Database(urls.owner, pool_size=1)
    yield People(database)
    database.close()


@pytest.fixture
def person(people: People) -> Person:
    return people.add(f"p{uuid.uuid4().hex[:10]}", "Somebody", "technician", RIGHT)


def guess(people: People, login: str, times: int, address: str = HERE, browser: str = "") -> None:
    for _ in range(times):
        with pytest.raises(SignInRefused):
            people.sign_in(login, WRONG, address, browser)


def later(people: People, seconds: float) -> None:
    """All attempts were so much earlier."""
    _as_owner(people, f"UPDATE login_attempt SET at = at - interval '{seconds} s'")


@pytest.fixture(autouse=True)
def hasty(monkeypatch: pytest.MonkeyPatch) -> None:
    """Hundreds of guesses are hashed here: with little work each."""
    monkeypatch.setattr(module, "_COST", PasswordHasher(time_cost=1, memory_cost=8, parallelism=1))


_owner: dict[str, str] = {}


@pytest.fixture(autouse=True, scope="module")
def owner(urls: Urls) -> None:
    _owner["url"] = urls.owner


def _as_owner(people: People, statement: str) -> None:
    database = Database(_owner["url"], pool_size=1)
    with database.session() as session:
        session.execute(text(statement))
    database.close()


def test_of_forty_guesses_at_once_five_are_looked_at(
    people: People, person: Person, monkeypatch: pytest.MonkeyPatch
) -> None:
    """All forty have been told that they need not wait before the first is counted."""
    hashed, meet = module.proof_of, threading.Barrier(40)

    def slowly(password: str, costs: Costs) -> bytes:
        meet.wait(60)
        return hashed(password, costs)

    monkeypatch.setattr(module, "proof_of", slowly)

    def tried(number: int) -> str:
        with pytest.raises(SignInRefused) as refused:
            people.sign_in(person.login, f"guess {number}", f"10.1.0.{number}")
        return str(refused.value)

    begun = time.monotonic()
    with ThreadPoolExecutor(40) as pool:
        said = list(pool.map(tried, range(40)))
    waited = int(math.log2(1.0 + time.monotonic() - begun))  # 1 s, 2, 4 … may pass meanwhile, and let one more in each
    looked_at = sum("don't fit together" in words for words in said)
    assert 5 <= looked_at <= 5 + waited
    assert sum("Too many attempts have failed: wait" in words for words in said) == 40 - looked_at


def test_the_wait_doubles_with_each_failure(urls: Urls) -> None:
    def waits(failed: int, since_s: float = 0.0) -> float:
        with psycopg.connect(urls.owner) as owner:
            row = owner.execute("SELECT brumel_wait(%s, %s, 5, 900)", [failed, since_s]).fetchone()
        assert row
        return float(row[0])

    assert [waits(count) for count in range(4, 10)] == [0.0, 1.0, 2.0, 4.0, 8.0, 16.0]
    assert (waits(9, 6.5), waits(60)) == (9.5, 900.0)
    assert [module._in_words(s) for s in (0.2, 90.0, 91.0)] == ["1 s", "90 s", "2 min"]


def test_who_waited_is_let_in_and_a_success_forgives(people: People, person: Person) -> None:
    for _ in range(9):
        guess(people, person.login, 1)
        later(people, 60)
    guess(people, person.login, 1)
    later(people, 17)
    with pytest.raises(SignInRefused, match="Too many attempts have failed: wait"):
        people.sign_in(person.login, RIGHT, HERE)
    later(people, 16)
    assert people.sign_in(person.login, RIGHT, HERE).person.id == person.id
    guess(people, person.login, 4)
    assert people.sign_in(person.login, RIGHT, HERE).person.id == person.id  # a success forgives what was before


def test_it_never_waits_longer_than_a_quarter_of_an_hour(people: People, person: Person) -> None:
    _as_owner(
        people,
        "INSERT INTO login_attempt (login, address, succeeded) "
        f"SELECT '{person.login}', '10.7.7.7', false FROM generate_series(1, 2000)",
    )
    with pytest.raises(SignInRefused, match="wait 15 min"):
        people.sign_in(person.login, RIGHT, HERE)
    later(people, 901)
    assert people.sign_in(person.login, RIGHT, HERE).person.id == person.id


def test_who_signed_in_from_a_browser_before_gets_in_while_others_guess(people: People, person: Person) -> None:
    people.sign_in(person.login, RIGHT, HERE, "b-1")
    guess(people, person.login, 5, ELSEWHERE)
    with pytest.raises(SignInRefused, match="Too many attempts"):
        people.sign_in(person.login, RIGHT, HERE)
    assert people.sign_in(person.login, RIGHT, HERE, "b-1").person.id == person.id


def test_a_known_browser_has_no_more_guesses_than_others(people: People, person: Person) -> None:
    people.sign_in(person.login, RIGHT, HERE, "b-2")
    guess(people, person.login, 5, HERE, "b-2")
    with pytest.raises(SignInRefused, match="Too many attempts"):
        people.sign_in(person.login, RIGHT, HERE, "b-2")


def test_a_browser_is_known_for_its_own_people_only(people: People, person: Person) -> None:
    other = people.add(f"p{uuid.uuid4().hex[:10]}", "Somebody else", "technician", RIGHT)
    people.sign_in(other.login, RIGHT, HERE, "b-3")
    guess(people, person.login, 5)
    with pytest.raises(SignInRefused, match="Too many attempts"):
        people.sign_in(person.login, RIGHT, HERE, "b-3")


def test_an_address_waits_after_thirty_failures_and_nobody_elsewhere(people: People, person: Person) -> None:
    address = "10.9.9.9"
    for _ in range(6):
        guess(people, f"nobody-{uuid.uuid4().hex[:6]}", 5, address)
    with pytest.raises(SignInRefused, match="Too many attempts"):
        people.sign_in(person.login, RIGHT, address)
    assert people.sign_in(person.login, RIGHT, ELSEWHERE).person.id == person.id
    later(people, 61)
    assert people.sign_in(person.login, RIGHT, address).person.id == person.id


def test_many_who_sign_in_from_one_address_are_no_attack(people: People, person: Person) -> None:
    for _ in range(35):
        people.sign_in(person.login, RIGHT, "10.8.8.8")


def begin(people: People, person: Person, password: str = RIGHT) -> str:
    return people.sign_in(person.login, password, f"10.{uuid.uuid4().hex}").key


def test_a_stay_ends_at_sign_out(people: People, person: Person) -> None:
    here, there = begin(people, person), begin(people, person)
    found = people.signed_in(here)
    assert found
    assert found.id == person.id
    people.end(here)
    assert people.signed_in(here) is None
    assert people.signed_in(there) is not None
    assert people.signed_in("") is None


def test_a_stay_ends_after_the_time_that_settings_name(people: People, person: Person) -> None:
    short = replace(people, stays=timedelta(0))
    key = begin(short, person)
    assert people.signed_in(key) is None
    begin(short, person)  # who signs in clears away what is over
    with people.database.session() as session:
        assert session.scalars(text("SELECT brumel_who(:key)"), {"key": key}).one() is None


def test_another_password_ends_all_stays(people: People, as_owner: People, person: Person) -> None:
    keys = [begin(people, person) for _ in range(2)]
    as_owner.set_password(person.login, "another password")
    assert [people.signed_in(k) for k in keys] == [None, None]
    guess(people, person.login, 1)
    with pytest.raises(SignInRefused):
        people.sign_in(person.login, RIGHT, HERE)
    assert people.sign_in(person.login, "another password", HERE).person.id == person.id


def test_who_is_deactivated_is_out_and_stays_out(people: People, as_owner: People, person: Person) -> None:
    key = begin(people, person)
    as_owner.deactivate(person.login)
    assert people.signed_in(key) is None
    with pytest.raises(SignInRefused, match="don't fit together"):
        people.sign_in(person.login, RIGHT, HERE)
    with pytest.raises(NotFound, match="can sign in no more"):
        as_owner.act_as(person.login, "load readings.json", timedelta(hours=1))


def test_a_command_acts_by_a_stay_that_only_the_owner_gives(people: People, as_owner: People, person: Person) -> None:
    stay = as_owner.act_as(person.login, "load readings.json", timedelta(hours=1))
    found = people.signed_in(stay.key)
    assert found
    assert found.id == person.id
    with pytest.raises(DBAPIError, match="permission denied"):
        people.act_as(person.login, "load readings.json", timedelta(hours=1))


def test_what_the_command_line_refuses(as_owner: People, person: Person) -> None:
    with pytest.raises(InvalidInput, match="at least 10 characters"):
        as_owner.set_password(person.login, "short")
    with pytest.raises(NotFound, match="Nobody signs in as nobody"):
        as_owner.set_password("nobody", RIGHT)


def test_a_name_that_nobody_has_is_hashed_as_any_other(people: People, as_owner: People, person: Person) -> None:
    """With the costs that most have, and a salt that stays: nobody learns by time or by salt who there is."""
    with as_owner.database.session() as session:
        found = [
            session.execute(text("SELECT * FROM brumel_how(:login, '', '')"), {"login": login}).one()
            for login in (person.login, "nobody-here", "nobody-here", "nobody-there")
        ]
    somebody, one, again, other = found
    assert somebody[1:4] == one[1:4]
    assert one == again
    assert one.salt != other.salt
    assert len(one.salt) == len(somebody.salt)
