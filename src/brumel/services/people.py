"""People: who they are, how they sign in, what they may do."""

from __future__ import annotations

import math
import re
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from brumel.core.quantities.shown import choices, kept_units
from brumel.services.errors import Forbidden, InvalidInput, NotFound
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.reference import LoginAttempt, SignIn
from brumel.store.models.reference import Person as Person
from brumel.store.models.reference import PersonRole as PersonRole

_LOGIN = re.compile(r"[a-z0-9][a-z0-9._-]{1,31}")
_LEAST_PASSWORD = 10
_TOO_SHORT = f"A password has at least {_LEAST_PASSWORD} characters."
_WINDOW = timedelta(hours=1)
_FREE, _FREE_OF_ADDRESS = 5, 30
_LONGEST_S, _LONGEST_OF_ADDRESS_S = 900, 60
"""Failures that cost nothing, and the longest wait after more."""
_FIRST_S = 1.0
"""How long the first wait is; it doubles with each failure."""
_hasher = PasswordHasher()
_NOBODY = "$argon2id$v=19$m=65536,t=3,p=4$4Rh9EtUbbFdX1mhfHYwAgw$NFemx04OBAWG6YO3nqc/MQAeNd81GLyW7OociaktfnA"
"""Compared with what is typed for a name that nobody has, so that it takes as long; no password of anybody."""
_COUNTED = uuid.UUID("5b1e7a0c-3c57-4c55-9d1f-8f0a4d1d9c11")
"""Under keys made from this one, attempts on a name, from an address or a browser are counted one after the other."""


class SignInRefused(InvalidInput):
    """Name and password don't fit, or too many attempts have failed."""


@dataclass(frozen=True)
class Browser:
    """A browser that somebody has signed in from before, as its own signed cookie says."""

    id: str
    people: frozenset[str] = frozenset()
    """Who signed in from it, by id."""


@dataclass(frozen=True)
class People:
    """Use cases around people."""

    database: Database
    stays: timedelta = timedelta(days=7)
    """How long somebody stays signed in."""

    def sign_in(self, login: str, password: str, address: str, browser: Browser | None = None) -> Person:
        """Return the person whose name and password these are.

        An attempt is counted before it is looked at, by name and by address; from a browser that the person signed
        in from before it is counted by that browser alone, so that nobody else's guesses keep them out.

        Raises
        ------
        SignInRefused
            Where they don't fit, or too many have failed: the wait grows with each.
        """
        login = login.strip().lower()
        with self.database.session() as session:
            person = queries.person_by_login(session, login)
        known = browser.id if browser and person and str(person.id) in browser.people else ""
        of_name = {"login": login, "browser": known}
        counted = [(of_name, _FREE, _LONGEST_S)]
        if not known:
            counted.append(({"address": address, "browser": ""}, _FREE_OF_ADDRESS, _LONGEST_OF_ADDRESS_S))
        with self.database.session(*(uuid.uuid5(_COUNTED, repr(of)) for of, _, _ in counted)) as session:
            wait_s = max(_wait_s(queries.failures(session, of, _WINDOW), free, most) for of, free, most in counted)
            if wait_s > 0:
                raise SignInRefused(
                    {"login": f"Too many attempts have failed: wait {_in_words(wait_s)}, then try again."}
                )
            session.add(LoginAttempt(login=login, address=address, succeeded=False, browser=known))
        fits = _fits(person.password_hash if person else _NOBODY, password)
        if not fits or person is None or not person.active:
            raise SignInRefused({"login": "Name and password don't fit together: check both and try again."})
        with self.database.session() as session:
            session.add(LoginAttempt(login=login, address=address, succeeded=True, browser=known))
        return person

    def begin(self, person: Person) -> uuid.UUID:
        """Remember that somebody is signed in from now on; the key that their browser keeps."""
        with self.database.session() as session:
            session.execute(delete(SignIn).where(SignIn.begun_at < func.now() - self.stays))
            row = SignIn(id=uuid.uuid4(), person_id=person.id)
            session.add(row)
        return row.id

    def signed_in(self, key: uuid.UUID) -> Person | None:
        """Who is signed in under a key: nobody once they signed out, were deactivated, or stayed too long."""
        with self.database.session() as session:
            return session.scalar(
                select(Person)
                .join(SignIn, SignIn.person_id == Person.id)
                .where(SignIn.id == key, SignIn.begun_at >= func.now() - self.stays, Person.active)
            )

    def end(self, key: uuid.UUID) -> None:
        """Sign out: the key opens nothing any more, wherever it was copied to."""
        with self.database.session() as session:
            session.execute(delete(SignIn).where(SignIn.id == key))

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
        person = new_person(login, name, role, password)
        with self.database.session() as session:
            session.add(person)
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
            _of_login(session, login).password_hash = _hasher.hash(password)
            _signed_out(session, login)

    def deactivate(self, login: str) -> None:
        """Let somebody sign in no more; their records stay, and they are signed out. The command line's alone."""
        with self.database.session() as session:
            _of_login(session, login).active = False
            _signed_out(session, login)


def new_person(login: str, name: str, role: str, password: str) -> Person:
    """A person as they are kept.

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
    return Person(
        id=uuid.uuid4(), login=login, name=name.strip(), role=role, password_hash=_hasher.hash(password)
    )  # fmt: skip


def _of_login(session: Session, login: str) -> Person:
    person = queries.person_by_login(session, login.strip().lower())
    if person is None:
        raise NotFound(f"Nobody signs in as {login}.")
    return person


def _signed_out(session: Session, login: str) -> None:
    session.execute(delete(SignIn).where(SignIn.person_id == _of_login(session, login).id))


def _wait_s(failed: queries.Failures, free: int, longest_s: float) -> float:
    """How long to wait after so many failures: twice as long after each, s."""
    wait_s = min(_FIRST_S * 2.0 ** min(failed.count - free, 30), longest_s) if failed.count >= free else 0.0
    return max(wait_s - failed.since_s, 0.0)


def _in_words(wait_s: float) -> str:
    return f"{math.ceil(wait_s)} s" if wait_s <= 90 else f"{math.ceil(wait_s / 60)} min"


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
