"""Practical salinity from conductivity, and back.

Source: UNESCO 1983 (Fofonoff & Millard, Technical Papers in Marine Science 44): PSS-78; Hill, Dauphinee
& Woods 1986 for salinities below 2, scaled so that it meets PSS-78 at 2 without a step. Temperatures are
ITS-90 and converted to IPTS-68, t68 = 1.00024 t90, which costs 0.005–0.007 where it is forgotten.
Range: salinity 0–42, −2–35 °C, 0–10 000 dbar; conductivity in mS/cm, not S/m.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from brumel.core.numbers.arrays import Array, Number, in_blocks, polynomial

STANDARD_MS_CM = 42.914
SALTIEST = 42.0
"""PSS-78 holds up to this salinity."""
SEA_WATER_C = (-2.0, 35.0)
"""And from here to there, °C."""
"""Conductivity of sea water of salinity 35 at 15 °C (IPTS-68), mS/cm. Source: Culkin & Smith 1980."""
IPTS68_FROM_ITS90 = 1.00024
_A = (0.0080, -0.1692, 25.3851, 14.0941, -7.0261, 2.7081)
_B = (0.0005, -0.0056, -0.0066, -0.0375, 0.0636, -0.0144)
_K = 0.0162
_C = (0.6766097, 2.00564e-2, 1.104259e-4, -6.9698e-7, 1.0031e-9)
_D = (3.426e-2, 4.464e-4, 4.215e-1, -3.107e-3)
_E = (2.070e-5, -6.370e-10, 3.989e-15)
_HILL_BELOW = 2.0
_SLOPE_A = tuple(n * a for n, a in enumerate(_A))[1:]
_SLOPE_B = tuple(n * b for n, b in enumerate(_B))[1:]


def practical_salinity(conductivity_ms_cm: Number, temperature_c: Number, pressure_dbar: Number = 0.0) -> Array:
    """Practical salinity (no unit) from conductivity at the sample's temperature, mS/cm.

    Examples
    --------
    >>> round(float(practical_salinity(53.07, 25.0)), 2)
    35.0
    """
    if not np.any(pressure_dbar):
        return in_blocks(salinity_block, conductivity_ms_cm, temperature_c)
    return in_blocks(salinity_block, conductivity_ms_cm, temperature_c, pressure_dbar)


def conductivity_from_salinity(salinity: Number, temperature_c: Number, pressure_dbar: Number = 0.0) -> Array:
    """Conductivity at the sample's temperature, mS/cm, of sea water of a practical salinity; the inverse.

    Examples
    --------
    >>> round(float(conductivity_from_salinity(35.0, 15.0)), 2)
    42.92
    """
    return in_blocks(_conductivity, salinity, temperature_c, pressure_dbar)


def salinity_block(conductivity: Array, temperature: Array, pressure: Array | None = None) -> Array:
    """Practical salinity of one block of rows; at the surface where no pressure is given."""
    root, shift = _root_and_shift(conductivity, temperature, pressure)
    found = _pss78(root, shift)
    low = np.flatnonzero(found < _HILL_BELOW)
    if low.size:
        found[low] = _low_salinity(root.take(low), shift.take(low))
    return found


def sea_salt_conductivity_us_cm(conductivity_us_cm: Number, from_c: Number, to_c: Number) -> Array:
    """Conductivity of a water of sea-salt proportions at another temperature, µS/cm (not mS/cm).

    Source: PSS-78 there and back, UNESCO 1983; from −2 to 35 °C, salinity 0 to 42. Never for inland salts.

    Examples
    --------
    >>> round(float(sea_salt_conductivity_us_cm(42_914.0, 15.0, 25.0)))
    53067
    """
    salinity = practical_salinity(np.asarray(conductivity_us_cm) / 1000.0, from_c)
    return np.asarray(conductivity_from_salinity(salinity, to_c)) * 1000.0


def _root_and_shift(conductivity: Array, temperature: Array, pressure: Array | None) -> tuple[Array, Array]:
    """Root of the conductivity ratio Rt, and what PSS-78 multiplies its second polynomial by."""
    t = IPTS68_FROM_ITS90 * temperature
    ratio = conductivity * (1.0 / STANDARD_MS_CM)
    if pressure is not None:
        ratio /= _pressure_ratio(ratio, t, pressure)
    ratio /= polynomial(t, _C)
    t -= 15.0
    return np.sqrt(ratio, out=ratio), t / (1.0 + _K * t)


def _low_salinity(root: Array, shift: Array) -> Array:
    return np.maximum(polynomial(shift, _scale_at_two()) * _hill(root, shift), 0.0)


def _conductivity(salinity: Array, temperature: Array, pressure: Array) -> Array:
    t = IPTS68_FROM_ITS90 * temperature
    shift = (t - 15.0) / (1.0 + _K * (t - 15.0))
    root = _root_at(salinity, shift)
    low = salinity < _HILL_BELOW
    if low.any():
        root[low] = _hill_root_at(salinity[low], shift[low])
    ratio = root**2 * polynomial(t, _C)
    if np.any(pressure):
        ratio = _ratio_under_pressure(ratio, t, pressure)
    return ratio * STANDARD_MS_CM


def _pressure_terms(t: Array, pressure: Array) -> tuple[Array, Array, Array]:
    above = pressure * (_E[0] + pressure * (_E[1] + pressure * _E[2]))
    return above, 1.0 + t * (_D[0] + t * _D[1]), _D[2] + t * _D[3]


def _pressure_ratio(ratio: Array, t: Array, pressure: Array) -> Array:
    above, constant, per_ratio = _pressure_terms(t, pressure)
    return 1.0 + above / (constant + per_ratio * ratio)


def _ratio_under_pressure(surface: Array, t: Array, pressure: Array) -> Array:
    """R where R / Rp(R) is known: R (b + c R) = surface (b + c R + above), a quadratic in R."""
    above, b, c = _pressure_terms(t, pressure)
    half = b - c * surface
    # The form that loses no digits for a positive root.
    return 2.0 * surface * (b + above) / (half + np.sqrt(half**2 + 4.0 * c * surface * (b + above)))


@cache
def _scale_at_two() -> tuple[float, ...]:
    """What scales the extension to meet PSS-78 at 2, as a polynomial of the shift: true to 1e-14 from −5 to 40 °C."""
    nodes = -5.0 + 24.0 * np.cos(np.pi * (np.arange(13) + 0.5) / 13)
    exact = _HILL_BELOW / _hill(_root_at(_HILL_BELOW, nodes), nodes)
    return tuple(np.polynomial.Polynomial.fit(nodes, exact, 8).convert().coef)


def _pss78(root: Array, shift: Array) -> Array:
    found = polynomial(root, _B)
    found *= shift
    found += polynomial(root, _A)
    return found


def _hill(root: Array, shift: Array) -> Array:
    """PSS-78 with the extension's terms taken off; not yet scaled to meet it at 2."""
    x, root_y = 400.0 * root**2, 10.0 * root
    return (
        _pss78(root, shift)
        - _A[0] / (1.0 + x * (1.5 + x))
        - _B[0] * shift / (1.0 + root_y * (1.0 + root_y * (1.0 + root_y)))
    )


def _root_at(salinity: Number, shift: Array, *, steps: int = 8) -> Array:
    """Root of the conductivity ratio Rt where PSS-78 gives this salinity, by Newton's method."""
    root = np.sqrt(np.asarray(salinity) / 35.0) + np.zeros_like(shift)
    for _ in range(steps):
        slope = polynomial(root, _SLOPE_A) + shift * polynomial(root, _SLOPE_B)
        root -= (_pss78(root, shift) - salinity) / slope
    return root


def _hill_root_at(salinity: Array, shift: Array) -> Array:
    """Return the same below 2, by bisection on the rising branch."""
    scale = _HILL_BELOW / _hill(_root_at(_HILL_BELOW, shift), shift)
    low, high = np.full_like(salinity, _HILL_TURN), np.full_like(salinity, 0.3)
    for _ in range(52):
        middle = 0.5 * (low + high)
        above = scale * _hill(middle, shift) > salinity
        low, high = np.where(above, low, middle), np.where(above, middle, high)
    return 0.5 * (low + high)


_HILL_TURN = 0.0032
"""Below this root the extension is no longer rising; salinities there are below 0.0002 and taken as 0."""
