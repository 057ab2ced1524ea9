"""Hand the rules that are in force into the core, from this one place."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from brumel.core.rules import Rules
from brumel.core.shipped_rules import shipped

_given: list[Rules] = []


def in_force() -> Rules:
    """Give the rules of the house; a record that froze its own is judged by those."""
    return _given[-1] if _given else shipped()


@contextmanager
def judged_by(rules: Rules) -> Iterator[None]:
    """Within the context other rules are in force, for every thread of this process."""
    _given.append(rules)
    try:
        yield
    finally:
        _given.remove(rules)
