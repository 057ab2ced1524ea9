"""An attack as the application's role: by whoever broke into the web server, with the key of one technician at most."""

from __future__ import annotations

import uuid

import psycopg
import pytest
from argon2 import PasswordHasher
from tests.acting import hand_over, minted
from tests.conftest import CLOCK, Urls
from tests.store.refused import CHECK, KEPT, PRIVILEGE, state_of

from brumel.launch.cluster import APPLICATION, Cluster
from brumel.services.people import People, SignInRefused
from brumel.store import schema
from brumel.store.add_fact import add_once
from brumel.store.database import Acting, Database, acting
from brumel.store.models.visit import Visit

VISIT = (
    "INSERT INTO visit (id, site_id, sample, person_id, begun_at{more}) "
    "VALUES (gen_random_uuid(), '{site}', '', '{who}', {at}{values})"
)
READING = (
    "INSERT INTO reading (id, site_id, person_id, taken_at, source, quantity, value, u, unit, signal_unit, "
    "meter_did, reference, surroundings, derived, despite, level, budget, working, acceptance, settling_words, "
    "note, qualifier, replicate, layer, typed_as{more}) VALUES (gen_random_uuid(), '{site}', '{mira}', {at}, "
    "'typed-value', '{quantity}', {value}, 0.1, '{unit}', '', '{{}}', '', '{{}}', '[]', '', '{level}', '[]', '[]', "
    "'by-eye', '', '', '', 0, '', '{{}}'{values})"
)


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def mine(urls: Urls) -> dict[str, str]:
    """Keys and people by login, and things to lie about."""
    with psycopg.connect(urls.owner) as owner:
        people = dict(owner.execute("SELECT login, id::text FROM person").fetchall())
        keys = {f"key of {login}": minted(urls.owner, uuid.UUID(key)) for login, key in people.items()}
        one = {
            "site": "SELECT id FROM site LIMIT 1", "reading": "SELECT id FROM reading LIMIT 1",
            "run": "SELECT run_id FROM calibration_signature LIMIT 1",
            "lot": "SELECT id FROM lot WHERE discarded_on IS NOT NULL LIMIT 1",
        }  # fmt: skip
        things = {name: str((owner.execute(query).fetchone() or ("",))[0]) for name, query in one.items()}
    assert all(things.values()), things
    return {**people, **keys, **things}


def visit(mine: dict[str, str], who: str, more: str = "", values: str = "", at: str = "now()") -> str:
    return VISIT.format(site=mine["site"], who=mine[who], more=more, values=values, at=at)


def test_it_records_as_whom_its_key_belongs_to_and_now(urls: Urls, mine: dict[str, str]) -> None:
    with psycopg.connect(urls.application) as connection:
        hand_over(connection, mine["key of mira"])
        row = connection.execute(
            visit(mine, "mira", at="'2001-01-01'") + " RETURNING recorded_by::text, recorded_at = now()"
        ).fetchone()
        connection.rollback()
    assert row == (mine["mira"], True)


@pytest.mark.parametrize(
    ("whose", "key", "more", "state"),
    [
        ("mira", "key of mira", ("", ""), None),
        ("mira", "", ("", ""), KEPT),
        ("mira", "a key that nobody has", ("", ""), KEPT),
        ("oskar", "key of mira", ("", ""), KEPT),
        ("mira", "key of mira", (", recorded_by", ", '{oskar}'"), PRIVILEGE),
        ("mira", "key of mira", (", recorded_at", ", '2001-01-01'"), PRIVILEGE),
        ("mira", "key of mira", (", recorded_at", ", '2999-01-01'"), PRIVILEGE),
        ("jun", "key of jun", ("", ""), KEPT),
    ],
)
def test_nobody_elses_name_and_no_other_moment(
    urls: Urls, mine: dict[str, str], whose: str, key: str, more: tuple[str, str], state: str | None
) -> None:
    statement = visit(mine, whose, more[0], more[1].format(**mine))
    assert state_of(urls.application, statement, mine.get(key, key)) == state


def test_from_elsewhere_it_is_another_name_by_whom_it_is(urls: Urls, mine: dict[str, str]) -> None:
    """What a file says is said of others; who took it in stands beside it."""
    with psycopg.connect(urls.application) as connection:
        hand_over(connection, mine["key of mira"], "elsewhere")
        row = connection.execute(visit(mine, "oskar") + " RETURNING recorded_by::text").fetchone()
        connection.rollback()
    assert row == (mine["mira"],)


def test_a_reader_takes_nothing_in_from_elsewhere_either(urls: Urls, mine: dict[str, str]) -> None:
    with psycopg.connect(urls.application) as connection:
        hand_over(connection, mine["key of jun"], "elsewhere")
        with pytest.raises(psycopg.Error, match="A reader sees and exports"):
            connection.execute(visit(mine, "oskar"))


@pytest.mark.parametrize(
    ("changed", "state"),
    [
        ({}, None),
        ({"more": ", ordinal", "values": ", -5"}, PRIVILEGE),
        ({"value": "1e300"}, KEPT),
        ({"value": "'NaN'"}, KEPT),
        ({"value": "16.9"}, None),
        ({"value": "17.1"}, KEPT),
        ({"quantity": "phlogiston"}, KEPT),
        ({"unit": "mg/L"}, KEPT),
        ({"level": "superb"}, CHECK),
        ({"at": "'2999-01-01'"}, CHECK),
        ({"at": "'1001-01-01'"}, CHECK),
        ({"more": ", settling_s", "values": ", 1e300"}, CHECK),
    ],
)
def test_no_value_that_can_not_be(urls: Urls, mine: dict[str, str], changed: dict[str, str], state: str | None) -> None:
    usual = {
        "more": "",
        "values": "",
        "quantity": "ph",
        "value": "7.1",
        "unit": "",
        "level": "sound",
        "at": "now()",
    }
    assert state_of(urls.application, READING.format(**mine | usual | changed), mine["key of mira"]) == state


@pytest.mark.parametrize(
    "statement",
    [
        "INSERT INTO reading_finding (reading_id, ordinal, code, level, sentence, remedy, source) "
        "VALUES ('{reading}', 90, 'x', 'sound', 'x', '', '')",
        "INSERT INTO reading_basis (reading_id, basis_id) SELECT '{reading}', id FROM reading "
        "WHERE id <> '{reading}' AND id NOT IN (SELECT basis_id FROM reading_basis) LIMIT 1",
        "INSERT INTO calibration_finding (run_id, ordinal, code, level, sentence, remedy, source) "
        "VALUES ('{run}', 90, 'x', 'sound', 'x', '', '')",
        "INSERT INTO calibration_coefficient (run_id, key, ordinal, value, unit, origin) "
        "VALUES ('{run}', 'sly', 90, 1, '', 'fitted')",
        "INSERT INTO calibration_signature (run_id, person_id, signed_at, level, point_ids, covariance, note) "
        "VALUES ('{run}', '{mira}', now(), 'sound', '{{}}', '[]', '')",
        "UPDATE lot SET discarded_on = NULL WHERE id = '{lot}'",
        "UPDATE lot SET discarded_on = '2000-01-01' WHERE id = '{lot}'",
        "UPDATE lot SET opened_on = NULL WHERE opened_on IS NOT NULL",
    ],
)  # fmt: skip
def test_nothing_is_added_to_what_stands_and_nothing_goes_back(
    urls: Urls, mine: dict[str, str], statement: str
) -> None:
    assert state_of(urls.application, statement.format(**mine), mine["key of mira"]) == KEPT


@pytest.mark.parametrize(
    "statement",
    [
        "INSERT INTO signed_in (key_hash, person_id, ends_at) VALUES ('x', '{oskar}', '2099-01-01')",
        "UPDATE signed_in SET person_id = '{oskar}'",
        "SELECT brumel_mint('{oskar}', '1 day', '')",
        "SELECT * FROM person_secret",
        "SELECT * FROM house_secret",
        "DELETE FROM login_attempt",
        "SELECT brumel_put_who()",
        "UPDATE quantity_bound SET high = 1e300",
    ],
)  # fmt: skip
def test_it_gives_itself_no_stay(urls: Urls, mine: dict[str, str], statement: str) -> None:
    assert state_of(urls.application, statement.format(**mine), mine["key of mira"]) == PRIVILEGE


def test_who_acts_is_told_again_after_a_savepoint_that_was_taken_back(database: Database, mine: dict[str, str]) -> None:
    """What is told within it is forgotten with it: the next fact is recorded all the same."""
    row = {"id": uuid.uuid4(), "site_id": None, "sample": "a well", "person_id": mine["mira"], "round_id": None,
           "begun_at": CLOCK.now()}  # fmt: skip
    with acting(Acting(mine["key of mira"])), database.session() as session:
        with session.begin_nested() as point:
            add_once(session, Visit, row)
            point.rollback()
        assert add_once(session, Visit, row)


def test_guesses_are_counted_however_many_browsers_it_invents(urls: Urls) -> None:
    with psycopg.connect(urls.application, autocommit=True) as connection:
        waits = [
            connection.execute(
                "SELECT key, wait_s FROM brumel_sign_in('oskar', %s, '10.0.0.9', %s, '1 day')",
                [b"guess", f"browser {number}"],
            ).fetchone()
            for number in range(9)
        ]
        how = [connection.execute("SELECT * FROM brumel_how('nobody', '', '')").fetchone() for _ in range(2)]
    assert [key for key, _ in waits if key] == []  # type: ignore[misc]
    assert [wait > 0 for _, wait in waits] == [False] * 5 + [True] * 4  # type: ignore[misc]
    assert how[0] == how[1]
    assert len(how[0][0]) == 16  # type: ignore[index]


def test_people_of_the_version_before_sign_in_by_their_old_passwords(cluster: Cluster) -> None:
    """And stay signed in; what stands was recorded by whom it is of, when it was said."""
    cluster.create_database("before")
    urls, person, key = Urls(cluster, "before"), uuid.uuid4(), uuid.uuid4()
    schema.upgrade(urls.owner, APPLICATION, "0021")
    with psycopg.connect(urls.owner) as owner:
        owner.execute(
            "INSERT INTO person (id, login, name, role, password_hash) VALUES (%s, 'vera', 'Vera', 'supervisor', %s)",
            [person, PasswordHasher().hash("of the version before")],
        )
        owner.execute("INSERT INTO signed_in (id, person_id) VALUES (%s, %s)", [key, person])
        owner.execute(
            "INSERT INTO visit (id, sample, person_id, begun_at, recorded_at) "
            "VALUES (gen_random_uuid(), 'a well', %s, '2025-03-01 08:00+00', '2025-03-01 09:00+00')",
            [person],
        )
    schema.upgrade(urls.owner, APPLICATION)
    database = Database(urls.application, pool_size=1)
    people = People(database)
    stays = people.signed_in(str(key))
    assert (stays.name if stays else None, people.sign_in("vera", "of the version before", "").person.id) == (
        "Vera", person,
    )  # fmt: skip
    with pytest.raises(SignInRefused):
        people.sign_in("vera", "another", "")
    database.close()
    with psycopg.connect(urls.owner) as owner:
        row = owner.execute("SELECT recorded_by, recorded_at = '2025-03-01 09:00+00' FROM visit").fetchone()
    assert row == (person, True)
