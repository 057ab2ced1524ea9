"""What many pages show: worked out once, and kept until something is recorded."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Generic, TypeVar

from brumel.services.clock import Clock
from brumel.store import queries
from brumel.store.database import Database

T = TypeVar("T")

_FRESH_S = 15
"""So long it is kept at most where nothing is recorded, for waits run out by themselves."""


@dataclass
class Remembered(Generic[T]):
    """One thing, as it was when the store's count was last so high.

    The count is read before the thing is worked out: what is recorded meanwhile makes it old at the next look.
    """

    _known: tuple[tuple[int, int], T] | None = None
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def get(self, database: Database, clock: Clock, work: Callable[[datetime], T]) -> T:
        """The thing, worked out anew where something was recorded since; whoever asks meanwhile waits for it."""
        now = clock.now()
        with database.session() as session:
            number = queries.change_number(session)
        key = number, int(now.timestamp()) // _FRESH_S
        with self._lock:
            if self._known is None or self._known[0] != key:
                self._known = key, work(now)
            return self._known[1]
