"""Salinity and density of sea water."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.calculations._inputs import COEFFICIENT, PRESSURE, temperature, undo_compensation
from brumel.core.quantities.density import WATER_AT_4_C_KG_M3, sea_water_density_kg_m3
from brumel.core.quantities.salinity import (
    SALTIEST,
    SEA_WATER_C,
    STANDARD_MS_CM,
    conductivity_from_salinity,
    practical_salinity,
)
from brumel.core.reckoning.corrected import corrected_rows
from brumel.core.reckoning.definition import Condition, Curve, Number, Output, calculation
from brumel.core.said import Amount, Said, celsius, figures, says

_SOURCE = "PSS-78, UNESCO 1983; below 2 Hill, Dauphinee & Woods 1986; temperatures ITS-90"
_DEPTH = Number("pressure_dbar", "Water pressure", "dbar", 0.0, 10_000.0, default=0.0, hint="0 at the surface")
_PROPORTIONS = "Holds for sea-salt proportions; inland pond salts differ by 5–15 %. “ppt” is an approximation of it."


def _salinity_words(v: SimpleNamespace) -> Iterator[Said]:
    ratio = v.conductivity_ms_cm / STANDARD_MS_CM
    yield says(
        "working.ratio", conductivity=figures(v.conductivity_ms_cm, 5), standard=Amount(STANDARD_MS_CM),
        ratio=Amount(ratio, "", 5),
    )  # fmt: skip
    yield says("working.pss", at=celsius(v.temperature_c), salinity=Amount(float(v.salinity), "", 3))
    if v.salinity < 2:
        yield says("working.pss-low")


@calculation(
    name="salinity",
    title="Practical salinity from conductivity",
    formula="R = C / 42.914; Rt = R / (Rp · rt); S = Σ aᵢ Rt^(i/2) + (t − 15) / (1 + 0.0162 (t − 15)) · Σ bᵢ Rt^(i/2)",
    inputs=(
        Number("conductivity_ms_cm", "Conductivity at the sample's temperature", "mS/cm", 0.0, 100.0),
        temperature(*SEA_WATER_C),
        _DEPTH,
    ),
    outputs=(Output("salinity", "Practical salinity", "", 3),),
    source=_SOURCE,
    note=_PROPORTIONS,
    conditions=(
        Condition(
            "conductivity_ms_cm",
            lambda v: np.asarray(v.out.salinity) <= SALTIEST,
            "PSS-78 holds up to salinity 42; {conductivity_ms_cm:g} mS/cm at "
            "{temperature_c:g} °C is saltier: dilute, or check the unit (mS/cm).",
        ),
    ),
    words=_salinity_words,
    undo=undo_compensation("conductivity_ms_cm"),
    curve=Curve("conductivity_ms_cm", "salinity", low=0.0, high=65.0),
)
def salinity(conductivity_ms_cm: Any, temperature_c: Any, pressure_dbar: Any) -> Any:
    found = practical_salinity(conductivity_ms_cm, temperature_c, pressure_dbar)
    # What this tool prints for salinity 42, to three decimals, must lead back to 42.
    return np.where((found > SALTIEST) & (found <= SALTIEST + 0.0006), SALTIEST, found)


@calculation(
    name="conductivity-from-salinity",
    title="Conductivity of sea water of a salinity",
    formula="Newton’s method on Rt where S(Rt, t) is the salinity, then C = 42.914 · Rt · rt · Rp",
    inputs=(Number("salinity", "Practical salinity", "", 0.0, SALTIEST), temperature(*SEA_WATER_C), _DEPTH),
    outputs=(Output("conductivity_ms_cm", "Conductivity at the sample's temperature", "mS/cm", 3),),
    source=_SOURCE + ", inverted",
    note=_PROPORTIONS,
    words=lambda v: (
        says(
            "working.pss-back",
            salinity=Amount(v.salinity),
            at=celsius(v.temperature_c),
            conductivity=Amount(float(v.conductivity_ms_cm), "mS/cm", 3),
        ),
    ),
    curve=Curve("temperature_c", "conductivity_ms_cm"),
)
def conductivity_of_salinity(salinity: Any, temperature_c: Any, pressure_dbar: Any) -> Any:
    return conductivity_from_salinity(salinity, temperature_c, pressure_dbar)


@calculation(
    name="seawater-density",
    title="Density and specific gravity of sea water",
    formula="ρ = ρw(t) + A(t) S + B(t) S^1.5 + 0.00048314 S²",
    inputs=(Number("salinity", "Practical salinity", "", 0.0, 42.0), temperature(-2.0, 40.0)),
    outputs=(
        Output("density_kg_m3", "Density", "kg/m³", 2),
        Output("specific_gravity", "Specific gravity, both at the water's temperature", "", 4),
        Output("specific_gravity_at_4_c", "Specific gravity, water at 4 °C", "", 4),
    ),
    source="EOS-80, UNESCO 1983, at the surface; TEOS-10 differs by up to 0.0083 kg/m³",
    words=lambda v: (
        says(
            "working.density",
            salinity=Amount(v.salinity),
            at=celsius(v.temperature_c),
            density=Amount(float(v.density_kg_m3), "kg/m³", 2),
        ),
        says(
            "working.gravity",
            t=Amount(v.temperature_c),
            as_warm=Amount(float(v.specific_gravity), "", 4),
            at_4=Amount(float(v.specific_gravity_at_4_c), "", 4),
        ),
    ),
    curve=Curve("salinity", "specific_gravity"),
)
def seawater_density(salinity: Any, temperature_c: Any) -> Any:
    density = sea_water_density_kg_m3(salinity, temperature_c)
    pure = sea_water_density_kg_m3(np.zeros(np.shape(temperature_c)), temperature_c)
    return density, density / pure, density / WATER_AT_4_C_KG_M3


def _row_words(v: SimpleNamespace) -> Iterator[Said]:
    yield says(
        "working.row.salinity", conductivity=Amount(v.conductivity_us_cm, "µS/cm"), at=celsius(v.temperature_c),
        salinity=Amount(float(v.salinity), "", 3),
    )  # fmt: skip
    yield says(
        "working.row.conductance", linear=figures(v.linear_us_cm, 5, "µS/cm"),
        percent=Amount(v.coefficient_percent_per_c, "%/°C"), natural=figures(v.natural_us_cm, 5, "µS/cm"),
    )  # fmt: skip
    yield says(
        "working.row.oxygen", percent=Amount(v.oxygen_percent, "%"), pressure=Amount(v.pressure_hpa, "hPa"),
        oxygen=Amount(float(v.oxygen_mg_l), "mg/L", 2),
    )  # fmt: skip


@calculation(
    name="corrected-readings",
    title="A multiparameter probe's readings, all corrected",
    formula="salinity, conductivity-at-reference by both compensations, oxygen-concentration at that salinity",
    inputs=(
        temperature(0.0, 35.0),
        Number("conductivity_us_cm", "Conductivity", "µS/cm", 0.0, 100_000.0),
        Number("oxygen_percent", "Percent saturation", "%", 0.0, 500.0),
        PRESSURE,
        replace(COEFFICIENT, default=2.0, scalar=True, hint="of the linear compensation"),
    ),
    outputs=(
        Output("salinity", "Practical salinity", "", 3),
        Output("linear_us_cm", "Specific conductance, linear", "µS/cm", 1),
        Output("natural_us_cm", "Specific conductance, natural waters", "µS/cm", 1),
        Output("oxygen_mg_l", "Dissolved oxygen", "mg/L", 2),
    ),
    source="as salinity, conductivity-at-reference and oxygen-concentration",
    note="For files of readings. The compensation for natural waters does not hold for sea water.",
    conditions=(
        Condition(
            "conductivity_us_cm",
            lambda v: np.asarray(v.out.salinity) <= 40.0,
            "These relations hold up to salinity 40; {conductivity_us_cm:g} µS/cm at {temperature_c:g} °C is saltier.",
        ),
    ),
    words=_row_words,
)
def corrected_readings(
    temperature_c: Any, conductivity_us_cm: Any, oxygen_percent: Any, pressure_hpa: Any, coefficient_percent_per_c: Any
) -> Any:
    rows = (temperature_c, conductivity_us_cm, oxygen_percent, pressure_hpa)
    shape = np.broadcast_shapes(*map(np.shape, rows))
    t, raw, percent, pressure = (np.ravel(np.broadcast_to(r, shape)) for r in rows)
    found = corrected_rows(t, raw, percent, pressure, coefficient_percent_per_c)
    return tuple(a.reshape(shape) for a in (found.salinity, found.linear_us_cm, found.natural_us_cm, found.oxygen_mg_l))
