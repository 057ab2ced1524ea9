"""What follows from a reading by calculation: worked by the same registry as every other calculation."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from brumel.core.arrays import Array
from brumel.core.quantities.ions import activity_coefficient
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l
from brumel.core.quantities.redox import REFERENCES
from brumel.core.reading.water import Compensation
from brumel.core.reckoning.answers import Answer, calculate
from brumel.core.reckoning.definition import InvalidInputs
from brumel.core.sensing.principle import Conditions
from brumel.core.uncertainty import Budget, Contribution

_NEAR_25_C = 25.0


@dataclass(frozen=True)
class Derived:
    """A quantity that was worked out: its value, its budget in its own unit, and how."""

    quantity: str
    value: float
    budget: Budget
    unit: str
    working: tuple[str, ...]

    @property
    def plain(self) -> dict[str, Any]:
        """As a reading keeps it beside its own value."""
        words = list(self.working)
        return {"quantity": self.quantity, "value": self.value, "unit": self.unit, "working": words, "u": self.budget.u}


def derived_from(key: str, value: float, budget: Budget, at: Conditions, water: Compensation) -> list[Derived]:
    """All that follows from a value of a quantity; what can't be said of it at these conditions is left out.

    Examples
    --------
    >>> found = derived_from("orp", 300.0, Budget(()), Conditions(25.0, "ag-agcl-3m"), Compensation())
    >>> found[0].quantity, found[0].value
    ('eh', 509.0)
    >>> found = derived_from("conductivity", 500.0, Budget(()), Conditions(10.0), Compensation(solids_factor=0.7))
    >>> [(d.quantity, round(d.value)) for d in found]
    [('specific-conductance', 714), ('dissolved-solids', 500), ('resistivity', 2000)]
    """
    return list(_WAYS[key](value, budget, at, water)) if key in _WAYS else []


def as_read(key: str, head: str, values: Array, at: Conditions, water: Compensation) -> Array:
    """Values of a sensed quantity as the one that people read; as they are where the two are one, or it is not known.

    Examples
    --------
    >>> as_read("conductivity", "specific-conductance", np.array([500.0]), Conditions(10.0), Compensation()).round()
    array([714.])
    """
    way = _AS_READ.get((key, head))
    return values if way is None else way(values, at, water)


def _specific(values: Array, at: Conditions, water: Compensation) -> Array:
    if water.method == "none":
        return values
    given = {"conductivity_us_cm": values, "temperature_c": at.temperature_c} | water.inputs
    answer = calculate("conductivity-at-reference", given, strict=False, explain=False)
    return np.asarray(answer.outputs["conductivity_us_cm"])


def _mg_l(values: Array, at: Conditions, water: Compensation) -> Array:
    del water
    return np.asarray(values / 100.0 * saturation_mg_l(at.temperature_c, at.pressure_hpa, at.salinity))


def _concentration(values: Array, at: Conditions, water: Compensation) -> Array:
    del water
    return values if at.conductivity_us_cm is None else values / activity_coefficient(at.conductivity_us_cm, 1)


_AS_READ: Mapping[tuple[str, str], Callable[[Array, Conditions, Compensation], Array]] = {
    ("conductivity", "specific-conductance"): _specific,
    ("oxygen-saturation", "oxygen"): _mg_l,
    ("ammonium-activity", "ammonium-n"): _concentration,
    ("nitrate-activity", "nitrate-n"): _concentration,
}
"""From what is sensed to what people read."""


def _worked(
    quantity: str, unit: str, name: str, output: str, of: tuple[str, float, Budget], others: Mapping[str, Any],
    factor: float = 1.0,
) -> Derived | None:  # fmt: skip
    """One calculation: ``of`` names the input that the budget speaks of; ``factor`` brings it to the input's unit."""
    main, value, behind = of
    given = {main: value * factor, f"{main}_u": max(behind.u * factor, 1e-12), **others}
    try:
        answer = calculate(name, given)
    except InvalidInputs:  # not defined there: a half-cell beyond its table, a brine beyond PSS-78
        return None
    return Derived(quantity, answer.outputs[output], _budget(answer, output, main, behind, factor), unit,
                   tuple(answer.working))  # fmt: skip


def _budget(answer: Answer, output: str, main: str, behind: Budget, factor: float) -> Budget:
    """What stands behind the value itself, and what the calculation adds."""
    found: list[Contribution] = []
    for c in answer.budgets[output].contributions:
        if c.key == main:
            found += [replace(b, sensitivity=b.sensitivity * c.sensitivity * factor) for b in behind.contributions]
        else:
            found.append(replace(c, key=_AT_A_VISIT[c.key], of="") if c.key in _AT_A_VISIT else c)
    return Budget.of(found)


_AT_A_VISIT = {"temperature_c": "conversion-temperature", "conductivity_us_cm": "salts"}
"""Inputs of calculations, by what they are at a visit."""


def _eh(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
    del water
    if at.reference in REFERENCES:
        given = {"temperature_c": float(at.temperature_c), "reference": at.reference}
        if found := _worked("eh", "mV", "orp-to-eh", "eh_mv", ("mv", value, budget), given):
            yield found


def _of_conductivity(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
    of = ("conductivity_us_cm", value, budget)
    warm = {"temperature_c": float(at.temperature_c), "temperature_c_u": at.u_temperature_c}
    compensated = None
    if water.method != "none":
        compensated = _worked(
            "specific-conductance", "µS/cm", "conductivity-at-reference", "conductivity_us_cm", of, warm | water.inputs
        )
    if compensated:
        yield compensated
    if water.salt and (
        found := _worked("salinity", "", "salinity", "salinity", ("conductivity_ms_cm", value, budget), warm, 1e-3)
    ):
        yield found
    if water.solids_factor and compensated and water.reference_c == _NEAR_25_C:
        behind = ("conductivity_us_cm", compensated.value, compensated.budget)
        factor = {"factor": water.solids_factor}
        found = _worked("dissolved-solids", "mg/L", "total-dissolved-solids", "tds_mg_l", behind, factor)
        if found:
            yield found
    if found := _worked("resistivity", "Ω·cm", "resistivity", "resistivity_ohm_cm", of, {}):
        yield found


def _of_oxygen(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
    del water
    place = {
        "temperature_c": float(at.temperature_c), "temperature_c_u": at.u_temperature_c,
        "salinity": at.salinity, "salinity_u": max(at.u_salinity, 1e-12),
    }  # fmt: skip
    here = {"pressure_hpa": float(at.pressure_hpa)}  # its error stands in the percent already
    found = _worked(
        "oxygen", "mg/L", "oxygen-concentration", "oxygen_mg_l", ("oxygen_percent", max(value, 0.0), budget),
        place | here,
    )  # fmt: skip
    if found is None:
        return
    yield found
    level = place | {"pressure_hpa": ATMOSPHERE_HPA}
    of = ("oxygen_mg_l", found.value, found.budget)
    if standard := _worked("oxygen-saturation-standard", "%", "oxygen-percent", "oxygen_percent", of, level):
        yield standard


_U_IONIC_STRENGTH = 0.1
"""Two authors' factors from conductivity to ionic strength differ by 20 %: so much of it, k = 1."""


def _of_ion(head: str, charge: float) -> Callable[[float, Budget, Conditions, Compensation], Iterator[Derived]]:
    """The concentration of an ion, where the water's conductivity is known."""

    def derived(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
        del water
        conductivity = at.conductivity_us_cm
        if conductivity is None:
            return
        u = max(float(np.hypot(at.u_conductivity, _U_IONIC_STRENGTH * conductivity)), 1e-12)
        salts = {"conductivity_us_cm": conductivity, "conductivity_us_cm_u": u, "charge": charge}
        of = ("activity_mg_l", value, budget)
        if found := _worked(head, "mg/L", "ion-concentration", "concentration_mg_l", of, salts):
            yield found

    return derived


_WAYS: Mapping[str, Callable[[float, Budget, Conditions, Compensation], Iterator[Derived]]] = {
    "orp": _eh,
    "conductivity": _of_conductivity,
    "oxygen-saturation": _of_oxygen,
    "ammonium-activity": _of_ion("ammonium-n", 1.0),
    "nitrate-activity": _of_ion("nitrate-n", -1.0),
}
