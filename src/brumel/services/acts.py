"""What people do: every use case that records names here the things that it is done to, and holds them meanwhile.

Nobody else who does something to one of these things goes on until its first transaction ends, so that what was looked
at (is the probe retired? has it an open run?) is still so when the record is made.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass
from functools import wraps
from inspect import signature
from operator import attrgetter
from typing import Any, ParamSpec, TypeVar

from brumel.store.database import Acting, acting, holding

P = ParamSpec("P")
T = TypeVar("T")


@dataclass(frozen=True)
class Act:
    """A use case that records: by name, and what it holds, a thing each with where its key stands in the call."""

    name: str
    holds: Mapping[str, str]


ACTS: dict[str, Act] = {}
"""All of them, by class and method."""


def act(**holds: str) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Declare that a method records, and where in its call each thing that it is done to has its key."""

    def declare(method: Callable[P, T]) -> Callable[P, T]:
        ACTS[method.__qualname__] = Act(method.__qualname__, holds)
        parameters = signature(method)

        @wraps(method)
        def held(*args: P.args, **kwargs: P.kwargs) -> T:
            given = parameters.bind(*args, **kwargs).arguments
            with holding(_keys(given, holds)):
                return method(*args, **kwargs)

        return held

    return declare


def acts_as(key: str, *, elsewhere: bool = False) -> AbstractContextManager[None]:
    """Let all that is recorded within be recorded by whom the key of a stay belongs to.

    Parameters
    ----------
    elsewhere
        Whether it was made elsewhere, maybe by others, and comes in a file.
    """
    return acting(Acting(key, elsewhere))


def _keys(given: Mapping[str, Any], holds: Mapping[str, str]) -> Iterator[uuid.UUID]:
    for where in holds.values():
        name, _, path = where.partition(".")
        found = attrgetter(path)(given[name]) if path else given[name]
        for key in found if isinstance(found, list | tuple) else [found]:
            if isinstance(key, uuid.UUID):
                yield key
