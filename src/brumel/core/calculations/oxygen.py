"""Dissolved oxygen and station pressure."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta
from types import SimpleNamespace
from typing import Any

from brumel.core.calculations._inputs import PRESSURE, UNDO_METER_SALINITY, temperature
from brumel.core.quantities.oxygen import projected_mg_l, saturation_mg_l
from brumel.core.quantities.pressure import at_altitude_hpa
from brumel.core.reckoning.definition import Caveat, Condition, Curve, Moment, Number, Output, calculation, moment_of
from brumel.core.said import Amount, Said, celsius, figures, says

_SOURCE = "Benson & Krause 1980, 1984; Standard Methods 4500-O; USGS memo 2011.03"
_T = temperature(0.0, 40.0)
_S = Number("salinity", "Practical salinity", "", 0.0, 40.0, default=0.0)
_MG_L = Number("oxygen_mg_l", "Dissolved oxygen", "mg/L", 0.0, 60.0)
_LONGEST_NIGHT_S = 18 * 3600.0
_LOCAL = "Percent is of saturation at this station pressure, not at sea level's."


def _full(v: SimpleNamespace) -> Amount:
    return Amount(float(saturation_mg_l(v.temperature_c, v.pressure_hpa, v.salinity)), "mg/L", 2)


def _saturation_words(v: SimpleNamespace) -> Said:
    salt = says("working.saturation.salt", salinity=Amount(v.salinity)) if v.salinity else None
    pressure = Amount(v.pressure_hpa, "hPa")
    return says("working.saturation", at=celsius(v.temperature_c), pressure=pressure, salt=salt, value=_full(v))


@calculation(
    name="pressure-at-altitude",
    title="Station pressure from altitude",
    formula="P = P0 (1 − 2.25577e-5 h)^5.25588",
    inputs=(
        Number("altitude_m", "Altitude", "m", -500.0, 11_000.0),
        Number(
            "sea_level_hpa",
            "Pressure reduced to sea level",
            "hPa",
            850.0,
            1100.0,
            default=1013.25,
            hint="as a weather report gives it",
        ),
    ),
    outputs=(Output("pressure_hpa", "Station pressure", "hPa", 1),),
    source="ISO 2533, standard atmosphere",
    words=lambda v: (
        says(
            "working.altitude",
            sea_level=Amount(v.sea_level_hpa, "hPa"),
            altitude=Amount(v.altitude_m),
            pressure=Amount(v.pressure_hpa, "hPa", 1),
        ),
    ),
    curve=Curve("altitude_m", "pressure_hpa", low=0.0, high=3000.0),
)
def pressure_at_altitude(altitude_m: Any, sea_level_hpa: Any) -> Any:
    return at_altitude_hpa(altitude_m, sea_level_hpa)


@calculation(
    name="oxygen-saturation",
    title="Oxygen at saturation",
    formula="C = exp(−139.34411 + 1.575701e5/T − 6.642308e7/T² + 1.243800e10/T³ − 8.621949e11/T⁴ "
    "− S (0.017674 − 10.754/T + 2140.7/T²)) · (P − u)(1 − θP) / ((1 − u)(1 − θ)), P in atm",
    inputs=(_T, PRESSURE, _S),
    outputs=(Output("oxygen_mg_l", "Oxygen at saturation", "mg/L", 2),),
    source=_SOURCE,
    words=lambda v: (_saturation_words(v),),
    curve=Curve("temperature_c", "oxygen_mg_l"),
)
def oxygen_saturation(temperature_c: Any, pressure_hpa: Any, salinity: Any) -> Any:
    return saturation_mg_l(temperature_c, pressure_hpa, salinity)


@calculation(
    name="oxygen-percent",
    title="Percent saturation from mg/L",
    formula="100 · shown / C(t, P, S)",
    inputs=(_MG_L, _T, PRESSURE, _S),
    outputs=(Output("oxygen_percent", "Percent saturation", "%", 1),),
    source=_SOURCE,
    note=_LOCAL,
    words=lambda v: (
        _saturation_words(v),
        says(
            "working.oxygen-percent",
            oxygen=figures(v.oxygen_mg_l, 4),
            full=_full(v),
            percent=Amount(v.oxygen_percent, "%", 1),
        ),
    ),
    undo=UNDO_METER_SALINITY,
    curve=Curve("temperature_c", "oxygen_percent"),
)
def oxygen_percent(oxygen_mg_l: Any, temperature_c: Any, pressure_hpa: Any, salinity: Any) -> Any:
    return 100.0 * oxygen_mg_l / saturation_mg_l(temperature_c, pressure_hpa, salinity)


@calculation(
    name="oxygen-concentration",
    title="mg/L from percent saturation",
    formula="percent / 100 · C(t, P, S)",
    inputs=(Number("oxygen_percent", "Percent saturation", "%", 0.0, 500.0), _T, PRESSURE, _S),
    outputs=(Output("oxygen_mg_l", "Dissolved oxygen", "mg/L", 2),),
    source=_SOURCE,
    note=_LOCAL,
    words=lambda v: (
        _saturation_words(v),
        says(
            "working.oxygen-mg-l",
            percent=Amount(v.oxygen_percent, "%"),
            full=_full(v),
            oxygen=Amount(v.oxygen_mg_l, "mg/L", 2),
        ),
    ),
    curve=Curve("temperature_c", "oxygen_mg_l"),
)
def oxygen_concentration(oxygen_percent: Any, temperature_c: Any, pressure_hpa: Any, salinity: Any) -> Any:
    return oxygen_percent / 100.0 * saturation_mg_l(temperature_c, pressure_hpa, salinity)


def _night_words(v: SimpleNamespace) -> Iterator[Said]:
    hours = (moment_of(v.later_at) - moment_of(v.evening_at)) / 3600.0
    fall = (v.evening_mg_l - v.later_mg_l) / hours
    limit = Amount(v.limit_mg_l, "mg/L")
    yield says(
        "working.night.fall", evening=Amount(v.evening_mg_l), later=Amount(v.later_mg_l, "mg/L"),
        hours=Amount(hours, "h", 1), fall=Amount(fall, "mg/L", 2),
    )  # fmt: skip
    yield says("working.night.dawn", dawn=Amount(v.dawn_mg_l, "mg/L", 2))
    if v.crosses_at is None:
        yield says("working.night.above", limit=limit)
    else:
        yield says("working.night.crosses", limit=limit, clock=v.crosses_at[11:16])


@calculation(
    name="night-oxygen",
    title="A pond's oxygen at dawn",
    formula="straight line through both readings, carried on to dawn",
    inputs=(
        Number("evening_mg_l", "Oxygen at dusk", "mg/L", 0.0, 60.0, scalar=True),
        Moment("evening_at", "Read at"),
        Number("later_mg_l", "Oxygen 2 to 3 hours later", "mg/L", 0.0, 60.0, scalar=True),
        Moment("later_at", "Read at"),
        Moment("dawn_at", "Dawn"),
        Number("limit_mg_l", "Limit", "mg/L", 0.0, 60.0, scalar=True),
    ),
    outputs=(Output("dawn_mg_l", "Oxygen at dawn", "mg/L", 2), Output("crosses_at", "Comes down to the limit at")),
    source="Boyd, Romaire & Johnston 1978: a straight line through the night",
    note="No time is given where the line stays above the limit until dawn. Below 0 means that none is left.",
    conditions=(
        Condition(
            "later_at",
            lambda v: moment_of(v.later_at) > moment_of(v.evening_at),
            "The second reading must be later than the first: check both times.",
        ),
        Condition(
            "dawn_at",
            lambda v: moment_of(v.dawn_at) > moment_of(v.later_at),
            "Dawn must be later than the second reading: check the date.",
        ),
        Condition(
            "dawn_at",
            lambda v: moment_of(v.dawn_at) - moment_of(v.evening_at) <= _LONGEST_NIGHT_S,
            "Dawn must be within 18 hours of the first reading, the same night: check the date.",
        ),
        Condition(
            "later_mg_l",
            lambda v: v.later_mg_l <= v.evening_mg_l,
            "Oxygen rose from {evening_mg_l:g} to {later_mg_l:g} mg/L: a line through these says nothing of the "
            "night's loss. Was it still light, or an aerator on? Read again after dark.",
        ),
    ),
    caveats=(
        Caveat(
            lambda v: not 1.0 <= (moment_of(v.later_at) - moment_of(v.evening_at)) / 3600.0 <= 6.0,
            "The method takes its second reading two to three hours after dusk: this line is drawn out further.",
            "later_at",
        ),
    ),
    words=_night_words,
)
def night_oxygen(
    evening_mg_l: Any, evening_at: str, later_mg_l: Any, later_at: str, dawn_at: str, limit_mg_l: Any
) -> Any:
    first, second, dawn = moment_of(evening_at), moment_of(later_at), moment_of(dawn_at)
    at_dawn = projected_mg_l(first, evening_mg_l, second, later_mg_l, dawn)
    crosses = None
    if float(evening_mg_l) <= float(limit_mg_l):
        crosses = evening_at
    elif float(at_dawn) <= float(limit_mg_l):
        wait = (evening_mg_l - limit_mg_l) / (evening_mg_l - later_mg_l) * (second - first)
        moment = datetime.fromisoformat(evening_at.replace("Z", "+00:00")) + timedelta(seconds=round(float(wait)))
        crosses = moment.isoformat()
    return at_dawn, crosses
