"""Rules for stability, and what they allow a display of coarse steps."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

_DECIMALS = range(4)
_DISTINCT = 200
"""So many different values are enough to tell a display's step."""


@dataclass(frozen=True)
class SettlingRule:
    """A rule for stability.

    Attributes
    ----------
    name
        Key of the rule, as stored with a record.
    unit
        Unit of the judged value (``mV``, ``pH``).
    span
        Largest difference within the window, in ``unit``; the bound is included.
    window_s
        Length of the window, s.
    slope_per_window
        Largest change of the fitted straight line over the window, in ``unit``; two thirds of the span where 0.
    span_percent
        Largest difference in percent of the value, where that is more than ``span``.
    temperature_span_c
        Largest difference of temperature within the window, °C.
    minimum_s
        Least time after immersion, s.
    slow_percent, slow_s
        What is known beforehand of the slow part behind the fast approach: its share of the step, percent, and its time
        constant, s, from and to; zeros where there is none.
    source
        Where the numbers come from.
    """

    name: str
    unit: str
    span: float
    window_s: float
    slope_per_window: float = 0.0
    span_percent: float = 0.0
    temperature_span_c: float = 0.1
    minimum_s: float = 30.0
    slow_percent: tuple[float, float] = (0.0, 0.0)
    slow_s: tuple[float, float] = (0.0, 0.0)
    source: str = "rule of this product"

    @property
    def longest_gap_s(self) -> float:
        """Samples further apart leave a gap: a window with one is not covered."""
        return self.window_s / 3.0

    def at(self, value: float, resolution: float = 0.0) -> SettlingRule:
        """Return the rule at a value, for a display of these steps, whose last digit may change to and fro.

        Examples
        --------
        >>> rule = SettlingRule("r", "mV", 0.3, 30.0, 0.2)
        >>> rule.at(177.0, 1.0).span, rule.at(177.0, 0.1).span
        (1.0, 0.3)
        >>> SettlingRule("r", "µS/cm", 1.0, 20.0, span_percent=0.5).at(1413.0).span
        7.065
        >>> SettlingRule("r", "mg/L", 0.004, 20.0).at(1.0).span
        0.004
        """
        span = max(self.span, self.span_percent / 100.0 * abs(value))
        slope = self.slope_per_window * span / self.span if self.slope_per_window else 2.0 * span / 3.0
        return replace(self, span=max(span, resolution), slope_per_window=max(slope, resolution / 2), span_percent=0.0)


def display_step(values: Array) -> float:
    """Return the step of the display that values were read from: 1, 0.1, 0.01 or 0.001; 0 where none shows.

    Examples
    --------
    >>> display_step(np.array([177.2, 177.3, 176.0])), display_step(np.array([3.0, 3.0]))
    (0.1, 0.0)
    """
    distinct = np.unique(values[np.isfinite(values)])[:_DISTINCT]
    if distinct.size < 2:
        return 0.0
    for decimals in _DECIMALS:
        scaled = distinct * 10.0**decimals
        if np.all(np.abs(scaled - np.round(scaled)) < 1e-6):
            return float(10.0**-decimals)
    return 0.0
