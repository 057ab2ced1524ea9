"""Which tables are asked: what is worked out from them is as old as they are."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import lru_cache

from brumel.store.models.base import Base

_asked: ContextVar[set[str] | None] = ContextVar("asked", default=None)


@contextmanager
def tables_asked() -> Iterator[set[str]]:
    """The tables that are asked within, added as it happens; those around it are told of them too."""
    around = _asked.get()
    found: set[str] = set()
    token = _asked.set(found)
    try:
        yield found
    finally:
        _asked.reset(token)
        if around is not None:
            around |= found


def also_asked(tables: Iterable[str]) -> None:
    """What is used here was worked out from these tables earlier."""
    around = _asked.get()
    if around is not None:
        around.update(tables)


def note(statement: str) -> None:
    """A statement is sent."""
    if _asked.get() is not None:
        also_asked(_tables_in(statement))


@lru_cache(maxsize=500)
def _tables_in(statement: str) -> frozenset[str]:
    """Tables that a statement can read: all whose name stands in it, for one too many costs little."""
    return frozenset(re.findall(r"\w+", statement)) & Base.metadata.tables.keys()
