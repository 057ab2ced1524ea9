"""What many pages show: worked out once, and kept until a table changes that it was read from."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field, fields, is_dataclass
from datetime import datetime
from functools import wraps
from types import MappingProxyType
from typing import Any, Concatenate, Generic, ParamSpec, Protocol, TypeVar, cast

from brumel.services.clock import Clock, one_moment
from brumel.store.asked_tables import also_asked, tables_asked
from brumel.store.database import Database, one_snapshot
from brumel.store.queries import reference as queries

T = TypeVar("T")
S = TypeVar("S", bound="CachedService")
P = ParamSpec("P")

_MOST = 100
"""So many things of one kind are kept."""


@dataclass(frozen=True)
class _Known(Generic[T]):
    """A thing, and the counts of the tables that it was read from, as they were before."""

    thing: T
    counts: Mapping[str, int]

    def holds(self, counts: Mapping[str, int]) -> bool:
        """Say whether each such table is as it was: a count that fell, as after a copy was taken back, is another's."""
        return all(counts.get(table, 0) == count for table, count in self.counts.items())


@dataclass
class Remembered(Generic[T]):
    """Things of one kind, each as it was when the store's counts were last so high.

    Which tables a thing depends on is seen as it is worked out, those of other kept things that it uses included.
    The counts are read before: what is recorded meanwhile makes it old at the next look. With each minute all is old,
    for waits run out by themselves.
    """

    _until: datetime | None = None
    _known: dict[Hashable, _Known[T]] = field(default_factory=dict)
    _at_work: dict[Hashable, threading.Lock] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def get(self, database: Database, clock: Clock, work: Callable[[], T], of: Hashable = None) -> T:
        """Return the thing ``of`` which is asked, worked out anew where what it was read from has changed since.

        All that it depends on is asked within ``work``, or is part of ``of``. Whoever asks for the same meanwhile waits
        for it.
        """
        counts, until = _counts_of(database), clock.soon()
        with self._lock:
            if self._until != until or len(self._at_work) >= _MOST:
                self._until, self._known, self._at_work = until, {}, {}
            all_known, at_work = self._known, self._at_work.setdefault(of, threading.Lock())
        with at_work:
            known = all_known.get(of)
            if known is None or not known.holds(counts):
                with tables_asked() as tables:
                    thing = work()
                known = all_known[of] = _Known(thing, {table: counts.get(table, 0) for table in tables})
            also_asked(known.counts)
            return known.thing


_seen: ContextVar[dict[int, Mapping[str, int]] | None] = ContextVar("seen", default=None)
"""The counts that were read within one look, by database."""


@contextmanager
def one_look() -> Iterator[None]:
    """Let all that is asked within be of one moment: one snapshot of the store, its counts, and one time."""
    token = _seen.set({})
    try:
        with one_snapshot(), one_moment():
            yield
    finally:
        _seen.reset(token)


def _counts_of(database: Database) -> Mapping[str, int]:
    seen = _seen.get()
    if seen is not None and id(database) in seen:
        return seen[id(database)]
    with database.session() as session:
        counts = queries.change_counts(session)
    if seen is not None:
        seen[id(database)] = counts
    return counts


class CachedService(Protocol):
    """A service whose answers can be kept."""

    @property
    def database(self) -> Database:
        """Where what is recorded is counted."""

    @property
    def clock(self) -> Clock:
        """By which waits run out."""


def _unchangeable(thing: T) -> T:
    """A list as a tuple and a mapping that can only be read, in answers of services too; anything else as it is."""
    found: Any = thing
    if isinstance(found, list):
        found = tuple(_unchangeable(part) for part in found)
    elif isinstance(found, set):
        found = frozenset(found)
    elif type(found) is tuple:
        parts = tuple(_unchangeable(part) for part in found)
        found = found if all(a is b for a, b in zip(found, parts, strict=True)) else parts
    elif isinstance(found, dict):
        found = MappingProxyType({key: _unchangeable(value) for key, value in found.items()})
    elif is_dataclass(found) and type(found).__module__.startswith("brumel.services"):
        for part in fields(found):
            held = getattr(found, part.name)
            if (unchangeable := _unchangeable(held)) is not held:
                object.__setattr__(found, part.name, unchangeable)
    return cast(T, found)


def cached(method: Callable[Concatenate[S, P], T]) -> Callable[Concatenate[S, P], T]:
    """Return a question that a screen asks: its answer is kept, by what was asked, until what it was read from changes.

    The answer is shared, so nobody can change it: lists become tuples, and mappings are only read. What is asked with
    must be hashable.
    """

    @wraps(method)
    def get(self: S, *asked: P.args, **named: P.kwargs) -> T:
        memory: Remembered[T] = vars(self).setdefault(f"_kept_{method.__name__}", Remembered())
        of = asked, tuple(named.items())
        return memory.get(self.database, self.clock, lambda: _unchangeable(method(self, *asked, **named)), of)

    return get  # type: ignore[return-value]  # a method has no name for itself
