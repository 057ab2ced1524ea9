"""Ion-selective electrodes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from types import SimpleNamespace
from typing import Any

from brumel.core.calculations._inputs import temperature
from brumel.core.errors import NotEnoughPoints
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ions import (
    IONIC_STRENGTH_PER_US_CM,
    activity_coefficient,
)
from brumel.core.quantities.ph import MILLIVOLT_RANGE, TEMPERATURE_RANGE_C, nernst_slope_mv
from brumel.core.reckoning.definition import Curve, Number, Output, Points, calculation
from brumel.core.said import Amount, Said, celsius, figures, says
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.ion_tip.ions import any_ion
from brumel.core.sensing.ion_tip.terms import IonTip
from brumel.core.sensing.response import Origin

_CHARGE = Number("charge", "Charge of the ion", "", allowed=(-3.0, -2.0, -1.0, 1.0, 2.0, 3.0), hint="NH4 +1, NO3 −1")


def _fit(points: list[dict[str, float]], charge: Any) -> tuple[float, float, float]:
    """Slope, mV per decade; slope, % of Nernst; mean temperature, °C."""
    line = fit(
        IonTip(any_ion(int(charge))),
        [Point(p["activity"], p["mv"], Conditions(p["temperature_c"]), 0.0, 0.0) for p in points],
    )
    if line.origin("slope") is not Origin.FITTED:
        raise NotEnoughPoints("An ion electrode's slope needs two activities, best a decade apart; take another point.")
    mean = line.temperature_c or 0.0
    return line["slope"] / 100.0 * float(nernst_slope_mv(mean, int(charge))), line["slope"], mean


def _fit_words(v: SimpleNamespace) -> Iterator[Said]:
    *_, mean = _fit(v.points, v.charge)
    slope = Amount(v.slope_mv_per_decade, "mV", 1)
    yield says("working.ion-fit", points=Amount(len(v.points)), mean=celsius(mean), slope=slope)
    yield says("working.of-nernst", percent=Amount(v.slope_percent, "%", 1))
    gap = abs(v.slope_mv_per_decade)
    scaled = gap * 298.15 / (mean + 273.15)
    if not 50 <= scaled <= 65:
        yield says("working.ion-scaled", scaled=Amount(scaled, "mV", 1))


@calculation(
    name="ion-electrode-fit",
    title="Slope of an ion-selective tip",
    formula="E = E0 + (slope / 100) · k(T)/z · log10 a, least squares over the points",
    inputs=(
        Points(
            "points",
            "Calibration points",
            (
                Number("activity", "Activity", "", 0.0, above=True),
                Number("mv", "Potential", "mV", *MILLIVOLT_RANGE),
                temperature(*TEMPERATURE_RANGE_C),
            ),
        ),
        replace(_CHARGE, scalar=True),
    ),
    outputs=(
        Output("slope_mv_per_decade", "Slope", "mV per decade", 1),
        Output(
            "slope_percent",
            "Slope",
            "% of Nernst",
            1,
            plausible=(60.0, 120.0),
            question="A tip has a slope of 84 to 110 %: points swapped, the sign of the charge, or a dead tip?",
        ),
    ),
    source="Nernst equation; ordinary least squares on the decades of activity",
    note="Activities in any unit, the same in all points; what is read later is concentration, not activity.",
    words=_fit_words,
)
def ion_electrode_fit(points: list[dict[str, float]], charge: Any) -> Any:
    per_decade, percent, _ = _fit(points, charge)
    return per_decade, percent


@calculation(
    name="activity-coefficient",
    title="Activity coefficient of an ion",
    formula="log10 γ = −0.509 z² (√I / (1 + √I) − 0.3 I); I = 1.6e-5 κ25",
    inputs=(Number("conductivity_us_cm", "Specific conductance at 25 °C", "µS/cm", 0.0, 31_250.0), _CHARGE),
    outputs=(Output("activity_coefficient", "Activity coefficient", "", 3),),
    source="Davies 1962; ionic strength from conductivity after Russell 1976 (Griffin & Jurinak 1973 give 1.3e-5 "
    "for soil extracts)",
    words=lambda v: (
        says(
            "working.ionic-strength",
            conductivity=Amount(v.conductivity_us_cm),
            strength=Amount(IONIC_STRENGTH_PER_US_CM * v.conductivity_us_cm, "mol/L", 4),
        ),
        says("working.davies", gamma=Amount(v.activity_coefficient, "", 3)),
    ),
    curve=Curve("conductivity_us_cm", "activity_coefficient", low=0.0, high=3000.0),
)
def activity_of_conductivity(conductivity_us_cm: Any, charge: Any) -> Any:
    return activity_coefficient(conductivity_us_cm, charge)


def _concentration_words(v: SimpleNamespace) -> Iterator[Said]:
    gamma = Amount(float(activity_coefficient(v.conductivity_us_cm, v.charge)), "", 3)
    yield says("working.gamma", conductivity=Amount(v.conductivity_us_cm, "µS/cm"), gamma=gamma)
    yield says(
        "working.ion-concentration", activity=figures(v.activity_mg_l, 4), gamma=gamma,
        concentration=figures(v.concentration_mg_l, 4, "mg/L"),
    )  # fmt: skip


@calculation(
    name="ion-concentration",
    title="Concentration of an ion from its activity",
    formula="c = a / γ; log10 γ = −0.509 z² (√I / (1 + √I) − 0.3 I); I = 1.6e-5 κ25",
    inputs=(
        Number("activity_mg_l", "Activity, as N or as the ion", "mg/L", 0.0, 100_000.0),
        Number("conductivity_us_cm", "Specific conductance at 25 °C", "µS/cm", 0.0, 31_250.0),
        _CHARGE,
    ),
    outputs=(Output("concentration_mg_l", "Concentration, as the activity was", "mg/L", 3),),
    source="Davies 1962; ionic strength from conductivity after Russell 1976",
    note="A tip is calibrated in activity; what is reported is concentration. Name it as N, or as the ion.",
    words=_concentration_words,
)
def ion_concentration(activity_mg_l: Any, conductivity_us_cm: Any, charge: Any) -> Any:
    return activity_mg_l / activity_coefficient(conductivity_us_cm, charge)
