"""Long lists, a page at a time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Page:
    """One page of a list, and whether there is another."""

    rows: Sequence[Any]
    number: int
    more: bool

    @classmethod
    def of(cls, everything: Sequence[Any], number: int, size: int) -> Page:
        """Return a page of a list that is at hand whole; pages are counted from 1."""
        begin = (number - 1) * size
        return cls(everything[begin : begin + size], number, len(everything) > begin + size)
