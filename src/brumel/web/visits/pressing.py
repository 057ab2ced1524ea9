"""The fields for the air pressure of a visit: what was typed, what is known, what a wrong kind would cost."""

from __future__ import annotations

from typing import Any

from brumel.core.quantities.quantity import quantity
from brumel.core.quantities.shown import unit_for
from brumel.core.reading.pressure import KINDS, UNITS_HPA, Pressure
from brumel.services.visiting.seen import VisitView
from brumel.web.context import signed_in


def pressure_fields_of(view: VisitView, values: Any) -> dict[str, Any]:
    """What the fields' template needs."""
    return {
        "pressure_values": _pressure_values(view, values),
        "pressure_known": _pressure_of(view),
        "kinds": KINDS,
        "pressure_units": UNITS_HPA,
    }


def _pressure_of(view: VisitView) -> Pressure | None:
    """The pressure of this visit, else the site's altitude, for the cost of a wrong kind."""
    if view.pressure is not None:
        return Pressure.of(view.pressure.surroundings.get("pressure", {}))
    site = view.visit.site
    return Pressure(altitude_m=site.altitude_m) if site and site.altitude_m is not None else None


def _pressure_values(view: VisitView, values: Any) -> dict[str, str]:
    """What was typed of the pressure, else the altitude alone."""
    names = ("pressure", "pressure_unit", "pressure_kind", "altitude_m")
    if any(name in values for name in names):
        return {name: values.get(name, "") for name in names}
    site = view.visit.site
    altitude = {"altitude_m": f"{site.altitude_m:g}"} if site and site.altitude_m is not None else {}
    return altitude | {"pressure_unit": unit_for(quantity("station-pressure"), signed_in().units or {}).name}
