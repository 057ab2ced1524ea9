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
        Largest change of the fitted straight line over the window, in ``unit``.
    temperature_span_c
        Largest difference of temperature within the window, °C.
    minimum_s
        Least time after immersion, s.
    source
        Where the numbers come from.
    """

    name: str
    unit: str
    span: float
    window_s: float
    slope_per_window: float
    temperature_span_c: float = 0.1
    minimum_s: float = 30.0
    source: str = "rule of this product"

    def shown_in_steps(self, resolution: float) -> SettlingRule:
        """The rule for a display of these steps: its last digit may change to and fro.

        Examples
        --------
        >>> CALIBRATION_PH.shown_in_steps(1.0).span, CALIBRATION_PH.shown_in_steps(0.1).span
        (1.0, 0.3)
        """
        return replace(
            self,
            span=max(self.span, resolution),
            slope_per_window=max(self.slope_per_window, resolution / 2),
        )


CALIBRATION_PH = SettlingRule("calibration-ph", "mV", span=0.3, window_s=30.0, slope_per_window=0.2)
"""Calibration point of a pH electrode: 0.3 mV (0.005 pH) over 30 s."""
READING_PH = SettlingRule("reading-ph", "pH", span=0.02, window_s=30.0, slope_per_window=0.013)
"""Site reading of pH: 0.02 over 30 s."""

RULES = {rule.name: rule for rule in (CALIBRATION_PH, READING_PH)}


def display_step(values: Array) -> float:
    """The step of the display that values were read from: 1, 0.1, 0.01 or 0.001; 0 where none shows.

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
