"""What a standard's value is here and now: the target of a calibration point."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.kit.shelf import standards
from brumel.core.numbers.curves import curve_through, span
from brumel.core.place.conditions import U_TEMPERATURE_C, Conditions
from brumel.core.quantities.conductivity import KCL_PERCENT_PER_C, kcl_curves
from brumel.core.quantities.redox import REFERENCES, U_HALF_CELL_MV, half_cell, zobell_eh_mv
from brumel.core.quantities.salinity import SEA_WATER_C, conductivity_from_salinity, practical_salinity
from brumel.core.standards.buffers import (
    FAMILIES,
    LABEL_TEMPERATURE_C,
    LABEL_TOLERANCE_C,
    buffer_of_label,
    value_or_none,
)

PH_BUFFER = "ph-buffer"
ZOBELL = "zobell"
"""Family of the ferri-/ferrocyanide couple, whose value is known at temperature on each reference electrode."""
_ZOBELL_C = (8.0, 85.0)
CONDUCTIVITY = "conductivity"
OXYGEN_ZERO = "oxygen-zero"
_U_SULFITE_PERCENT = 0.1
"""What fresh sodium sulfite may still hold of oxygen, k = 1, percent of saturation (common practice)."""
KCL, SEA_WATER = "kcl", "sea-water"
"""Families of conductivity standards whose value is known at temperature."""
_WARMER_C = 0.1
_U_COUPLE_MV = 5.0 / 3**0.5
_U_LABEL_PERCENT = 1.0
_PER_C: Mapping[str, tuple[float, float]] = {PH_BUFFER: (0.012, 0.0), "orp": (3.0, 0.0), CONDUCTIVITY: (0.0, 2.2)}
"""What temperature does to a standard at most, a degree: absolute, and in percent. Of the printed buffers borax and
carbonate move most, 0.011 near 5 °C; ZoBell's couple by 2.9 mV on a saturated electrode; salts by 2.2 % (common
practice)."""


@dataclass(frozen=True)
class Bottle:
    """What the label and the certificate of a lot say.

    Attributes
    ----------
    standard, family
        What it is, by key.
    nominal
        Value on the label, at 25 °C.
    table
        The lot's own pairs of temperature, °C, and value; empty where it has none.
    u
        Standard uncertainty from its certificate; None where it has none.
    """

    standard: str
    family: str
    nominal: float | None
    table: tuple[tuple[float, float], ...] = ()
    u: float | None = None

    @property
    def label(self) -> float:
        """The value on the label."""
        if self.nominal is None:
            raise CoreError("This lot has no value on its label: it is no standard to calibrate in.")
        return self.nominal


@dataclass(frozen=True)
class Target:
    """A standard's value, its standard uncertainty (k = 1), and whether it is known at this temperature at all."""

    value: float
    u: float
    known: bool


def target(bottle: Bottle, at: Conditions) -> Target:
    """Return what a bottle's standard is at a temperature, for a probe with its own reference electrode.

    Where it is not known there, the label's value is given, and said to be no more than that.

    Examples
    --------
    >>> target(Bottle("ph-buffer", "technical", 7.00), Conditions(20.0)).value
    7.02
    >>> round(target(Bottle("orp", "zobell", 220.0), Conditions(20.0, "ag-agcl-3m")).value, 1)
    229.6
    """
    return _WAYS[standards()[bottle.standard].worth_by](bottle, at)


def _unknown(bottle: Bottle, at: Conditions, value: float, u: float) -> Target:
    """Return a label's value where nothing says what the standard is: u grows by what temperature can do to such a one.

    Limits, rectangular: so much a degree from 25 °C (:data:`_PER_C`).
    """
    far_c = abs(float(at.temperature_c) - LABEL_TEMPERATURE_C)
    absolute, percent = _PER_C.get(bottle.standard, (0.0, 0.0))
    moved = far_c * (absolute + percent / 100.0 * abs(value))
    return Target(value, math.hypot(u, moved / math.sqrt(3.0)), known=False)


def _buffer(bottle: Bottle, at: Conditions) -> Target:
    chosen = buffer_of_label(bottle.family, bottle.label, table=bottle.table, u_ph=bottle.u)
    value = value_or_none(chosen, float(at.temperature_c))
    if value is None:
        return _unknown(bottle, at, chosen.nominal_ph, chosen.u_ph)
    return Target(value, chosen.u_ph, known=True)


def _couple(bottle: Bottle, at: Conditions) -> Target:
    t = float(at.temperature_c)
    if bottle.family != ZOBELL or bottle.table or at.reference not in REFERENCES:
        return _by_label(bottle, at)
    cell = half_cell(at.reference)
    low, high = span(cell)
    if not max(low, _ZOBELL_C[0]) <= t <= min(high, _ZOBELL_C[1]):
        return _by_label(bottle, at)
    u = math.hypot(_U_COUPLE_MV if bottle.u is None else bottle.u, float(U_HALF_CELL_MV))
    return Target(float(zobell_eh_mv(t)) - float(cell(t)), u, known=True)


def _salt(bottle: Bottle, at: Conditions) -> Target:
    """Return a conductivity standard: its own table, or that of potassium chloride or of sea water; else its label.

    Near 25 °C a label of potassium chloride is carried by 1.91 %/°C (common practice, within 0.1 % over 2 °C). The
    probe's thermometer has its share in u: 1 °C is 2 %.
    """
    t = float(at.temperature_c)
    value = _salt_value(bottle, t)
    if value is None:
        return _by_label(bottle, at)
    certificate = _u_of_label(bottle) / bottle.label
    warmer = _salt_value(bottle, t + _WARMER_C) or value
    return Target(value, math.hypot(value * certificate, (warmer - value) / _WARMER_C * U_TEMPERATURE_C), known=True)


def _salt_value(bottle: Bottle, t: float) -> float | None:
    """Return its conductivity at a temperature, µS/cm; None where it is not known."""
    curve = curve_through(bottle.table) if bottle.table else kcl_curves().get(f"{bottle.label:g}")
    if bottle.family == SEA_WATER and not bottle.table:
        salinity = practical_salinity(bottle.label / 1000.0, LABEL_TEMPERATURE_C)
        low, high = SEA_WATER_C
        return float(conductivity_from_salinity(salinity, t)) * 1000.0 if low <= t <= high else None
    if curve is not None and (bottle.table or bottle.family == KCL):
        low, high = span(curve)
        return float(curve(t)) if low <= t <= high else None
    if bottle.family == KCL and abs(t - LABEL_TEMPERATURE_C) <= LABEL_TOLERANCE_C + _WARMER_C:
        return bottle.label * (1.0 + KCL_PERCENT_PER_C / 100.0 * (t - LABEL_TEMPERATURE_C))
    return None


def _without_oxygen(bottle: Bottle, at: Conditions) -> Target:
    del bottle, at
    return Target(0.0, _U_SULFITE_PERCENT, known=True)


def _steady(bottle: Bottle, at: Conditions) -> Target:
    """The activity of a dilute standard: the same within a percent from 0 to 40 °C (Davies), as its label says."""
    return replace(_by_label(bottle, at), known=True)


def _u_of_label(bottle: Bottle) -> float:
    """Return its certificate's, else a percent of what its label says."""
    return abs(bottle.label) * _U_LABEL_PERCENT / 100.0 if bottle.u is None else bottle.u


def _by_label(bottle: Bottle, at: Conditions) -> Target:
    """Return the lot's own table, or its label near 25 °C."""
    t, u = float(at.temperature_c), _u_of_label(bottle)
    if bottle.table:
        if bottle.table[0][0] <= t <= bottle.table[-1][0]:
            return Target(float(curve_through(bottle.table)(t)), u, known=True)
        return _unknown(bottle, at, bottle.label, u)
    if abs(t - LABEL_TEMPERATURE_C) <= LABEL_TOLERANCE_C:
        return Target(bottle.label, u, known=True)
    return _unknown(bottle, at, bottle.label, u)


def families_of(standard: str) -> Mapping[str, str]:
    """Return the families of a standard by key; empty where it has none.

    Examples
    --------
    >>> list(families_of("orp"))
    ['zobell', 'other']
    """
    return FAMILIES if standard == PH_BUFFER else standards()[standard].families


def check_bottle(bottle: Bottle) -> None:
    """Refuse a label that can't be: an unknown family of buffers, a table that does not rise.

    Raises
    ------
    CoreError
        With the reason in words.
    """
    if (families := families_of(bottle.standard)) and bottle.family not in families:
        raise CoreError(f"No family is named {bottle.family!r}; known are {', '.join(families)}.")
    if bottle.standard == PH_BUFFER:
        buffer_of_label(bottle.family, bottle.label, table=bottle.table)
    elif bottle.table and any(b[0] <= a[0] for a, b in zip(bottle.table, bottle.table[1:], strict=False)):
        raise CoreError("A lot's table needs temperatures that rise from line to line.")


_WAYS: Mapping[str, Callable[[Bottle, Conditions], Target]] = {
    "buffer": _buffer, "couple": _couple, "salt": _salt, "nothing": _without_oxygen, "steady": _steady,
    "label": _by_label,
}  # fmt: skip
"""How a standard's value is looked up, as the table of standards says of each."""


def bottle_of(standard: str, family: str, nominal: float | None, table: Any, u: float | None) -> Bottle:
    """Return a bottle from what is stored of a lot."""
    return Bottle(standard, family, nominal, tuple((float(t), float(v)) for t, v in table or ()), u)
