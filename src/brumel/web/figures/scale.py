"""From values to places in a picture."""

from __future__ import annotations

import math
from dataclasses import dataclass

from brumel.core.wording import grouped

Tick = tuple[float, str]
"""A place, and its words."""


@dataclass(frozen=True)
class Scale:
    """A straight scale from a range of values to a range of places."""

    low: float
    high: float
    begin: float
    end: float

    def __call__(self, value: float) -> float:
        """Return the place of a value, rounded to a tenth of a pixel."""
        span = (self.high - self.low) or 1.0
        return round(self.begin + (value - self.low) / span * (self.end - self.begin), 1)

    def ticks(self, about: int = 5) -> list[float]:
        """Round values within the range, about so many.

        Examples
        --------
        >>> Scale(0, 10, 0, 100).ticks()
        [0.0, 2.0, 4.0, 6.0, 8.0, 10.0]
        """
        raw = (self.high - self.low) / max(about, 1) or 1.0
        magnitude = 10 ** math.floor(math.log10(raw))
        step = next(m * magnitude for m in (1, 2, 5, 10) if m * magnitude >= raw * 0.999)
        first = math.ceil(self.low / step - 1e-9)
        last = math.floor(self.high / step + 1e-9)
        return [round(n * step, 10) + 0.0 for n in range(first, last + 1)]


@dataclass(frozen=True)
class Decades(Scale):
    """A scale on which a decade takes as much room as the next; its values are above 0.

    Examples
    --------
    >>> Decades(1.0, 100.0, 0, 100)(10.0), Decades(1.0, 100.0, 0, 100).ticks()
    (50.0, [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0])
    """

    def __call__(self, value: float) -> float:
        """Return the place of a value, rounded to a tenth of a pixel."""
        return Scale(math.log10(self.low), math.log10(self.high), self.begin, self.end)(math.log10(value))

    def ticks(self, about: int = 5) -> list[float]:
        """Return one, two and five of each decade within the range."""
        del about
        decades = range(math.floor(math.log10(self.low)), math.ceil(math.log10(self.high)) + 1)
        each = [round(m * 10.0**n, 10) for n in decades for m in (1, 2, 5)]
        return [value for value in each if self.low <= value <= self.high]


def tick_words(value: float) -> str:
    """Return a tick's value as it stands beside a scale."""
    return grouped(value, least=0.0)
