"""People: who they are, how they sign in, what they may do."""

from __future__ import annotations

import math
import re
import secrets
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from hashlib import sha256
from typing import NamedTuple

from argon2 import PasswordHasher
from argon2.low_level import Type, hash_secret_raw
from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from brumel.core.quantities.shown import choices, kept_units
from brumel.services.errors import Forbidden, InvalidInput, NotFound
from brumel.store.database import Database
from brumel.store.models.owned import PersonSecret, SignIn
from brumel.store.models.reference import Person as Person
from brumel.store.models.reference import PersonRole as PersonRole
from brumel.store.queries import reference as queries

_LOGIN = re.compile(r"[a-z0-9][a-z0-9._-]{1,31}")
_LEAST_PASSWORD = 10
_TOO_SHORT = f"A password has at least {_LEAST_PASSWORD} characters."
_COST = PasswordHasher()
"""The costs of a new password's hash: the library's own."""
_SALT, _HASH = 16, 32
"""Lengths, bytes."""
INVENTED_PASSWORD = "hallow-reach"
INVENTED = {
    PersonRole.TECHNICIAN: ("mira", "Mira Tolland"),
    PersonRole.SUPERVISOR: ("oskar", "Oskar Weir"),
    PersonRole.READER: ("jun", "Jun Sallow"),
}
"""Everybody in the demonstration, by role: sign-in name and name. They share the password."""


_HOW = text("SELECT * FROM brumel_how(:login, :address, :browser)")
_SIGN_IN = text("SELECT * FROM brumel_sign_in(:login, :proof, :address, :browser, :stays)")


class SignInRefused(InvalidInput):
    """Name and password don't fit, or too many attempts have failed."""


@dataclass(frozen=True)
class Stay:
    """Somebody who is signed in, and the key of their stay, which only their browser keeps."""

    person: Person
    key: str


@dataclass(frozen=True)
class People:
    """Use cases around people. Who they are by their password is known to the database's owner alone."""

    database: Database
    stays: timedelta = timedelta(days=7)
    """How long somebody stays signed in."""

    def sign_in(self, login: str, password: str, address: str, browser: str = "") -> Stay:
        """Sign in the person whose name and password these are.

        An attempt is counted before it is looked at, by name and by address; from a browser that somebody signed in
        from by this name before it is counted by that browser alone, so that nobody else's guesses keep them out.

        Parameters
        ----------
        browser
            What the browser is known by; empty where it is not.

        Raises
        ------
        SignInRefused
            Where they don't fit, or too many have failed: the wait grows with each.
        """
        login = login.strip().lower()
        asked = {"login": login, "address": address, "browser": browser}
        with self.database.session() as session:
            how = session.execute(_HOW, asked).one()
        _wait(how.wait_s)
        proof = proof_of(password, Costs(*how[:4]))
        with self.database.session() as session:
            found = session.execute(_SIGN_IN, {**asked, "proof": proof, "stays": self.stays}).one()
            _wait(found.wait_s)
            person = session.get(Person, found.who) if found.key else None
        if person is None:
            raise SignInRefused({"login": "Name and password don't fit together: check both and try again."})
        return Stay(person, found.key)

    def signed_in(self, key: str) -> Person | None:
        """Say who is signed in under a key: nobody once they signed out, were deactivated, or stayed too long."""
        with self.database.session() as session:
            who = select(func.brumel_who(key)).scalar_subquery()  # asked once, not also by the planner
            return session.scalar(select(Person).where(Person.id == who))

    def end(self, key: str) -> None:
        """Sign out: the key opens nothing any more, wherever it was copied to."""
        with self.database.session() as session:
            session.execute(select(func.brumel_sign_out(key)))

    def act_as(self, login: str, what_for: str, lasts: timedelta) -> Stay:
        """Let a command act as somebody for a while; as the owner, who needs no password.

        Raises
        ------
        NotFound
            For a name that nobody has, and for who can't sign in any more.
        """
        with self.database.session() as session:
            person = _of_login(session, login)
            if not person.active:
                raise NotFound(f"{login} can sign in no more.")
            return Stay(person, session.scalars(select(func.brumel_mint(person.id, lasts, what_for))).one())

    def read_in(self, units: Mapping[str, str], person: Person) -> None:
        """Choose the units that a person reads and types in; records keep theirs.

        Raises
        ------
        InvalidInput
            For a unit that is not offered.
        """
        wrong = {
            kept: f"Choose one of: {', '.join(choices(kept))}."
            for kept, unit in units.items()
            if kept not in kept_units() or unit not in choices(kept)
        }
        if wrong:
            raise InvalidInput(wrong)
        with self.database.session() as session:
            session.get_one(Person, person.id).units = {k: u for k, u in units.items() if u != k}

    def add(self, login: str, name: str, role: str, password: str) -> Person:
        """Add a person who can sign in.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        person = new_person(login, name, role, password)
        with self.database.session() as session:
            session.add(person)
            session.flush()
            session.add(_secret(person.id, password))
        return person

    def set_password(self, login: str, password: str) -> None:
        """Give somebody another password; whoever is signed in as them is signed out. The command line's alone.

        Raises
        ------
        InvalidInput
            For a password that is too short.
        NotFound
            For a name that nobody has.
        """
        if len(password) < _LEAST_PASSWORD:
            raise InvalidInput({"password": _TOO_SHORT})
        with self.database.session() as session:
            person = _of_login(session, login)
            session.execute(delete(PersonSecret).where(PersonSecret.person_id == person.id))
            session.add(_secret(person.id, password))
            _signed_out(session, login)

    def deactivate(self, login: str) -> None:
        """Let somebody sign in no more; their records stay, and they are signed out. The command line's alone."""
        with self.database.session() as session:
            _of_login(session, login).active = False
            _signed_out(session, login)


def new_person(login: str, name: str, role: str, password: str) -> Person:
    """Return a person as they are kept.

    Raises
    ------
    InvalidInput
        With every field that can't be taken.
    """
    wrong = {}
    if not _LOGIN.fullmatch(login):
        wrong["login"] = "A sign-in name has 2 to 32 small letters, digits, dots or dashes."
    if not name.strip():
        wrong["name"] = "A name is needed: it stands beside every record."
    if role not in set(PersonRole):
        wrong["role"] = f"A role is one of {', '.join(PersonRole)}."
    if len(password) < _LEAST_PASSWORD:
        wrong["password"] = _TOO_SHORT
    if wrong:
        raise InvalidInput(wrong)
    return Person(id=uuid.uuid4(), login=login, name=name.strip(), role=role)


class Costs(NamedTuple):
    """A password is hashed with these (argon2id)."""

    salt: bytes
    time_cost: int
    memory_cost: int
    parallelism: int

    @classmethod
    def drawn(cls) -> Costs:
        """Return those of a new password, with a salt of its own."""
        return cls(secrets.token_bytes(_SALT), _COST.time_cost, _COST.memory_cost, _COST.parallelism)


def proof_of(password: str, costs: Costs) -> bytes:
    """Hash a password; what the database compares is the hash of that."""
    return hash_secret_raw(
        password.encode(), costs.salt, costs.time_cost, costs.memory_cost, costs.parallelism, _HASH, Type.ID
    )


def _secret(person_id: uuid.UUID, password: str) -> PersonSecret:
    costs = Costs.drawn()
    return PersonSecret(person_id=person_id, hash=sha256(proof_of(password, costs)).digest(), **costs._asdict())


def _of_login(session: Session, login: str) -> Person:
    person = queries.person_by_login(session, login.strip().lower())
    if person is None:
        raise NotFound(f"Nobody signs in as {login}.")
    return person


def _signed_out(session: Session, login: str) -> None:
    session.execute(delete(SignIn).where(SignIn.person_id == _of_login(session, login).id))


def _wait(wait_s: float) -> None:
    """Refuse who must wait, s."""
    if wait_s > 0:
        raise SignInRefused({"login": f"Too many attempts have failed: wait {_in_words(wait_s)}, then try again."})


def _in_words(wait_s: float) -> str:
    return f"{math.ceil(wait_s)} s" if wait_s <= 90 else f"{math.ceil(wait_s / 60)} min"


def can_record(person: Person) -> bool:
    """Say whether somebody records, or only sees and exports."""
    return person.role != PersonRole.READER


def supervises(person: Person) -> bool:
    """Say whether somebody sets limits, withdraws, and changes people."""
    return person.role == PersonRole.SUPERVISOR


def may_record(person: Person) -> None:
    """Refuse a reader, who sees and exports."""
    if not can_record(person):
        raise Forbidden("A reader sees and exports; ask a technician to record this.")


def may_withdraw(person: Person) -> None:
    """Refuse anyone but a supervisor."""
    if not supervises(person):
        raise Forbidden("Only a supervisor withdraws a calibration; add a note, or ask one.")


def may_set_limits(person: Person) -> None:
    """Refuse anyone but a supervisor."""
    if not supervises(person):
        raise Forbidden("Only a supervisor sets the limits of a site: ask one.")
