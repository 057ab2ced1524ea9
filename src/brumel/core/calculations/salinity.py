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
from brumel.core.wording import signed

_SOURCE = "PSS-78, UNESCO 1983; below 2 Hill, Dauphinee & Woods 1986; temperatures ITS-90"
_DEPTH = Number("pressure_dbar", "Water pressure", "dbar", 0.0, 10_000.0, default=0.0, hint="0 at the surface")
_PROPORTIONS = "Holds for sea-salt proportions; inland pond salts differ by 5–15 %. “ppt” is an approximation of it."


def _salinity_words(v: SimpleNamespace) -> Iterator[str]:
    ratio = v.conductivity_ms_cm / STANDARD_MS_CM
    yield f"Conductivity ratio: {v.conductivity_ms_cm:.5g} / {STANDARD_MS_CM} = {ratio:.5f}"
    yield f"PSS-78 at {signed(v.temperature_c)} °C: practical salinity {v.salinity:.3f}"
    if v.salinity < 2:
        yield "Below 2, with the extension of Hill et al. 1986"


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
        f"PSS-78 gives salinity {v.salinity:g} at {signed(v.temperature_c)} °C where conductivity is "
        f"{v.conductivity_ms_cm:.3f} mS/cm",
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
        f"Density at salinity {v.salinity:g} and {signed(v.temperature_c)} °C: {v.density_kg_m3:.2f} kg/m³",
        f"Against pure water as warm ({v.temperature_c:g}/{v.temperature_c:g}): {v.specific_gravity:.4f}; "
        f"against water at 4 °C ({v.temperature_c:g}/4): {v.specific_gravity_at_4_c:.4f}",
    ),
    curve=Curve("salinity", "specific_gravity"),
)
def seawater_density(salinity: Any, temperature_c: Any) -> Any:
    density = sea_water_density_kg_m3(salinity, temperature_c)
    pure = sea_water_density_kg_m3(np.zeros(np.shape(temperature_c)), temperature_c)
    return density, density / pure, density / WATER_AT_4_C_KG_M3


def _row_words(v: SimpleNamespace) -> Iterator[str]:
    yield f"Practical salinity of {v.conductivity_us_cm:g} µS/cm at {signed(v.temperature_c)} °C: {v.salinity:.3f}"
    yield (
        f"At 25 °C: {v.linear_us_cm:.5g} µS/cm with {v.coefficient_percent_per_c:g} %/°C, "
        f"{v.natural_us_cm:.5g} µS/cm as natural water"
    )
    yield f"{v.oxygen_percent:g} % at that salinity and {v.pressure_hpa:g} hPa: {v.oxygen_mg_l:.2f} mg/L"


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
