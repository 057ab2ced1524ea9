"""What a round is about: the quantities, what each site is expected to show, and which probe goes for which site."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from brumel.core.kit.kinds import Standards


@dataclass(frozen=True)
class Expected:
    """What a site is expected to show of one quantity: conductivity at 25 °C, ions as N, ORP as shown."""

    site: str
    quantity: str
    low: float
    high: float


@dataclass(frozen=True)
class Going:
    """A probe that goes along, what it measures, and at which sites."""

    label: str
    quantity: str
    sites: tuple[str, ...]
    standards: Standards | None = None
    """Which standards its kind takes along."""


def sites_of(waters: Iterable[Expected], key: str) -> list[str]:
    """Return the sites that ask for a quantity, each once."""
    return list(dict.fromkeys(w.site for w in waters if w.quantity == key))
