"""Conductivity: standards, compensation, cell, dissolved solids."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.calculations._inputs import (
    COEFFICIENT,
    CONDUCTIVITY,
    REFERENCE,
    compensation_factor,
    positive,
    temperature,
    undo_compensation,
)
from brumel.core.numbers.curves import span
from brumel.core.quantities.conductivity import (
    KCL_STANDARDS_US_CM,
    OF_WATERS,
    kcl_curves,
    resistivity_ohm_cm,
    total_dissolved_solids_mg_l,
)
from brumel.core.quantities.salinity import SALTIEST, SEA_WATER_C, practical_salinity, sea_salt_conductivity_us_cm
from brumel.core.reckoning.definition import Choice, Condition, Curve, InvalidInputs, Number, Output, calculation
from brumel.core.said import Amount, Said, celsius, figures, says

_BY_MOLARITY = {0.001: 147.0, 0.01: 1413.0, 0.1: 12880.0, 1.0: 111800.0}
_NEAR_25 = (23.0, 27.0)


def _standard(v: SimpleNamespace) -> float:
    """Return the standard meant, by its molarity or by its value at 25 °C."""
    if (v.molarity is None) == (v.standard_us_cm is None):
        raise InvalidInputs({"molarity": "Give molarity or standard_us_cm, one of the two: which bottle is it?"})
    if v.molarity is None:
        return float(v.standard_us_cm)
    return next(s for m, s in _BY_MOLARITY.items() if np.isclose(v.molarity, m))


def _standard_range(v: SimpleNamespace) -> tuple[float, float]:
    curve = kcl_curves().get(f"{_standard(v):g}")
    return span(curve) if curve else _NEAR_25


def _within_standard(v: SimpleNamespace) -> Any:
    low, high = _standard_range(v)
    return (np.asarray(v.temperature_c) >= low) & (np.asarray(v.temperature_c) <= high)


def _kcl_words(v: SimpleNamespace) -> Iterator[Said]:
    low, high = _standard_range(v)
    yield says("working.kcl", standard=Amount(_standard(v), "µS/cm"), low=Amount(low), high=Amount(high, "°C"))
    yield says("working.kcl-at", at=celsius(v.temperature_c), value=figures(v.conductivity_us_cm, 4, "µS/cm"))


@calculation(
    name="kcl-conductivity",
    title="Value of a conductivity standard at its temperature",
    formula="monotone cubic through the printed table of the standard",
    inputs=(
        Number(
            "molarity",
            "Molarity of the potassium chloride",
            "mol/L",
            default=None,
            scalar=True,
            allowed=tuple(_BY_MOLARITY),
        ),
        temperature(0.0, 35.0),
        Number(
            "standard_us_cm", "or its value at 25 °C", "µS/cm", default=None, scalar=True, allowed=KCL_STANDARDS_US_CM
        ),
    ),
    outputs=(Output("conductivity_us_cm", "Conductivity of the standard", "µS/cm", 0),),
    source="common laboratory tables of potassium chloride, from memory",
    note="1413 is known from 0 to 35 °C, 12 880 from 0 to 30 °C; 84, 147, 80 000 and 111 800 (111 900 in some "
    "editions) at 25 ± 2 °C only, by their label. Between printed temperatures a monotone cubic.",
    conditions=(
        Condition(
            "temperature_c",
            _within_standard,
            "The value of this standard is not known at {temperature_c:g} °C: the 1413 reaches from 0 to "
            "35 °C, the 12 880 from 0 to 30 °C, the others 25 ± 2 °C only.",
        ),
    ),
    words=_kcl_words,
    curve=Curve("temperature_c", "conductivity_us_cm"),
)
def kcl_conductivity(molarity: Any, temperature_c: Any, standard_us_cm: Any) -> Any:
    value = _standard(SimpleNamespace(molarity=molarity, standard_us_cm=standard_us_cm))
    curve = kcl_curves().get(f"{value:g}")
    return curve(temperature_c) if curve else np.full(np.shape(temperature_c), value)


_METHOD = Choice("method", "Compensation", OF_WATERS)
_ON_NATURAL = Condition(
    "temperature_c",
    lambda v: (
        (v.method != "natural-water") | ((np.asarray(v.temperature_c) >= 0) & (np.asarray(v.temperature_c) <= 35))
    ),
    "The factor for natural waters holds from 0 to 35 °C; {temperature_c:g} °C lies outside.",
)
_ON_SEA = Condition(
    "temperature_c",
    lambda v: (
        (v.method != "sea-salt")
        | ((np.asarray(v.temperature_c) >= SEA_WATER_C[0]) & (np.asarray(v.temperature_c) <= SEA_WATER_C[1]))
    ),
    "PSS-78 holds from −2 to 35 °C; {temperature_c:g} °C lies outside.",
)


def _no_saltier(at: str) -> Condition:
    """PSS-78 ends at salinity 42; the conductivity is that at ``at``."""
    return Condition(
        "conductivity_us_cm",
        lambda v: (
            v.method != "sea-salt"
            or practical_salinity(np.asarray(v.conductivity_us_cm) / 1000.0, getattr(v, at)) <= SALTIEST
        ),
        "PSS-78 holds up to salinity 42; {conductivity_us_cm:g} µS/cm is saltier: dilute, or check the unit.",
    )


_ON_LINEAR = Condition(
    "coefficient_percent_per_c",
    lambda v: v.method == "sea-salt" or positive(_factor_of(v)),
    "A linear compensation with this coefficient has no sense at {temperature_c:g} °C: it would divide by nought.",
)


def _factor_of(v: SimpleNamespace) -> Any:
    return compensation_factor(
        v.method, v.temperature_c, v.coefficient_percent_per_c, v.reference_c, "coefficient_percent_per_c"
    )


def _how(v: SimpleNamespace) -> Said:
    begin, to = celsius(v.temperature_c), Amount(v.reference_c, "°C")
    if v.method == "sea-salt":
        return says("working.sea-salt", begin=begin, to=to)
    how = says("working.factor.natural")
    if v.method == "linear":
        how = says("working.factor.linear", percent=Amount(v.coefficient_percent_per_c, "%/°C"))
    return says("working.factor", begin=begin, to=to, how=how, factor=Amount(float(_factor_of(v)), "", 4))


_COMPENSATION = (CONDUCTIVITY, temperature(-5.0, 105.0), _METHOD, COEFFICIENT, REFERENCE)
_SOURCE = (
    "linear: common practice; natural waters: ISO 7888:1985 / EN 27888:1993, 0–35 °C, from memory; sea salt: PSS-78, "
    "UNESCO 1983"
)
_BY_METHOD = Curve(
    "temperature_c", "conductivity_us_cm", by="method", low=0.0, high=35.0, fill={"coefficient_percent_per_c": 2.0}
)
_NEVER = "Never put the factor for natural waters on potassium chloride standards (+3 % at 10 °C) or sea water."


@calculation(
    name="conductivity-at-reference",
    title="Specific conductance at 25 or 20 °C",
    formula="linear: κ / (1 + α (t − t_ref)); natural waters: κ · f25(t), to 20 °C κ · f25(t) / f25(20); sea salt: "
    "the conductivity at t_ref of its practical salinity",
    inputs=_COMPENSATION,
    outputs=(Output("conductivity_us_cm", "Specific conductance", "µS/cm", 1),),
    source=_SOURCE,
    note=_NEVER,
    conditions=(_ON_NATURAL, _ON_SEA, _no_saltier("temperature_c"), _ON_LINEAR),
    words=lambda v: (
        _how(v),
        says("working.specific", to=Amount(v.reference_c, "°C"), value=figures(v.conductivity_us_cm, 5, "µS/cm")),
    ),
    undo=undo_compensation("conductivity_us_cm"),
    curve=_BY_METHOD,
)
def conductivity_at_reference(
    conductivity_us_cm: Any, temperature_c: Any, method: str, coefficient_percent_per_c: Any, reference_c: Any
) -> Any:
    if method == "sea-salt":
        return sea_salt_conductivity_us_cm(conductivity_us_cm, temperature_c, reference_c)
    return conductivity_us_cm * compensation_factor(
        method, temperature_c, coefficient_percent_per_c, reference_c, "coefficient_percent_per_c"
    )


@calculation(
    name="conductivity-at-temperature",
    title="Raw conductivity: undo a meter's compensation",
    formula="linear: κ_ref · (1 + α (t − t_ref)); natural waters: κ25 / f25(t), from 20 °C κ20 · f25(20) / f25(t); sea "
    "salt: the conductivity at t of its practical salinity",
    inputs=_COMPENSATION,
    outputs=(Output("conductivity_us_cm", "Conductivity at the water's temperature", "µS/cm", 1),),
    source=_SOURCE,
    note=_NEVER,
    conditions=(_ON_NATURAL, _ON_SEA, _no_saltier("reference_c"), _ON_LINEAR),
    words=lambda v: (
        _how(v),
        says("working.raw", at=celsius(v.temperature_c), value=figures(v.conductivity_us_cm, 5, "µS/cm")),
    ),
    curve=_BY_METHOD,
)
def conductivity_at_temperature(
    conductivity_us_cm: Any, temperature_c: Any, method: str, coefficient_percent_per_c: Any, reference_c: Any
) -> Any:
    if method == "sea-salt":
        return sea_salt_conductivity_us_cm(conductivity_us_cm, reference_c, temperature_c)
    return conductivity_us_cm / compensation_factor(
        method, temperature_c, coefficient_percent_per_c, reference_c, "coefficient_percent_per_c"
    )


@calculation(
    name="cell-constant",
    title="Cell constant from a standard",
    formula="K = K_nominal · standard / reading",
    inputs=(
        Number("standard_us_cm", "Standard at its temperature", "µS/cm", 0.0, 1e6, above=True),
        Number("reading_us_cm", "Reading", "µS/cm", 0.0, 1e6, above=True),
        Number("nominal_per_cm", "Nominal cell constant", "1/cm", 0.0, 100.0, above=True),
    ),
    outputs=(Output("cell_constant_per_cm", "Cell constant", "1/cm", 4), Output("factor", "Correction factor", "", 4)),
    source="definition of the cell constant",
    words=lambda v: (
        says(
            "working.cell.factor",
            standard=Amount(v.standard_us_cm),
            reading=Amount(v.reading_us_cm),
            factor=Amount(v.factor, "", 4),
        ),
        says(
            "working.cell",
            factor=Amount(v.factor, "", 4),
            nominal=Amount(v.nominal_per_cm, "/cm"),
            constant=Amount(v.cell_constant_per_cm, "/cm", 4),
        ),
    ),
)
def cell_constant(standard_us_cm: Any, reading_us_cm: Any, nominal_per_cm: Any) -> Any:
    factor = standard_us_cm / reading_us_cm
    return nominal_per_cm * factor, factor


@calculation(
    name="total-dissolved-solids",
    title="Total dissolved solids by a factor",
    formula="TDS = factor · κ25",
    inputs=(
        Number("conductivity_us_cm", "Specific conductance at 25 °C", "µS/cm", 0.0, 1e6),
        Number("factor", "Factor", "", 0.45, 1.0, hint="0.5 as NaCl, 0.7 for many natural waters"),
    ),
    outputs=(Output("tds_mg_l", "Total dissolved solids", "mg/L", 0),),
    source="common practice; the factor depends on the salts",
    words=lambda v: (
        says(
            "working.tds",
            conductivity=Amount(v.conductivity_us_cm, "µS/cm"),
            factor=Amount(v.factor),
            tds=figures(v.tds_mg_l, 4, "mg/L"),
        ),
    ),
    curve=Curve("conductivity_us_cm", "tds_mg_l", low=0.0, high=5000.0),
)
def total_dissolved_solids(conductivity_us_cm: Any, factor: Any) -> Any:
    return total_dissolved_solids_mg_l(conductivity_us_cm, factor)


@calculation(
    name="resistivity",
    title="Resistivity",
    formula="ρ = 1 / κ",
    inputs=(Number("conductivity_us_cm", "Conductivity", "µS/cm", 0.0, 1e6, above=True),),
    outputs=(Output("resistivity_ohm_cm", "Resistivity", "Ω·cm", 1),),
    source="definition: the reciprocal of conductivity",
    words=lambda v: (
        says(
            "working.resistivity",
            conductivity=Amount(v.conductivity_us_cm, "µS/cm"),
            resistivity=figures(v.resistivity_ohm_cm, 5, "Ω·cm"),
        ),
    ),
)
def resistivity(conductivity_us_cm: Any) -> Any:
    return resistivity_ohm_cm(conductivity_us_cm)
