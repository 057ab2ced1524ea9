"""Conductivity as specific conductance, practical salinity, dissolved solids and resistivity."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from brumel.core.numbers.arrays import Array
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.quantities.conductivity import linear_factor, natural_water_factor
from brumel.core.quantities.salinity import SALTIEST, SEA_WATER_C, practical_salinity, sea_salt_conductivity_us_cm
from brumel.core.sensing.follows import Derived, ReadAs, worked
from brumel.core.sensing.principle import Principle
from brumel.core.uncertainty import Budget

_NEAR_25_C = 25.0
_MOST_US_CM, _T_C = 1e6, (-5.0, 105.0)
"""The range of the calculation."""


def _of_conductivity(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
    of = ("conductivity_us_cm", value, budget)
    warm = {"temperature_c": float(at.temperature_c), "temperature_c_u": at.u_temperature_c}
    compensated = None
    if water.method != "none":
        compensated = worked(
            "specific-conductance", "µS/cm", "conductivity-at-reference", "conductivity_us_cm", of, warm | water.inputs
        )
    if compensated:
        yield compensated
    if water.salt and (
        found := worked("salinity", "", "salinity", "salinity", ("conductivity_ms_cm", value, budget), warm, 1e-3)
    ):
        yield found
    if water.solids_factor and compensated and water.reference_c == _NEAR_25_C:
        behind = ("conductivity_us_cm", compensated.value, compensated.budget)
        factor = {"factor": water.solids_factor}
        found = worked("dissolved-solids", "mg/L", "total-dissolved-solids", "tds_mg_l", behind, factor)
        if found:
            yield found
    if found := worked("resistivity", "Ω·cm", "resistivity", "resistivity_ohm_cm", of, {}):
        yield found


def _specific(values: Array, at: Conditions, water: Compensation) -> Array:
    """By the bare formulas; not a number where the calculation says that it does not hold."""
    t, to_c, (coldest_c, warmest_c) = at.temperature_c, water.reference_c, _T_C
    if water.method == "none":
        return values
    if water.method == "sea-salt":
        values = np.where(values >= 0.0, values, np.nan)
        fresh_enough = practical_salinity(values / 1000.0, t) <= SALTIEST
        coldest_c, warmest_c = SEA_WATER_C
        found = np.where(fresh_enough, sea_salt_conductivity_us_cm(values, t, to_c), np.nan)
    elif water.method == "linear":
        found = values * linear_factor(t, water.coefficient_percent_per_c or 0.0, to_c)
    else:
        found = values * natural_water_factor(t, to_c)
    warm = (np.asarray(t) >= coldest_c) & (np.asarray(t) <= warmest_c)
    return np.where((values >= 0.0) & (values <= _MOST_US_CM) & warm, found, np.nan)


def read_as(own: Principle) -> ReadAs:
    """Return how conductivity is read by the compensation that the site names."""
    del own
    return ReadAs(_of_conductivity, {"specific-conductance": _specific})
