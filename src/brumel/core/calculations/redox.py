"""Oxidation-reduction potential."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.calculations._inputs import temperature
from brumel.core.numbers.curves import span
from brumel.core.quantities.ph import MILLIVOLT_RANGE
from brumel.core.quantities.redox import REFERENCES, U_HALF_CELL_MV, half_cell, zobell_eh_mv
from brumel.core.reckoning.definition import LEFT_OUT, Choice, Condition, Curve, Number, Output, calculation
from brumel.core.said import Amount, Said, celsius, says

_U = (("half-cell potential", float(U_HALF_CELL_MV)),)


def _within_half_cell(v: SimpleNamespace) -> Any:
    if v.reference is None:
        return np.True_
    low, high = span(half_cell(v.reference))
    return (np.asarray(v.temperature_c) >= low) & (np.asarray(v.temperature_c) <= high)


_RANGE = Condition(
    "temperature_c",
    _within_half_cell,
    "The potential of {reference} is not tabled at {temperature_c:g} °C (0 or 10 to 40 °C).",
)


def _eh_words(v: SimpleNamespace) -> Iterator[Said]:
    cell = Amount(float(half_cell(v.reference)(v.temperature_c)), "mV", 0)
    yield says("working.half-cell", electrode=REFERENCES[v.reference], at=celsius(v.temperature_c), cell=cell)
    yield says("working.eh", mv=Amount(v.mv, "mV", 1), cell=cell, eh=Amount(float(v.eh_mv), "mV", 0))


@calculation(
    name="orp-to-eh",
    title="Eh from ORP",
    formula="Eh = E + E_ref(t)",
    inputs=(
        Number("mv", "ORP as shown", "mV", *MILLIVOLT_RANGE),
        temperature(0.0, 40.0),
        Choice("reference", "Reference electrode", REFERENCES),
    ),
    outputs=(Output("eh_mv", "Eh, against hydrogen", "mV", 0),),
    source="USGS National Field Manual A6.5, half-cell potentials, from memory; below 10 °C and 4 mol/L computed",
    note="The potential of a half-cell carries ±3 mV. Pool limits are ORP as shown against Ag/AgCl, never Eh.",
    conditions=(_RANGE,),
    inherent={"eh_mv": _U},
    words=_eh_words,
    curve=Curve("temperature_c", "eh_mv"),
)
def orp_to_eh(mv: Any, temperature_c: Any, reference: str) -> Any:
    return mv + half_cell(reference)(temperature_c)


def _zobell_words(v: SimpleNamespace) -> Iterator[Said]:
    yield says("working.zobell", at=celsius(v.temperature_c), eh=Amount(float(v.eh_mv), "mV", 1))
    if v.reference is not None:
        shown = Amount(float(v.shown_mv), "mV", 0)
        yield says("working.zobell-shown", electrode=REFERENCES[v.reference], shown=shown)


@calculation(
    name="zobell-eh",
    title="ZoBell's solution: what ORP must show",
    formula="Eh = 430.28 − 2.468 (t − 25)",
    inputs=(temperature(8.0, 85.0), Choice("reference", "Reference electrode", REFERENCES, default=None)),
    outputs=(Output("eh_mv", "Eh of the solution", "mV", 1), Output("shown_mv", "Shown on that electrode", "mV", 0)),
    source="Nordstrom 1977, 8–85 °C, from memory",
    conditions=(_RANGE,),
    inherent={"shown_mv": _U},
    words=_zobell_words,
    curve=Curve("temperature_c", "eh_mv"),
)
def zobell(temperature_c: Any, reference: str | None) -> Any:
    eh = zobell_eh_mv(temperature_c)
    return eh, LEFT_OUT if reference is None else eh - half_cell(reference)(temperature_c)
