"""Takes dirt and drift out of what was read between two calibrations: errors, carried to values and moments.

Source: Wagner, Boulger, Oblinger & Smith 2006, USGS Techniques and Methods 1–D3 (sensor fouling, calibration drift,
proportional correction; equations from memory). There a correction is added; an error here has the other sign.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brumel.core.errors import CoreError
from brumel.core.numbers.arrays import Array, Number
from brumel.core.quantities.quantity import ErrorScale, Quantity


@dataclass(frozen=True)
class Errors:
    """By how much a probe read too high where that is known, and what follows for other values.

    Attributes
    ----------
    read
        What the probe read there, rising; in the quantity's unit.
    off
        Its error there: in the unit, or as a share of what it read.
    relative
        Which of the two; conductance, oxygen and ions are carried to other values in percent, others as they are.
    """

    read: tuple[float, ...]
    off: tuple[float, ...]
    relative: bool

    @classmethod
    def of(cls, about: Quantity, pairs: Iterable[tuple[float, float]]) -> Errors:
        """Take each pair of what was read and what was true; none at all is no error.

        Raises
        ------
        CoreError
            Where the same value was read of two truths, or nothing where the error counts as a share.

        Examples
        --------
        >>> from brumel.core.quantities.quantity import quantity
        >>> Errors.of(quantity("ph"), [(7.12, 7.0), (4.05, 4.0)]).off
        (0.05, 0.12)
        >>> Errors.of(quantity("specific-conductance"), [(500.0, 510.0)]).off
        (-0.02,)
        """
        relative = about.error is not ErrorScale.ABSOLUTE
        found = sorted(pairs)
        values = [read for read, _ in found]
        if len(set(values)) < len(values):
            raise CoreError("the same value was read in two standards; each must be another")
        if relative and any(read <= 0.0 for read in values):
            raise CoreError("a reading must be more than 0, for its error counts in percent of it")
        offs = (round((read - true) / (read if relative else 1.0), 12) for read, true in found)
        return cls(tuple(values), tuple(offs), relative)

    def at(self, value: Number) -> Array:
        """Return the error of values that were read, in their unit; float or array of the same shape.

        Between standards by straight pieces, beyond the outermost that one's error.

        Examples
        --------
        >>> Errors((4.0, 7.0), (0.0, 0.12), relative=False).at([5.5, 9.0]).tolist()
        [0.06, 0.12]
        """
        given = np.asarray(value, dtype=float)
        if not self.read:
            return np.zeros(given.shape)
        off: Array = np.interp(given, self.read, self.off)
        return off * given if self.relative else off

    def beyond(self, value: Number) -> NDArray[np.bool_]:
        """Say of each value whether it lies outside what the standards span, where one error stands for another."""
        given = np.asarray(value, dtype=float)
        if len(self.read) < 2:  # one standard says nothing of the slope
            return np.full(given.shape, bool(self.read))
        return (given < self.read[0]) | (given > self.read[-1])


@dataclass(frozen=True)
class Moved:
    """The errors of the time between two calibrations: dirt, which cleaning took away, and drift, which remained."""

    dirt: Errors
    drift: Errors

    def by(self, value: Number) -> Array:
        """Say how far values moved by the end, in their unit: |dirt| + |drift|, never their balance.

        Examples
        --------
        >>> at_seven = lambda off: Errors((7.0,), (off,), relative=False)
        >>> float(Moved(at_seven(0.1), at_seven(-0.1)).by(7.0))
        0.2
        """
        return np.abs(self.dirt.at(value)) + np.abs(self.drift.at(value))

    def corrected(self, value: Number, share: Number) -> Array:
        """Return values without what had moved by then, dirt first.

        Parameters
        ----------
        value
            As they were read; floats or arrays of one shape.
        share
            Of the time between the two calibrations, 0 to 1.

        Examples
        --------
        >>> none, slow = Errors((), (), True), Errors((1413.0,), (-0.05,), True)
        >>> Moved(none, slow).corrected([1000.0, 1000.0], [0.0, 0.5]).tolist()
        [1000.0, 1025.0]
        """
        part = np.asarray(share, dtype=float)
        clean = np.asarray(value, dtype=float) - part * self.dirt.at(value)
        return clean - part * self.drift.at(clean)


def dirt_of(
    about: Quantity, before: float, after: float, water_before: float | None = None, water_after: float | None = None
) -> Errors:
    """Return the error that cleaning took away, from a probe read before and after it in one water.

    Parameters
    ----------
    before, after
        What the probe read, in the quantity's unit.
    water_before, water_after
        What a second instrument read then: by so much the water itself changed. Both or neither.

    Examples
    --------
    >>> from brumel.core.quantities.quantity import quantity
    >>> dirt_of(quantity("temperature"), 21.3, 21.5, 21.4, 21.5).off
    (-0.1,)
    """
    changed = 0.0 if water_before is None or water_after is None else water_after - water_before
    return Errors.of(about, [(before, after - changed)])


def share_of(times_s: Number, start_s: float, end_s: float) -> Array:
    """Say how much of the time between two moments has passed; not a number before the first and after the last."""
    share = (np.asarray(times_s, dtype=float) - start_s) / (end_s - start_s)
    return np.where((share >= 0.0) & (share <= 1.0), share, np.nan)
