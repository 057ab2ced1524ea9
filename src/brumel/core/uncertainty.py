"""First-order propagation of uncertainty, with the budget that shows where it comes from.

Source: JCGM 100:2008 (GUM), law of propagation for uncorrelated inputs; coverage factor k = 2.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

COVERAGE_FACTOR = 2.0


@dataclass(frozen=True)
class Contribution:
    """One input's share: its standard uncertainty ``u`` (k = 1) times the sensitivity to it."""

    name: str
    u: float
    unit: str
    sensitivity: float

    @property
    def share(self) -> float:
        """The part of the result's standard uncertainty that this input causes, in the result's unit."""
        return abs(self.u * self.sensitivity)


@dataclass(frozen=True)
class Budget:
    """The contributions to one result, largest first."""

    contributions: tuple[Contribution, ...]

    @classmethod
    def of(cls, contributions: Iterable[Contribution]) -> Budget:
        """Order the contributions by their share.

        Examples
        --------
        >>> Budget.of([Contribution("a", 3.0, "mV", 1.0), Contribution("b", 2.0, "mV", 2.0)]).u
        5.0
        """
        return cls(tuple(sorted(contributions, key=lambda c: -c.share)))

    @property
    def u(self) -> float:
        """Combined standard uncertainty, k = 1."""
        return math.sqrt(sum(c.share**2 for c in self.contributions))

    @property
    def expanded(self) -> float:
        """Expanded uncertainty, k = 2."""
        return COVERAGE_FACTOR * self.u


def resolution_u(resolution: float) -> float:
    """Standard uncertainty of a display's last step (rectangular): step / √12."""
    return resolution / math.sqrt(12.0)
