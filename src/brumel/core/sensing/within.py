"""How far a value may lie from what its standard is: in the quantity's unit, or in percent but no less than so much."""

from __future__ import annotations

from dataclasses import dataclass

from brumel.core.findings import Bounds, Level
from brumel.core.quantities.quantity import Quantity
from brumel.core.said import Amount, three_digits


@dataclass(frozen=True)
class Within:
    """Bounds around a target, both included.

    Attributes
    ----------
    sound, doubtful
        In the quantity's unit, or in percent of the target.
    percent
        Whether they are in percent; of a target of 0 they are ``least`` in the unit.
    least
        The bounds are never narrower than this, in the unit.
    """

    sound: float
    doubtful: float
    percent: bool = False
    least: float = 0.0

    def scaled(self, off: float, target: float) -> float:
        """Return what is off in the unit, on the scale of the bounds.

        Examples
        --------
        >>> round(Within(2.0, 5.0, percent=True, least=3.0).scaled(-14.0, 1413.0), 6)
        -0.9908
        """
        return off * 100.0 / target if self._in_percent(target) else off

    def bounds(self, target: float) -> Bounds:
        """Sound and doubtful, on that scale.

        Examples
        --------
        >>> round(Within(2.0, 5.0, percent=True, least=3.0).bounds(84.0).sound_high, 2)
        3.57
        """
        least = 100.0 * self.least / target if self._in_percent(target) else self.least
        return Bounds.around_zero(max(self.sound, least), max(self.doubtful, least))

    def level(self, off: float, target: float) -> Level:
        """Return the level of what is off, in the unit."""
        return self.bounds(target).level(self.scaled(off, target))

    def share(self, off: float, target: float) -> float:
        """Say how much of the sound bound is taken up: the larger, the worse."""
        return abs(self.scaled(off, target)) / self.bounds(target).sound_high

    def in_unit(self, scaled: float, target: float) -> float:
        """Return what is off on the scale of the bounds, in the unit, without its sign."""
        return abs(scaled * target / 100.0 if self.percent else scaled)

    def off(self, off: float, target: float, about: Quantity, *, plus: bool = True) -> Amount:
        """Give what is off, in the unit or percent, with as many digits as tell its level."""
        found, percent = self.scaled(off, target), self._in_percent(target)
        digits = self.bounds(target).digits(found, 1 if percent else about.error_decimals)
        return Amount(found, "%" if percent else about.stated_in, digits, plus)

    def sound_end(self, target: float, about: Quantity) -> Amount:
        """Give how far off is still sound."""
        return Amount(three_digits(self.bounds(target).sound_high), "%" if self._in_percent(target) else about.unit)

    def _in_percent(self, target: float) -> bool:
        return self.percent and target != 0
