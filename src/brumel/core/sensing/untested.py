"""What standards leave untested of the waters that a calibration is made for: one rule for proposal and verdict."""

from __future__ import annotations

import math
from collections.abc import Sequence

_BELOW, _FAR_ABOVE = 2.0, 100.0
"""A standard may lie below the middle of the waters by this factor, and above the highest by that (house rule)."""


def beside_the_waters(labels: Sequence[float], waters: tuple[float, float]) -> str:
    """Say where standards on a scale of decades lie that leave the waters untested; nothing where they don't.

    Examples
    --------
    >>> beside_the_waters([84.0], (1200.0, 2600.0)), beside_the_waters([1413.0], (1200.0, 2600.0))
    ('below', '')
    """
    if not labels:
        return ""
    middle = math.sqrt(max(waters[0], 1.0) * waters[1])
    if _BELOW * max(labels) < middle:
        return "below"
    return "far-above" if min(labels) > _FAR_ABOVE * waters[1] else ""


def not_between(targets: Sequence[float], waters: tuple[float, float]) -> str:
    """Say on which side waters reach beyond the standards; nothing where they lie between them.

    Examples
    --------
    >>> not_between([4.01, 7.0], (6.8, 8.9)), not_between([4.01, 7.0, 10.01], (6.8, 8.9))
    ('below', '')
    """
    if not targets:
        return ""
    if waters[1] > max(targets):
        return "below"
    return "above" if waters[0] < min(targets) else ""
