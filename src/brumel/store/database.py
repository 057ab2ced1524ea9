"""The connection to PostgreSQL, and what its errors mean to a technician."""

from __future__ import annotations

import logging
import uuid
from collections.abc import Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import datetime

import psycopg
from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.exc import DBAPIError, IntegrityError, NoResultFound, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.pool import NullPool

from brumel.core.typed import NAME_MOST, TEXT_MOST
from brumel.store import asked_tables

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
_CONNECT = {"options": "-c jit=off -c lock_timeout=10s", "connect_timeout": 5}
_SNAPSHOT = {"isolation_level": "REPEATABLE READ", "postgresql_readonly": True}
_AWAY = "The database does not answer: is it running? Nothing was recorded."
_AT_ONCE = "Something else was being recorded at the same moment: send it again."
_CONTRADICTS = "The record contradicts what stands already: look at it anew, then send it again."
_UNFIT = "A value does not fit into its record: check what was typed."
_BY_SQLSTATE = {
    "53100": "The disk of the database is full: free some space. Nothing was recorded.",
    "53200": "The database has no memory left. Nothing was recorded; try again.",
    "53300": "Too many ask the database at once. Nothing was recorded; try again.",
    "40001": _AT_ONCE, "40P01": _AT_ONCE, "55P03": _AT_ONCE,
    "57014": "It took too long and was stopped. Nothing was recorded.",
    "23503": "It points to something that is not there: reload the page and choose again.",
    "22001": _UNFIT, "22003": _UNFIT, "22008": _UNFIT, "22021": _UNFIT, "22P02": _UNFIT, "22P05": _UNFIT,
    "25006": "The database takes no records now. Nothing was recorded.",
}  # fmt: skip
"""What an error means to a technician, by its SQLSTATE (PostgreSQL, appendix A)."""
TRIED = text("INSERT INTO house_choice (key, value) VALUES (gen_random_uuid()::text, 'tried')")
"""A write that says whether records are taken; for a transaction that is taken back."""
_HOLD = "SELECT count(pg_advisory_xact_lock(hashtextextended(key, 0))) FROM unnest(CAST(:keys AS text[])) AS key"
_ACT = text(
    "SELECT set_config('brumel.key', :key, true), set_config('brumel.said', :said, true), "
    f"set_config('brumel.at', :at, true), ({_HOLD})"
)
"""Hands over who acts, and holds records, in one statement; both end with the transaction."""
_FOR_A_WHILE = ("53", "57", "25")
"""Classes of errors that pass: what was sent can be sent again."""


def _sentence(constraint: str) -> str:
    if constraint.endswith("_length"):
        return f"A text is too long: names have {NAME_MOST} characters at most, notes {TEXT_MOST}."
    if constraint.endswith("_finite"):
        return "A number is too large to be kept: check what was typed."
    if constraint not in _SENTENCES:
        logging.getLogger(__name__).error("refused by %s", constraint or "a rule without a name")
    return _SENTENCES.get(constraint, _CONTRADICTS)


class StoreError(Exception):
    """The database refused; the text says why in words."""

    unreachable = missing = False

    @property
    def for_people(self) -> str:
        """The sentence to show."""
        return str(self)


class NotThere(StoreError):
    """What a request names is not there."""

    missing = True


class Unreachable(StoreError):
    """No connection to the database."""

    unreachable = True


def _named(error: DBAPIError) -> StoreError | None:
    """Return an error in words; None where it can only be a mistake of ours."""
    state = getattr(error.orig, "sqlstate", None)
    if state == REFUSED_CHANGE:
        return StoreError(str(error.orig).splitlines()[0])
    if words := _BY_SQLSTATE.get(state or ""):
        return (Unreachable if str(state).startswith(_FOR_A_WHILE) else StoreError)(words)
    return Unreachable(_AWAY) if isinstance(error, OperationalError) or error.connection_invalidated else None


def in_words(error: DBAPIError) -> StoreError:
    """Return an error of the database as a sentence; raises it where it can only be a mistake of ours."""
    if isinstance(error, IntegrityError):
        name = getattr(getattr(error.orig, "diag", None), "constraint_name", None) or ""
        words = _BY_SQLSTATE.get(getattr(error.orig, "sqlstate", None) or "")
        return StoreError(words or _sentence(name))
    named = _named(error)
    if named is None:
        raise error
    return named


@dataclass(frozen=True)
class Acting:
    """Who acts here and now, as the database is told."""

    key: str = ""
    """Of their stay, as the owner's function gave it."""
    elsewhere: bool = False
    """Whether what is recorded was made elsewhere, maybe by others: it comes in a file."""
    at: datetime | None = None
    """When it is said to be recorded; heeded of the owner alone."""


_TOLD = "who acts is told"
_acting: ContextVar[Acting | None] = ContextVar("acting", default=None)


@contextmanager
def acting(who: Acting) -> Iterator[None]:
    """Let all that is recorded within be recorded by whom a key belongs to."""
    token = _acting.set(who)
    try:
        yield
    finally:
        _acting.reset(token)


def who_acts() -> Acting | None:
    """Return who acts here and now; None where nobody was named."""
    return _acting.get()


def hold(session: Session, *keys: uuid.UUID) -> None:
    """Let nobody else who names one of these records go on until this transaction ends, as the guards of runs do.

    What was read before may have changed meanwhile: read it again. Within one statement the order is always the same,
    so that two who want the same two don't wait for each other.
    """
    if keys:
        session.execute(text(_HOLD), {"keys": sorted({str(key) for key in keys})})


def hand_over(session: Session, *keys: uuid.UUID) -> None:
    """Tell the database who acts until this transaction ends, once; nothing is told where nobody was named.

    ``keys`` are held in the same statement, as by :func:`hold`.
    """
    who = _acting.get()
    if who is None:
        hold(session, *keys)
    elif keys or _TOLD not in session.info:
        if not session.in_nested_transaction():  # with a savepoint that is taken back it would be forgotten
            session.info[_TOLD] = True
        at = who.at.isoformat() if who.at else ""
        said = "elsewhere" if who.elsewhere else ""
        session.execute(_ACT, {"key": who.key, "said": said, "at": at, "keys": sorted({str(key) for key in keys})})


_held: ContextVar[set[uuid.UUID]] = ContextVar("held")
"""What the act that is done here and now holds, until its next transaction takes it."""


@contextmanager
def holding(keys: Iterable[uuid.UUID]) -> Iterator[None]:
    """Let each transaction within hold these records, but not one that is open within another: it is held by that."""
    token = _held.set({*_held.get(set()), *keys})
    try:
        yield
    finally:
        _held.reset(token)


_pinned: ContextVar[dict[int, Connection] | None] = ContextVar("pinned", default=None)
"""The connection that all within one snapshot read by, by database."""


@contextmanager
def one_snapshot() -> Iterator[None]:
    """Let all that is read within see a database as it was at the first question, in one transaction that only reads.

    What holds records, to change them, has a transaction of its own.
    """
    connections: dict[int, Connection] = {}
    token = _pinned.set(connections)
    try:
        yield
    finally:
        _pinned.reset(token)
        for connection in connections.values():
            connection.close()


class Database:
    """One database: sessions for services, a plain connection for notifications."""

    def __init__(self, url: str, *, pool_size: int = 8) -> None:
        self.url = url
        self.engine: Engine = create_engine(
            url, pool_size=pool_size, max_overflow=32, pool_pre_ping=True, pool_use_lifo=True, connect_args=_CONNECT
        )
        event.listen(
            self.engine, "before_cursor_execute", lambda _c, _cursor, statement, *_: asked_tables.note(statement)
        )
        self.sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self, *alone: uuid.UUID) -> Iterator[Session]:
        """A session in one transaction; database errors come out as :class:`StoreError`.

        Parameters
        ----------
        alone
            Records that nobody else changes meanwhile: who names one of them waits until this transaction ends.
        """
        held = _held.get(set())
        taken = frozenset(held)
        held.clear()
        try:
            with self._reading() if not (alone or taken) else self.sessions.begin() as session:
                if alone or taken:
                    hand_over(session, *alone, *taken)
                yield session
        except IntegrityError as error:
            raise in_words(error) from error
        except NoResultFound as error:
            raise NotThere("What this is about is not there: go back, reload the page and choose again.") from error
        except PoolTimeout as error:
            raise Unreachable(_BY_SQLSTATE["53300"]) from error
        except DBAPIError as error:
            raise in_words(error) from error
        finally:
            held.update(taken)

    def _reading(self) -> AbstractContextManager[Session]:
        """Return a session in the snapshot that is looked at; in a transaction of its own where there is none."""
        connections = _pinned.get()
        if connections is None:
            return self.sessions.begin()
        if (known := connections.get(id(self))) is None:
            known = self.engine.connect().execution_options(**_SNAPSHOT)
            known.begin()
            connections[id(self)] = known
        # Closing it, which is all that happens to it, leaves the transaction to those who come next.
        return self.sessions(bind=known, join_transaction_mode="rollback_only")

    @contextmanager
    def notifications(self) -> Iterator[psycopg.Connection]:
        """A plain autocommit connection of its own, to listen on."""
        url = self.engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
        with psycopg.connect(url, autocommit=True) as connection:
            yield connection

    @contextmanager
    def alone(self, within_s: int) -> Iterator[Session]:
        """A session on a connection of its own, made and ended with it, in a transaction that is taken back.

        Whoever looks whether the server is there must not take a connection from those who work, nor wait for one.
        """
        waits = f"-c statement_timeout={within_s}s -c lock_timeout={within_s}s"
        options = {"options": f"{_CONNECT['options']} {waits}", "connect_timeout": within_s}
        engine = create_engine(self.engine.url, poolclass=NullPool, connect_args=options)
        try:
            with engine.connect() as connection, Session(connection) as session:
                yield session
                session.rollback()
        except DBAPIError as error:
            raise in_words(error) from error

    def reachable(self) -> None:
        """Ask the server for nothing; raise :class:`Unreachable` where it does not answer."""
        with self.session() as session:
            session.execute(text("SELECT 1"))

    def close(self) -> None:
        """Let go of all connections."""
        self.engine.dispose()
