"""Values in the unit that a person reads: what is kept never changes, only what is shown."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from brumel.core.quantities.pressure import UNITS_HPA
from brumel.core.quantities.quantity import Quantity
from brumel.core.wording import grouped, signed

_FOOT_M = 0.3048
"""Exact, by definition."""


@dataclass(frozen=True)
class Unit:
    """Another unit for one that is kept: shown = factor · kept + offset."""

    name: str
    factor: float
    offset: float = 0.0

    def value(self, kept: float) -> float:
        """Return a value in it.

        Examples
        --------
        >>> choices("°C")["°F"].value(28.0), choices("m")["ft"].value(0.9144)
        (82.4, 3.0)
        """
        return round(kept * self.factor + self.offset, 12)

    def number(self, kept: float, about: Quantity) -> str:
        """Return a value's digits for people: as fine as the quantity's own."""
        return self._digits(self.value(kept), about)

    def exact(self, kept: float, about: Quantity) -> str:
        """The digits of a value that somebody typed: all of them, where it is shown in the unit that it is kept in."""
        return about.exact(kept) if (self.factor, self.offset) == (1.0, 0.0) else self.number(kept, about)

    def spread(self, kept: float, about: Quantity) -> str:
        """Return the digits of an uncertainty, which has no offset; at least one that counts.

        Examples
        --------
        >>> from brumel.core.quantities.quantity import quantity
        >>> [choices("NTU")["NTU"].spread(u, quantity("turbidity")) for u in (0.3, 0.012)]
        ['0.3', '0.01']
        """
        value = kept * self.factor
        least = -math.floor(math.log10(value)) if 0.0 < value < 1.0 else 0
        return self._digits(value, about, least)

    def _digits(self, value: float, about: Quantity, least: int = 0) -> str:
        decimals = max(least, about.decimals + max(0, round(-math.log10(self.factor))))
        return signed(value, decimals) if abs(value) < 10_000 else grouped(round(value, decimals))


_OTHERS: Mapping[str, tuple[Unit, ...]] = {
    "°C": (Unit("°F", 1.8, 32.0),),
    "µS/cm": (Unit("mS/cm", 0.001),),
    "hPa": tuple(Unit(name, 1.0 / hpa) for name, hpa in UNITS_HPA.items() if name != "hPa"),
    "mg/L": (Unit("ppm", 1.0),),
    "m": (Unit("ft", 1.0 / _FOOT_M),),
}
"""By the unit that is kept: what else people may read it in."""


def kept_units() -> tuple[str, ...]:
    """Return the units that can be shown in another."""
    return tuple(_OTHERS)


def choices(kept: str) -> dict[str, Unit]:
    """In what a unit may be shown, itself first.

    Examples
    --------
    >>> list(choices("hPa")), list(choices("NTU"))
    (['hPa', 'kPa', 'mmHg', 'inHg'], ['NTU'])
    """
    return {u.name: u for u in (Unit(kept, 1.0), *_OTHERS.get(kept, ()))}


def unit_for(about: Quantity, own: Mapping[str, str]) -> Unit:
    """Return the unit that a person reads a quantity in; ``own`` by the unit that is kept.

    Examples
    --------
    >>> from brumel.core.quantities.quantity import quantity
    >>> unit = unit_for(quantity("specific-conductance"), {"µS/cm": "mS/cm"})
    >>> unit.name, unit.number(29_412.0, quantity("specific-conductance"))
    ('mS/cm', '29.412')
    """
    known = choices(about.unit)
    return known.get(own.get(about.unit, about.unit), known[about.unit])
