"""First-order propagation of uncertainty, with the budget that shows where it comes from.

Source: JCGM 100:2008 (GUM), law of propagation for uncorrelated inputs; coverage factor k = 2.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

COVERAGE_FACTOR = 2.0


@dataclass(frozen=True)
class Contribution:
    """One input's share: its standard uncertainty ``u`` (k = 1) times the sensitivity to it; floats or arrays.

    ``key`` says what it is; the catalogue words it, but where ``of`` names it: a signal, a quantity, an input.
    """

    key: str
    u: Any
    unit: str
    sensitivity: Any
    of: str = ""

    @property
    def share(self) -> Any:
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
        return cls(tuple(sorted(contributions, key=lambda c: -float(np.max(c.share)))))

    @property
    def u(self) -> Any:
        """Combined standard uncertainty, k = 1."""
        found = np.sqrt(sum(np.asarray(c.share) ** 2 for c in self.contributions))
        return float(found) if np.ndim(found) == 0 else found

    @property
    def plain(self) -> list[dict[str, Any]]:
        """The contributions as a record keeps them, without words."""
        return [{k: v for k, v in vars(c).items() if k != "of" or v} for c in self.contributions]

    @property
    def expanded(self) -> Any:
        """Expanded uncertainty, k = 2."""
        return COVERAGE_FACTOR * self.u


def resolution_u(resolution: float) -> float:
    """Return standard uncertainty of a display's last step (rectangular): step / √12."""
    return resolution / math.sqrt(12.0)
