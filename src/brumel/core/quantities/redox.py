"""Oxidation-reduction potential against the hydrogen electrode.

A meter shows ORP against its own reference electrode; Eh adds the half-cell's potential at temperature.
Pool limits are ORP as shown against silver chloride, never Eh.
"""

from __future__ import annotations

import numpy as np

from brumel.core.numbers.arrays import Array, Number
from brumel.core.numbers.curves import MonotoneCurve, printed_table

REFERENCES = {
    "ag-agcl-3m": "Ag/AgCl, KCl 3 mol/L",
    "ag-agcl-3.5m": "Ag/AgCl, KCl 3.5 mol/L",
    "ag-agcl-4m": "Ag/AgCl, KCl 4 mol/L",
    "ag-agcl-sat": "Ag/AgCl, KCl saturated",
    "calomel-sat": "calomel, KCl saturated",
}
U_HALF_CELL_MV = 3.0 / np.sqrt(3.0)
"""Standard uncertainty of a printed half-cell potential, mV: ±3 mV, rectangular (common practice)."""


def half_cell(reference: str) -> MonotoneCurve:
    """Potential of a reference electrode against hydrogen, mV, over temperature, °C.

    Source: USGS National Field Manual A6.5, from memory; below 10 °C and for 4 mol/L computed.
    """
    return printed_table("half_cells.csv", "reference", "temperature_c", "half_cell_mv")[reference]


def zobell_eh_mv(temperature_c: Number) -> Array:
    """Eh of ZoBell's ferrocyanide/ferricyanide solution, mV.

    Source: Nordstrom 1977, Eh = 430.28 − 2.468 (t − 25), 8–85 °C; from memory.

    Examples
    --------
    >>> float(zobell_eh_mv(25.0))
    430.28
    """
    return 430.28 - 2.468 * (np.asarray(temperature_c, dtype=float) - 25.0)
