"""Whether two results agree."""

from __future__ import annotations

import numpy as np

from brumel.core.findings import Bounds, Level
from brumel.core.numbers.arrays import Array, Number


def relative_percent_difference(first: Number, second: Number) -> Array:
    """Difference of two results as percent of their mean. Source: common practice for replicates."""
    a, b = np.asarray(first, dtype=float), np.asarray(second, dtype=float)
    return np.asarray(200.0 * np.abs(a - b) / np.abs(a + b))


def en_score(first: Number, second: Number, first_expanded_u: Number, second_expanded_u: Number) -> Array:
    """E_n of two results with their expanded uncertainties (k = 2); they agree up to 1. Source: ISO 13528.

    Examples
    --------
    >>> round(float(en_score(7.27, 7.10, 0.1, 0.1)), 2)
    1.2
    """
    return np.abs(np.asarray(first, dtype=float) - second) / np.hypot(first_expanded_u, second_expanded_u)


_AGREE = Bounds.around_zero(1.0, 1.0)


def agree(en: float) -> bool:
    """Say whether two results agree by their E_n: up to 1.

    Notes
    -----
    Source: ISO 13528.
    """
    return _AGREE.level(en) is Level.SOUND


def en_words(en: float) -> str:
    """Return an E_n to two decimals, or as many as show whether the two agree.

    Examples
    --------
    >>> en_words(0.938), en_words(1.003)
    ('0.94', '1.003')
    """
    return f"{en:.{_AGREE.digits(en, 2)}f}"
