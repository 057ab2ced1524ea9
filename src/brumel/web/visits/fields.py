"""Fields that the forms of a visit share: where in the water, and the air pressure."""

from __future__ import annotations

from typing import Any

from brumel.core.place.station_pressure import KINDS, Pressure
from brumel.core.quantities.pressure import UNITS_HPA
from brumel.core.quantities.quantity import quantity
from brumel.core.quantities.shown import unit_for
from brumel.services.readings.given_value import Spot
from brumel.services.visits.visit_view import VisitView
from brumel.services.visits.visits import LAYERS, REPLICATES
from brumel.web.context import signed_in
from brumel.web.forms import Typed, pressure_fields


def spot_of(typed: Typed) -> Spot:
    """Depth, layer and replicate; what is none of the offered ones is nowhere in particular."""
    layer, replicate = typed.text("layer"), typed.text("replicate")
    return Spot(
        typed.number("spot_depth"), layer if layer in LAYERS else "", replicate if replicate in REPLICATES else ""
    )


def pressure_fields_of(view: VisitView, values: Any) -> dict[str, Any]:
    """Return what the fields' template needs."""
    return {
        "pressure_values": _pressure_values(view, values),
        "pressure_known": _pressure_of(view),
        "kinds": KINDS,
        "pressure_units": UNITS_HPA,
    }


def _pressure_of(view: VisitView) -> Pressure | None:
    """Return the pressure of this visit, else the site's altitude, for the cost of a wrong kind."""
    if view.pressure is not None:
        return Pressure.of(view.pressure.surroundings.get("pressure", {}))
    return None if (altitude_m := _altitude_m(view)) is None else Pressure(altitude_m=altitude_m)


def _altitude_m(view: VisitView) -> float | None:
    """Return the altitude of the site as it is set for the visit."""
    return view.visit.site.set_at(view.visit.begun_at).altitude_m if view.visit.site else None


def _pressure_values(view: VisitView, values: Any) -> dict[str, str]:
    """Return what was typed of the pressure, else the altitude alone."""
    known = Pressure(
        unit=unit_for(quantity("station-pressure"), signed_in().units or {}).name,
        altitude_m=_altitude_m(view),
    )
    empty = pressure_fields(known)
    return {name: values.get(name, "") for name in empty} if any(name in values for name in empty) else empty
