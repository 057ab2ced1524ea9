"""A reading far from what its place has shown: asked about at once, while the probe is still wet."""

from __future__ import annotations

import numpy as np

from brumel.core.findings import PRODUCT, Finding, Level, beyond
from brumel.core.numbers.arrays import Array
from brumel.core.quantities.quantity import Quantity
from brumel.core.said import Count, Of, says

_LEAST = 6
"""So many earlier readings are needed (rule of this product)."""
_SPREADS = 5.0
"""So many robust standard deviations are far (rule of this product)."""
_TO_STANDARD = 1.4826
"""A normal distribution's standard deviation for its median absolute deviation."""


def jump(about: Quantity, value: float, u: float, before: Array) -> list[Finding]:
    """That a value lies far from the earlier ones of its place, as their own spread and its uncertainty go.

    Examples
    --------
    >>> from brumel.core.quantities.quantity import quantity
    >>> usual = np.array([7.4, 7.5, 7.45, 7.38, 7.42, 7.47, 7.44])
    >>> [f.code for f in jump(quantity("ph"), 6.2, 0.02, usual)], jump(quantity("ph"), 7.6, 0.02, usual)
    (['jump'], [])
    """
    if len(before) < _LEAST:
        return []
    usual = float(np.median(before))
    spread = _TO_STANDARD * float(np.median(np.abs(before - usual)))
    if not beyond(abs(value - usual), _SPREADS * float(np.hypot(max(spread, 10.0**-about.decimals), u))):
        return []
    return [
        Finding(
            "jump",
            Level.DOUBTFUL,
            says("jump", value=Of(about.key, value), usual=Of(about.key, usual), low=Of(about.key, float(before.min())),
                 high=Of(about.key, float(before.max())), readings=Count(len(before), "reading")),
            says("jump.then"),
            5,
            PRODUCT,
        )
    ]  # fmt: skip
