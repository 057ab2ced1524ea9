"""One attempt for all who ask at a time: its answer stands for a while, and nobody waits for it longer than agreed."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Generic, TypeVar

Answer = TypeVar("Answer")


@dataclass
class Shared(Generic[Answer]):
    """Shares an attempt that may hang: it is made by a thread of its own, one at a time.

    Attributes
    ----------
    stands_s
        So long an answer is given again.
    deadline_s
        So long after an attempt began it is waited for; it goes on by itself, and no other begins before it ends.
    """

    stands_s: float
    deadline_s: float
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False)
    _future: Future[Answer] | None = field(default=None, repr=False)
    _begun: float = 0.0
    _ended: float = 0.0

    def get(self, ask: Callable[[], Answer], late: Answer) -> Answer:
        """Return the answer that stands, or what an attempt gives; ``late`` where it takes too long."""
        with self._lock:
            now, future = time.monotonic(), self._future
            if future is None or (future.done() and now - self._ended >= self.stands_s):
                future = self._future = Future()
                self._begun = now
                threading.Thread(target=self._run, args=(future, ask), daemon=True).start()
            left = max(self._begun + self.deadline_s - now, 0.0)
        try:
            return future.result(left)
        except TimeoutError:
            return late

    def _run(self, future: Future[Answer], ask: Callable[[], Answer]) -> None:
        try:
            found = ask()
        except BaseException as error:
            self._ended = time.monotonic()
            future.set_exception(error)
            return
        self._ended = time.monotonic()
        future.set_result(found)
