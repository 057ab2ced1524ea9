"""Inputs that many calculations share, each said once."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.quantities.conductivity import COMPENSATIONS, linear_factor, natural_water_factor
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l
from brumel.core.quantities.pressure import at_altitude_hpa
from brumel.core.reckoning.definition import Choice, Instead, InvalidInputs, Number, Undo
from brumel.core.said import Amount, Said, celsius, figures, says

COEFFICIENT = Number(
    "coefficient_percent_per_c",
    "Temperature coefficient",
    "%/°C",
    0.0,
    10.0,
    default=None,
    hint="linear only; 1.9 to 2.1 is usual",
    usual=(0.5, 5.0),
    question="A coefficient is given in percent per °C and is usually 1.9 to 2.1: was 0.02 meant as 2 %/°C?",
)
REFERENCE = Number("reference_c", "Reference temperature", "°C", default=25.0, allowed=(20.0, 25.0))
CONDUCTIVITY = Number(
    "conductivity_us_cm",
    "Conductivity",
    "µS/cm",
    0.0,
    1e6,
    usual=(0.5, 300_000.0),
    question="Water is seldom purer than 0.5 or saltier than 300 000 µS/cm: was mS/cm meant, or the other way round?",
)
SALINITY = Number("salinity", "Practical salinity", "", 0.0, 42.0, default=0.0)
ALTITUDE = Number("altitude_m", "Altitude", "m", -500.0, 6_000.0)
PRESSURE = Number(
    "pressure_hpa",
    "Station pressure",
    "hPa",
    400.0,
    1100.0,
    default=ATMOSPHERE_HPA,
    hint="at the site, not reduced to sea level",
    usual=(800.0, 1090.0),
    question="Below 800 hPa lies a place above 1 900 m: was mmHg meant (760 mmHg is 1013.25 hPa)?",
    assumed="as at sea level: 13 % too much at 1 200 m",
    instead=Instead(
        ALTITUDE,
        at_altitude_hpa,
        "Station pressure from {given:g} m of altitude in the standard atmosphere: {value:.1f} hPa; weather moves it "
        "by about 3 %.",
        "Station pressure from this row's altitude in the standard atmosphere; weather moves it by about 3 %.",
    ),
)
PH = Number("ph", "pH", "", 0.0, 14.0)
CYANURIC_ACID = Number("cyanuric_acid_mg_l", "Cyanuric acid", "mg/L", 0.0, 300.0, default=0.0)


def temperature(low: float, high: float, name: str = "temperature_c", label: str = "Temperature") -> Number:
    """Return temperature of the water within a relation's range, °C."""
    return Number(
        name,
        label,
        "°C",
        low,
        high,
        usual=(-2.0, 45.0),
        question="Water is seldom colder than −2 or warmer than 45 °C: was °F meant?",
    )


def compensation_factor(method: str, temperature_c: Any, coefficient: Any, reference_c: Any, field: str) -> Any:
    """Return what a compensation multiplies conductivity by; ``field`` is blamed where the coefficient is missing."""
    if method == "natural-water":
        return natural_water_factor(temperature_c, reference_c)
    if coefficient is None:
        raise InvalidInputs({field: f"{field} is missing: a linear compensation always names it, from 0 to 10 %/°C."})
    return linear_factor(temperature_c, coefficient, reference_c)


def undo_compensation(name: str) -> Undo:
    """Return a meter's own temperature compensation of conductivity, taken back."""

    def raw(v: SimpleNamespace) -> Any:
        if v.meter_method == "none":
            return None
        return getattr(v, name) / compensation_factor(
            v.meter_method,
            v.temperature_c,
            v.meter_coefficient_percent_per_c,
            v.meter_reference_c,
            "meter_coefficient_percent_per_c",
        )

    def words(v: SimpleNamespace, shown: float, found: float) -> Said:
        how = says("working.undone.natural")
        if v.meter_method == "linear":
            how = says("working.undone.linear", percent=Amount(v.meter_coefficient_percent_per_c, "%/°C"))
        return says(
            "working.undone", to=Amount(v.meter_reference_c, "°C"), how=how, shown=Amount(shown),
            found=figures(found, 5), at=celsius(v.temperature_c),
        )  # fmt: skip

    extra = (
        Choice(
            "meter_method", "Its compensation", {"none": "nothing: raw conductivity"} | COMPENSATIONS, default="none"
        ),
        Number("meter_coefficient_percent_per_c", "The meter's coefficient", "%/°C", 0.0, 10.0, default=None),
        Number("meter_reference_c", "The meter's reference", "°C", default=25.0, allowed=(20.0, 25.0)),
    )
    return Undo(name, extra, raw, words)


def _true_oxygen(v: SimpleNamespace) -> Any:
    if v.meter_salinity is None:
        return None
    there, here = (saturation_mg_l(v.temperature_c, ATMOSPHERE_HPA, s) for s in (v.meter_salinity, v.salinity))
    return v.oxygen_mg_l * here / there


UNDO_METER_SALINITY = Undo(
    "oxygen_mg_l",
    (
        Number(
            "meter_salinity",
            "Salinity the meter was set to",
            "",
            0.0,
            40.0,
            default=None,
            hint="empty: set to this water's salinity",
        ),
    ),
    _true_oxygen,
    lambda v, shown, found: says(
        "working.meter-salinity",
        set=Amount(v.meter_salinity),
        here=Amount(v.salinity),
        shown=Amount(shown, "mg/L"),
        found=Amount(found, "mg/L", 2),
    ),
)


def positive(values: Any) -> Any:
    """Say whether values are above nought."""
    return np.asarray(values) > 0
