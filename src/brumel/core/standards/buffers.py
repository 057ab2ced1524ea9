"""pH buffers: the value at the measured temperature, never the label."""

from __future__ import annotations

import csv
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from itertools import pairwise
from typing import Any

import numpy as np

from brumel.core.errors import CoreError, OutOfRange
from brumel.core.numbers.arrays import Number
from brumel.core.numbers.curves import curve_through
from brumel.core.quantities.ph import checked_temperature

LABEL_TEMPERATURE_C = 25.0
LABEL_TOLERANCE_C = 2.0
"""A buffer without a table serves only this near to 25 °C (rule of this product)."""

COMBINED = "combined"
"""The family of a solution that has a pH and a conductivity, of either standard."""
FAMILIES: Mapping[str, str] = {
    "primary": "NIST/IUPAC primary",
    "technical": "technical 4.01 / 7.00 / 10.01",
    "technical-7.01": "technical 4.01 / 7.01 / 10.01",
    "technical-4.00": "technical 4.00 / 7.00 / 10.00",
    COMBINED: "one solution for pH and conductivity",
}
"""Buffer families by key; buffers of two families are never mixed in one run without a warning."""


@dataclass(frozen=True)
class Buffer:
    """One buffer solution and what is known of its value.

    Attributes
    ----------
    name
        Key, such as ``phthalate-4.005``.
    family
        Key into :data:`FAMILIES`.
    nominal_ph
        Value on the label, at 25 °C.
    table
        Pairs of temperature, °C, and pH; empty where only the label is known.
    u_ph
        Standard uncertainty of the value, pH (k = 1).
    source
        Where the table comes from.
    """

    name: str
    family: str
    nominal_ph: float
    table: tuple[tuple[float, float], ...]
    u_ph: float
    source: str

    @property
    def range_c(self) -> tuple[float, float]:
        """Temperatures for which the value is known, °C."""
        if self.table:
            return self.table[0][0], self.table[-1][0]
        return LABEL_TEMPERATURE_C - LABEL_TOLERANCE_C, LABEL_TEMPERATURE_C + LABEL_TOLERANCE_C

    def ph_at(self, temperature_c: Number) -> Any:
        """Value of the buffer at its measured temperature.

        Parameters
        ----------
        temperature_c
            Temperature of the buffer, °C; float or array, within :attr:`range_c`.

        Raises
        ------
        OutOfRange
            Outside the table, or more than 2 °C from 25 °C where there is none.

        Notes
        -----
        Between the printed temperatures a monotone cubic (PCHIP; Fritsch & Carlson 1980) is used.
        """
        low, high = self.range_c
        values = checked_temperature(temperature_c, low=low, high=high, what=f"The value of buffer {self.name}")
        if not self.table:
            ph = np.full(values.shape, self.nominal_ph)
        else:
            ph = curve_through(self.table)(values)
        return float(ph) if np.ndim(ph) == 0 else ph


def buffer(name: str) -> Buffer:
    """Return the shipped buffer of this name.

    Raises
    ------
    CoreError
        Where no buffer of the name ships with the application.

    Examples
    --------
    >>> round(buffer("phosphate-6.865").ph_at(20.0), 3)
    6.881
    """
    try:
        return shipped_buffers()[name]
    except KeyError:
        known = ", ".join(shipped_buffers())
        raise CoreError(f"No buffer is named {name!r}; known are {known}.") from None


def buffer_of_label(family: str, nominal_ph: float, *, table: Any = None, u_ph: float | None = None) -> Buffer:
    """Return the buffer that a bottle's label describes, with the bottle's own table if it has one.

    Parameters
    ----------
    family
        Key into :data:`FAMILIES`.
    nominal_ph
        Value on the label at 25 °C.
    table
        The lot's own pairs of temperature, °C, and pH; replaces the shipped table.
    u_ph
        Standard uncertainty from the lot's certificate, pH (k = 1).

    Raises
    ------
    CoreError
        For an unknown family, or a table that is not rising in temperature.
    """
    if family not in FAMILIES:
        raise CoreError(f"No buffer family is named {family!r}; known are {', '.join(FAMILIES)}.")
    shipped = next(
        (b for b in shipped_buffers().values() if b.family == family and abs(b.nominal_ph - nominal_ph) < 5e-4),
        None,
    )
    if table:
        pairs = tuple((float(t), float(v)) for t, v in table)
        if len(pairs) < 2 or any(b[0] <= a[0] for a, b in pairwise(pairs)):
            raise CoreError("A lot's table needs at least two temperatures, rising from line to line.")
        return Buffer(f"{nominal_ph:g}", family, nominal_ph, pairs, u_ph or 0.01, "the lot's own table")
    if shipped is not None:
        return Buffer(shipped.name, family, shipped.nominal_ph, shipped.table, u_ph or shipped.u_ph, shipped.source)
    return Buffer(f"{nominal_ph:g}", family, nominal_ph, (), u_ph or 0.02, "the label, at 25 °C only")


def sold_as(family: str) -> list[float]:
    """Return the values of a family's buffers at 25 °C, pH; empty where nothing is known of them."""
    return sorted(b.nominal_ph for b in shipped_buffers().values() if b.family == family)


@cache
def shipped_buffers() -> dict[str, Buffer]:
    """Return all buffers that ship with the application, by name, in the order of their table."""
    text = files("brumel.core.standards").joinpath("buffers.csv").read_text(encoding="utf-8")
    rows: dict[str, list[dict[str, str]]] = {}
    for row in csv.DictReader(text.splitlines()):
        rows.setdefault(row["buffer"], []).append(row)
    return {
        name: Buffer(
            name=name,
            family=group[0]["family"],
            nominal_ph=float(group[0]["nominal_ph"]),
            table=tuple((float(r["temperature_c"]), float(r["ph"])) for r in group),
            u_ph=float(group[0]["u_ph"]),
            source=group[0]["source"],
        )
        for name, group in rows.items()
    }


def value_or_none(chosen: Buffer, temperature_c: float) -> float | None:
    """Value at temperature, or None where the buffer's value is not known there."""
    try:
        return float(chosen.ph_at(temperature_c))
    except OutOfRange:
        return None
