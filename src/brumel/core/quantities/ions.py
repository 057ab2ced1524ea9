"""Ions: activity from conductivity."""

from __future__ import annotations

import numpy as np

from brumel.core.numbers.arrays import Array, Number

IONIC_STRENGTH_PER_US_CM = 1.6e-5
"""Ionic strength, mol/L, for each µS/cm at 25 °C. Source: Griffin & Jurinak 1973, as common practice rounds it."""
_DAVIES_A = 0.509


def activity_coefficient(conductivity_us_cm: Number, charge: Number) -> Array:
    """Activity coefficient of an ion in water of a conductivity at 25 °C, µS/cm.

    Source: Davies 1962, log γ = −A z² (√I / (1 + √I) − 0.3 I), A = 0.509 at 25 °C, up to I = 0.5 mol/L.

    Examples
    --------
    >>> round(float(activity_coefficient(1000.0, 1)), 2)
    0.88
    """
    strength = IONIC_STRENGTH_PER_US_CM * np.asarray(conductivity_us_cm, dtype=float)
    root = np.sqrt(strength)
    return 10.0 ** (-_DAVIES_A * np.asarray(charge) ** 2 * (root / (1.0 + root) - 0.3 * strength))
