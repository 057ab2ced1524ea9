"""The first person: invited by whoever starts an empty installation, once and for an hour."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from brumel.services.errors import NotFound
from brumel.services.people import Costs, Person, PersonRole, new_person, proof_of
from brumel.store.database import Database
from brumel.store.models.owned import Invitation

GOOD_FOR = timedelta(hours=1)
_SPENT = "This link is used or older than an hour. Start Brumel again for another, or run ./brumel user add."


def invite(owner: Database) -> str | None:
    """Return the key of a new invitation, which ends all others; None where somebody can sign in already.

    Parameters
    ----------
    owner
        The database as its owner: the application itself can't invite.
    """
    with owner.session() as session:
        if not _nobody(session):
            return None
        key = secrets.token_urlsafe(32)
        session.execute(delete(Invitation))
        session.add(Invitation(key_hash=_hash(key), expires_at=func.now() + GOOD_FOR))
    return key


@dataclass(frozen=True)
class FirstPerson:
    """Use cases of who comes by an invitation."""

    database: Database

    def awaited(self) -> bool:
        """Say whether there is nobody yet."""
        with self.database.session() as session:
            return _nobody(session)

    def check(self, key: str) -> None:
        """Refuse a key that opens nothing.

        Raises
        ------
        NotFound
            For a key that is wrong, used or too old, and where there is somebody already.
        """
        with self.database.session() as session:
            if not session.scalar(select(func.brumel_invited(_hash(key)))):
                raise NotFound(_SPENT)

    def enter(self, key: str, login: str, name: str, password: str) -> None:
        """Make the first person, a supervisor; the key opens nothing more afterwards.

        Raises
        ------
        NotFound
            As :meth:`check`.
        InvalidInput
            With every field that can't be taken.
        """
        self.check(key)
        person = new_person(login, name, PersonRole.SUPERVISOR, password)
        costs = Costs.drawn()
        with self.database.session() as session:
            made = func.brumel_first_person(
                _hash(key), person.id, person.login, person.name, *costs, proof_of(password, costs),
            )  # fmt: skip
            if not session.scalar(select(made)):
                raise NotFound(_SPENT)


def _nobody(session: Session) -> bool:
    return session.scalar(select(Person.id).limit(1)) is None


def _hash(key: str) -> str:
    return hashlib.sha256(key.encode()).hexdigest()
