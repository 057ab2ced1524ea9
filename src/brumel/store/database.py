"""The connection to PostgreSQL, and what its errors mean to a technician."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DBAPIError, IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from brumel.core.typed import NAME_MOST, TEXT_MOST

REFUSED_CHANGE = "BR001"
"""SQLSTATE by which the triggers refuse to change a recorded fact or a closed run."""

_SENTENCES = {
    "ck_lot_expiry_after_receipt": "A lot can't expire before it was received: check both dates.",
    "ck_lot_opened_after_receipt": "A lot can't be opened before it was received: check both dates.",
    "uq_lot_lot_number": "A lot with this number exists already: open that one.",
    "uq_person_login": "Someone signs in with this name already: choose another.",
    "uq_calibration_amendment_withdrawal": "This calibration has been withdrawn already.",
    "uq_reading_amends_id": "This reading has been amended already: amend the newer one.",
}


# Every question is answered in milliseconds; compiling one took up to 250.
_CONNECT = {"options": "-c jit=off"}


def _sentence(constraint: str) -> str:
    if constraint.endswith("_length"):
        return f"A text is too long: names have {NAME_MOST} characters at most, notes {TEXT_MOST}."
    if constraint.endswith("_finite"):
        return "A number is too large to be kept: check what was typed."
    return _SENTENCES.get(constraint, f"The record contradicts the rule {constraint!r}.")


class StoreError(Exception):
    """The database refused; the text says why in words."""

    unreachable = False

    @property
    def for_people(self) -> str:
        """The sentence to show."""
        return str(self)


class Unreachable(StoreError):
    """No connection to the database."""

    unreachable = True


class Database:
    """One database: sessions for services, a plain connection for notifications."""

    def __init__(self, url: str, *, pool_size: int = 8) -> None:
        self.url = url
        self.engine: Engine = create_engine(
            url, pool_size=pool_size, max_overflow=32, pool_pre_ping=True, pool_use_lifo=True, connect_args=_CONNECT
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session in one transaction; database errors come out as :class:`StoreError`."""
        try:
            with self._sessions.begin() as session:
                yield session
        except IntegrityError as error:
            name = getattr(getattr(error.orig, "diag", None), "constraint_name", None) or ""
            raise StoreError(_sentence(name)) from error
        except OperationalError as error:
            raise Unreachable("The database does not answer: is it running? Nothing was recorded.") from error
        except DBAPIError as error:
            if getattr(error.orig, "sqlstate", None) == REFUSED_CHANGE:
                raise StoreError(str(error.orig).splitlines()[0]) from error
            raise

    @contextmanager
    def notifications(self) -> Iterator[psycopg.Connection]:
        """A plain autocommit connection of its own, to listen on."""
        url = self.engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        with psycopg.connect(url, autocommit=True) as connection:
            yield connection

    def reachable(self) -> None:
        """Ask the server for nothing; raise :class:`Unreachable` where it does not answer."""
        with self.session() as session:
            session.execute(text("SELECT 1"))

    def close(self) -> None:
        """Let go of all connections."""
        self.engine.dispose()
