"""Percent of local saturation as mg/L, and as percent at 1013.25 hPa."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from brumel.core.numbers.arrays import Array
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l
from brumel.core.sensing.follows import Derived, ReadAs, worked
from brumel.core.sensing.principle import Principle
from brumel.core.uncertainty import Budget


def _of_oxygen(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
    del water
    place = {
        "temperature_c": float(at.temperature_c), "temperature_c_u": at.u_temperature_c,
        "salinity": at.salinity, "salinity_u": max(at.u_salinity, 1e-12),
    }  # fmt: skip
    here = {"pressure_hpa": float(at.pressure_hpa)}  # its error stands in the percent already
    found = worked(
        "oxygen", "mg/L", "oxygen-concentration", "oxygen_mg_l", ("oxygen_percent", max(value, 0.0), budget),
        place | here,
    )  # fmt: skip
    if found is None:
        return
    yield found
    level = place | {"pressure_hpa": ATMOSPHERE_HPA}
    of = ("oxygen_mg_l", found.value, found.budget)
    if standard := worked("oxygen-saturation-standard", "%", "oxygen-percent", "oxygen_percent", of, level):
        yield standard


def _mg_l(values: Array, at: Conditions, water: Compensation) -> Array:
    del water
    return np.asarray(values / 100.0 * saturation_mg_l(at.temperature_c, at.pressure_hpa, at.salinity))


def read_as(own: Principle) -> ReadAs:
    """Return how percent are read as mg/L."""
    del own
    return ReadAs(_of_oxygen, {"oxygen": _mg_l})
