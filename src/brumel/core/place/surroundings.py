"""What is known of the place where a probe is calibrated or read: pressure, salinity, how warm the waters are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.findings import beyond
from brumel.core.numbers.arrays import Number
from brumel.core.place.conditions import Conditions
from brumel.core.place.station_pressure import Pressure, wrong_with
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA
from brumel.core.said import Amount, Said, says

REMEMBERED = timedelta(hours=14)
"""So long a pressure that was given is offered again (rule of this product)."""
SALINITY = (0.0, 42.0)
U_TYPED_SALINITY = 0.5
"""Standard uncertainty of a salinity that is typed, k = 1 (rule of this product)."""
CONDUCTIVITY_US_CM = (0.0, 200_000.0)
TYPED_CONDUCTIVITY_SHARE = 0.02
"""Standard uncertainty of a conductivity that is typed, as a share of it, k = 1 (rule of this product)."""
SALTS = ("salinity", "conductivity")
"""What is known of the salts of a water: a field each, with ``u_…``, ``…_from`` and ``…_by``."""
_BY = tuple(f"{name}_by" for name in ("pressure", *SALTS))
_APART_C = 10.0
"""Farther apart, what corrects a probe for temperature is not good enough (common practice)."""
WATER_C = (-2.0, 45.0)


@dataclass(frozen=True)
class Surroundings:
    """Pressure as it was typed, the water's salinity with where it comes from, and how warm the waters planned are."""

    pressure: Pressure | None = None
    salinity: float | None = None
    u_salinity: float = 0.0
    salinity_from: str = ""
    water_c: float | None = None
    pressure_by: str = ""
    """The key of the reading that the pressure was taken from, where nobody typed it."""
    salinity_by: str = ""
    """The key of the reading that the salinity was taken from, where nobody typed it."""
    conductivity: float | None = None
    """Specific conductance of the water at 25 °C, µS/cm."""
    u_conductivity: float = 0.0
    conductivity_from: str = ""
    conductivity_by: str = ""
    """The key of the reading that it was taken from, where nobody typed it."""

    @classmethod
    def of(cls, plain: Mapping[str, Any] | None) -> Surroundings:
        """As a record keeps them."""
        given = dict(plain or {})
        return cls(Pressure.of(given.pop("pressure", None) or {}), **given)

    @property
    def plain(self) -> dict[str, Any]:
        """What is known of them, as plain data."""
        found: dict[str, Any] = {}
        if self.pressure is not None:
            found |= {"pressure": self.pressure.plain} | ({"pressure_by": self.pressure_by} if self.pressure_by else {})
        for name in SALTS:
            given = self.of_salts(name)
            if given[name] is not None:
                found |= {key: value for key, value in given.items() if value or key != f"{name}_by"}
        return found | ({} if self.water_c is None else {"water_c": self.water_c})

    def of_salts(self, name: str) -> dict[str, Any]:
        """Return one of :data:`SALTS` with its uncertainty and where it comes from, by field."""
        return {field: getattr(self, field) for field in (name, f"u_{name}", f"{name}_from", f"{name}_by")}

    @property
    def taken_from(self) -> tuple[str, ...]:
        """The keys of the readings that something of it was taken from."""
        return tuple(key for field in _BY if (key := getattr(self, field)))

    def without(self, key: object) -> Surroundings:
        """Return the same, as if nothing were taken from the reading of this key: its successor keeps it as its own.

        Examples
        --------
        >>> Surroundings(pressure_by="a", salinity_by="b").without("a").taken_from
        ('b',)
        """
        mine: dict[str, Any] = {field: "" for field in _BY if getattr(self, field) == str(key)}
        return replace(self, **mine)

    def apart(self, air_c: float) -> Said | None:
        """Say that the air of a calibration is too far from the waters planned; nothing where it is not.

        Examples
        --------
        >>> Surroundings(water_c=12.0).apart(24.0).key
        'air-and-water-apart'
        >>> Surroundings(water_c=14.5).apart(24.0), Surroundings().apart(24.0)
        (None, None)
        """
        if self.water_c is None or not beyond(abs(air_c - self.water_c), _APART_C):
            return None
        air, water, most = Amount(air_c, "°C", 1), Amount(self.water_c, "°C", 1), Amount(_APART_C, "°C")
        return says("air-and-water-apart", air=air, water=water, most=most)

    def at(self, temperature_c: Number, reference: str = "") -> Conditions:
        """Return the conditions of a signal at a temperature, for a probe with this reference electrode.

        Examples
        --------
        >>> Surroundings(Pressure(29.92, "inHg"), 20.0).at(25.0).pressure_hpa // 1
        1013.0
        """
        hpa, u_hpa = (ATMOSPHERE_HPA, 1.0) if self.pressure is None else (self.pressure.hpa, self.pressure.u_hpa)
        salt = (self.salinity or 0.0, self.u_salinity, self.conductivity, self.u_conductivity)
        return Conditions(temperature_c, reference, hpa, u_hpa, *salt)


def read_place(plain: Mapping[str, Any]) -> Surroundings:
    """Read what a file or a record says of a place.

    Raises
    ------
    CoreError
        Where its pressure can't be; anything else where it is no such object.
    """
    place = Surroundings.of(plain)
    if place.pressure is not None and (wrong := wrong_with(place.pressure)):
        raise CoreError(next(iter(wrong.values())))
    return place
