"""What many pages show: worked out once, and kept until something is recorded."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from datetime import datetime
from functools import wraps
from typing import Concatenate, Generic, ParamSpec, Protocol, TypeVar

from brumel.services.clock import Clock
from brumel.store import queries
from brumel.store.database import Database

T = TypeVar("T")
S = TypeVar("S", bound="Kept")
P = ParamSpec("P")

_FRESH_S, _MOST = 15, 100
"""So long it is kept at most where nothing is recorded, for waits run out by themselves; and so many of one kind."""


@dataclass
class Remembered(Generic[T]):
    """Things of one kind, each as it was when the store's count was last so high.

    The count is read before a thing is worked out: what is recorded meanwhile makes it old at the next look.
    """

    _epoch: tuple[int, int] | None = None
    _known: dict[Hashable, T] = field(default_factory=dict)
    _at_work: dict[Hashable, threading.Lock] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def get(self, database: Database, clock: Clock, work: Callable[[datetime], T], of: Hashable = None) -> T:
        """The thing ``of`` which is asked, worked out anew where something was recorded since.

        Whoever asks for the same meanwhile waits for it.
        """
        now = clock.now()
        epoch = _number_of(database), int(now.timestamp()) // _FRESH_S
        with self._lock:
            if self._epoch != epoch or len(self._at_work) >= _MOST:
                self._epoch, self._known, self._at_work = epoch, {}, {}
            known, at_work = self._known, self._at_work.setdefault(of, threading.Lock())
        with at_work:
            if of not in known:
                known[of] = work(now)
            return known[of]


_seen: ContextVar[dict[int, int] | None] = ContextVar("seen", default=None)
"""The counts that were read within one look, by database."""


@contextmanager
def one_look() -> Iterator[None]:
    """All that is asked within sees what was recorded before the first question: the count is read once."""
    token = _seen.set({})
    try:
        yield
    finally:
        _seen.reset(token)


def _number_of(database: Database) -> int:
    seen = _seen.get()
    if seen is not None and id(database) in seen:
        return seen[id(database)]
    with database.session() as session:
        number = queries.change_number(session)
    if seen is not None:
        seen[id(database)] = number
    return number


class Kept(Protocol):
    """A service whose answers can be kept."""

    @property
    def database(self) -> Database:
        """Where what is recorded is counted."""

    @property
    def clock(self) -> Clock:
        """By which waits run out."""


def kept(method: Callable[Concatenate[S, P], T]) -> Callable[Concatenate[S, P], T]:
    """A question that a screen asks: its answer is kept, by what was asked, until something is recorded.

    The answer is shared: nobody changes it. What is asked with must be hashable.
    """

    @wraps(method)
    def get(self: S, *asked: P.args, **named: P.kwargs) -> T:
        memory: Remembered[T] = vars(self).setdefault(f"_kept_{method.__name__}", Remembered())
        of = asked, tuple(named.items())
        return memory.get(self.database, self.clock, lambda _: method(self, *asked, **named), of)

    return get  # type: ignore[return-value]  # a method has no name for itself
