"""People: who they are, how they sign in, what they may do."""

from __future__ import annotations

import re
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from brumel.core.quantities.shown import choices, kept_units
from brumel.services.errors import Forbidden, InvalidInput
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.reference import LoginAttempt
from brumel.store.models.reference import Person as Person
from brumel.store.models.reference import PersonRole as PersonRole

_LOGIN = re.compile(r"[a-z0-9][a-z0-9._-]{1,31}")
_LEAST_PASSWORD = 10
_WINDOW = timedelta(minutes=10)
_MOST_FAILURES = 5
_MOST_FAILURES_OF_ADDRESS = 30
_hasher = PasswordHasher()
_NOBODY = _hasher.hash("nobody signs in with this")


class SignInRefused(InvalidInput):
    """Name and password don't fit, or too many attempts have failed."""


@dataclass(frozen=True)
class People:
    """Use cases around people."""

    database: Database

    def sign_in(self, login: str, password: str, address: str) -> Person:
        """Return the person whose name and password these are.

        Raises
        ------
        SignInRefused
            Where they don't fit, or after too many failures within ten minutes.
        """
        login = login.strip().lower()
        with self.database.session() as session:
            by_name, by_address = queries.failed_attempts(session, login, address, _WINDOW)
            if by_name >= _MOST_FAILURES or by_address >= _MOST_FAILURES_OF_ADDRESS:
                raise SignInRefused({"login": "Too many attempts have failed: wait ten minutes, then try again."})
            person = queries.person_by_login(session, login)
            fits = _fits(person.password_hash if person else _NOBODY, password) and person is not None
            fits = fits and person is not None and person.active
            session.add(LoginAttempt(login=login, address=address, succeeded=fits))
        if not fits or person is None:
            raise SignInRefused({"login": "Name and password don't fit together: check both and try again."})
        return person

    def person(self, person_id: uuid.UUID) -> Person | None:
        """The active person with this id."""
        with self.database.session() as session:
            person = session.get(Person, person_id)
            return person if person is not None and person.active else None

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

    def person_of_role(self, role: PersonRole) -> Person | None:
        """Somebody of the role; for the demonstration's one-click sign-in."""
        with self.database.session() as session:
            return session.query(Person).filter_by(role=role, active=True).order_by(Person.login).first()

    def add(self, login: str, name: str, role: str, password: str) -> Person:
        """Add a person who can sign in.

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
            wrong["password"] = f"A password has at least {_LEAST_PASSWORD} characters."
        if wrong:
            raise InvalidInput(wrong)
        person = Person(
            id=uuid.uuid4(),
            login=login,
            name=name.strip(),
            role=role,
            password_hash=_hasher.hash(password),
        )
        with self.database.session() as session:
            session.add(person)
        return person


def may_record(person: Person) -> None:
    """Refuse a reader, who sees and exports."""
    if person.role == PersonRole.READER:
        raise Forbidden("A reader sees and exports; ask a technician to record this.")


def may_withdraw(person: Person) -> None:
    """Refuse anyone but a supervisor."""
    if person.role != PersonRole.SUPERVISOR:
        raise Forbidden("Only a supervisor withdraws a calibration; add a note, or ask one.")


def may_set_limits(person: Person) -> None:
    """Refuse anyone but a supervisor."""
    if person.role != PersonRole.SUPERVISOR:
        raise Forbidden("Only a supervisor sets the limits of a site: ask one.")


def _fits(stored: str, password: str) -> bool:
    try:
        return _hasher.verify(stored, password)
    except (VerificationError, InvalidHashError):
        return False
