"""All that the services keep."""

from __future__ import annotations

from collections.abc import Iterator

from brumel.services.cached.remembered import Remembered


def memories(thing: object, seen: set[int]) -> Iterator[Remembered[object]]:
    """All that a service and those that it uses keep."""
    if id(thing) in seen or not type(thing).__module__.startswith("brumel.services"):
        return
    seen.add(id(thing))
    if isinstance(thing, Remembered):
        yield thing
    for part in list(vars(thing).values()) if hasattr(thing, "__dict__") else ():
        yield from memories(part, seen)
