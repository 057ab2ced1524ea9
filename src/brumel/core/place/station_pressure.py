"""Station pressure as people have it: measured at the place, reduced to sea level, or from the altitude alone."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from brumel.core.findings import Finding, Level, beyond
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA
from brumel.core.quantities.pressure import UNITS_HPA, at_altitude_hpa
from brumel.core.said import Amount, Said, says

KINDS: Mapping[str, str] = {
    "station": "measured at this place",
    "sea-level": "reduced to sea level, as weather reports give it",
    "altitude": "not known: worked out from the altitude",
}
U_HPA: Mapping[str, float] = {"station": 1.0, "sea-level": 2.0, "altitude": 10.0}
"""Standard uncertainty, k = 1: a field barometer, a report some hours old, weather (common practice)."""
STATION_HPA = (400.0, 1100.0)
ALTITUDE_M = (-430.0, 6_000.0)
_COST_UNFIT_PERCENT = 2.0
_WEATHER_HPA = 45.0
"""Weather moves the pressure of a place by no more than this (common practice)."""


@dataclass(frozen=True)
class Pressure:
    """A pressure as it was typed: the number, its unit and kind, and the altitude of the place where it is known."""

    typed: float | None = None
    unit: str = "hPa"
    kind: str = "station"
    altitude_m: float | None = None

    @classmethod
    def of(cls, plain: Mapping[str, Any]) -> Pressure | None:
        """From plain data; None where there is none."""
        return cls(**plain) if plain else None

    @property
    def plain(self) -> dict[str, Any]:
        """As a record keeps it."""
        return asdict(self)

    @property
    def read_hpa(self) -> float:
        """The typed number in hPa."""
        return (self.typed or 0.0) * UNITS_HPA[self.unit]

    @property
    def hpa(self) -> float:
        """Station pressure, hPa.

        Examples
        --------
        >>> round(Pressure(1013.25, kind="sea-level", altitude_m=630.0).hpa, 1), Pressure(29.92, "inHg").hpa // 1
        (939.8, 1013.0)
        """
        if self.kind == "station":
            return self.read_hpa
        sea_level = ATMOSPHERE_HPA if self.kind == "altitude" else self.read_hpa
        return float(at_altitude_hpa(self.altitude_m or 0.0, sea_level))

    @property
    def u_hpa(self) -> float:
        """Its standard uncertainty (k = 1), hPa."""
        return U_HPA[self.kind]

    @property
    def looks_reduced(self) -> bool:
        """Whether what is said to be measured here is too high for this altitude by any weather, but not for sea level.

        Examples
        --------
        >>> Pressure(1009.0, altitude_m=630.0).looks_reduced, Pressure(941.0, altitude_m=630.0).looks_reduced
        (True, False)
        """
        if self.kind != "station" or self.altitude_m is None:
            return False
        return beyond(self.hpa - float(at_altitude_hpa(self.altitude_m)), _WEATHER_HPA)

    @property
    def cost_percent(self) -> float:
        """By how much mg/L would be off were the other kind meant, percent."""
        share = float(at_altitude_hpa(self.altitude_m or 0.0)) / ATMOSPHERE_HPA
        return 100.0 * (1.0 / share - 1.0)

    @property
    def said(self) -> Said:
        """How the station pressure came about."""
        here, altitude = Amount(self.hpa, "hPa", 1), Amount(self.altitude_m or 0.0, "m")
        if self.kind == "station":
            return says("working.pressure", here=here)
        if self.kind == "altitude":
            return says("working.pressure-altitude", here=here, altitude=altitude)
        at_sea = Amount(self.read_hpa or 0.0, "hPa", 1)
        return says("working.pressure-reduced", here=here, at_sea=at_sea, altitude=altitude)


def pressure_findings(pressure: Pressure | None, minutes: int = 5, *, sensed: bool = False) -> Iterator[Finding]:
    """That a pressure reduced to sea level was taken for the station's, where it shows.

    A probe that is read by its signal senses a partial pressure: of it mg/L follow rightly, and the percent do not.
    """
    if pressure is None or not pressure.looks_reduced:
        return
    high = pressure.cost_percent
    by = Amount(high / (1.0 + high / 100.0) if sensed else high, "%", 1)
    said = says(
        "pressure-reduced", typed=Amount(pressure.hpa, "hPa", 0), altitude=Amount(pressure.altitude_m or 0.0, "m"),
        cost=says("pressure-reduced.sensed" if sensed else "pressure-reduced.shown", by=by),
    )  # fmt: skip
    yield Finding(
        "pressure-reduced",
        Level.UNFIT if beyond(pressure.cost_percent, _COST_UNFIT_PERCENT) else Level.DOUBTFUL,
        said,
        says("pressure-reduced.then"),
        minutes,
    )


def wrong_with(given: Pressure) -> dict[str, str]:
    """Return what can't be of a pressure as typed, by field, each named as forms name it.

    Examples
    --------
    >>> wrong_with(Pressure(29.9))["pressure"]
    '29.9 hPa is no air pressure: was inHg meant (1012.5 hPa)? Choose the unit.'
    >>> wrong_with(Pressure(101.3, "kPa"))
    {}
    """
    wrong: dict[str, str] = {}
    if given.unit not in UNITS_HPA:
        wrong["pressure_unit"] = f"Choose one of: {', '.join(UNITS_HPA)}."
    if given.kind not in KINDS:
        wrong["pressure_kind"] = "Choose what kind of pressure it is."
    low, high = ALTITUDE_M
    if given.altitude_m is not None and not low <= given.altitude_m <= high:
        wrong["altitude_m"] = f"Altitude must be {low:g} to {high:g} m; {given.altitude_m:g} was typed.".replace(
            "-", "−"
        )
    elif given.altitude_m is None and given.kind in ("sea-level", "altitude"):
        wrong["altitude_m"] = "Give the altitude of the place: without it this pressure says nothing of it."
    if wrong or given.kind == "altitude":
        return wrong
    if given.typed is None:
        return {"pressure": "Give the pressure, or say that it is not known and give the altitude."}
    if asked := _asked_unit(given):
        return {"pressure": asked}
    return {}


def _asked_unit(given: Pressure) -> str:
    """Return a question where a number is more likely in another unit; else nothing."""
    value, unit = given.typed or 0.0, given.unit
    likely = float(at_altitude_hpa(given.altitude_m or 0.0)) if given.kind == "station" else ATMOSPHERE_HPA
    near = [u for u, f in UNITS_HPA.items() if u != unit and not beyond(abs(value * f - likely), _WEATHER_HPA)]
    within = STATION_HPA[0] <= given.read_hpa <= STATION_HPA[1]
    if within and not (near and beyond(abs(given.read_hpa - likely), 2.0 * _WEATHER_HPA)):
        return ""
    if not near:
        near = [u for u, f in UNITS_HPA.items() if STATION_HPA[0] <= value * f <= STATION_HPA[1] and u != unit]
    if near:
        hpa = value * UNITS_HPA[near[0]]
        usual = "a place near the sea" if given.altitude_m is None else f"{given.altitude_m:g} m"
        what = f"is far from what {usual} has" if within else "is no air pressure"
        return f"{value:g} {unit} {what}: was {near[0]} meant ({hpa:.1f} hPa)? Choose the unit."
    return f"{value:g} {unit} is no air pressure: {STATION_HPA[0]:g} to {STATION_HPA[1]:g} hPa is possible."
