"""What is known of the place of a reading: pressure and salinity, as typed now or as read there before."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from brumel.core.reading.pressure import Pressure, wrong_with
from brumel.core.reading.surroundings import REMEMBERED, SALINITY, U_TYPED_SALINITY, Surroundings
from brumel.core.sensing.principle import Principle
from brumel.services.errors import check_number
from brumel.services.visiting.correcting import water_of
from brumel.store import visit_queries
from brumel.store.models.reference import Site

_SAME_HOUR = timedelta(hours=1)
"""So long a salinity of the place is remembered (rule of this product)."""


_A_MOMENT = timedelta(seconds=1)
"""What was read this very moment is remembered."""


@dataclass(frozen=True)
class Place:
    """A site, or a visit to a sample that has none."""

    site: Site | None
    visit_id: uuid.UUID | None = None

    def at(self, pressure: Pressure | None) -> Pressure:
        """A pressure with the site's altitude where none was typed."""
        pressure = pressure or Pressure()
        altitude_m = self.site.altitude_m if self.site else None
        return replace(pressure, altitude_m=altitude_m) if pressure.altitude_m is None else pressure

    def remembered(self, session: Session, at: datetime) -> Surroundings:
        """The pressure given last within half a day, and the salinity read there within the hour."""
        site_id = self.site.id if self.site else None
        of = visit_queries.Place(site_id, self.visit_id)
        pressure = Pressure.of(visit_queries.pressure_at(session, of, at - REMEMBERED, at) or {})
        if pressure is None and self.site is not None and self.site.altitude_m is not None:
            pressure = Pressure(None, kind="station", altitude_m=self.site.altitude_m)
        salty = visit_queries.derived_at(session, of, "salinity", at - _SAME_HOUR, at)
        if salty is None:
            return Surroundings(pressure)
        when, value, u, behind = salty
        how = "from the conductivity read" if behind else "read"
        return Surroundings(pressure, value, u, f"{how} at {when:%H:%M} UTC")

    def now(self, session: Session, typed: Surroundings, at: datetime) -> Surroundings:
        """What was typed of it; what is remembered where no pressure was typed."""
        if typed.pressure is not None:
            return replace(typed, pressure=self.at(typed.pressure))
        found = self.remembered(session, at + _A_MOMENT)
        return replace(found, pressure=self.at(found.pressure))

    def known(self, session: Session, own: Principle, typed: Surroundings, at: datetime) -> Surroundings:
        """What was typed of it; the salinity by a conductivity of the same hour where none was."""
        if not own.needs_pressure:
            return Surroundings()
        given = replace(typed, pressure=self.at(typed.pressure))
        if given.salinity is not None:
            u = given.u_salinity or (U_TYPED_SALINITY if given.salinity else 0.0)
            return replace(given, u_salinity=u, salinity_from=given.salinity_from or "typed")
        found = self.remembered(session, at)
        return replace(given, salinity=found.salinity, u_salinity=found.u_salinity, salinity_from=found.salinity_from)

    def wrong(self, session: Session, own: Principle, typed: Surroundings, at: datetime) -> dict[str, str]:
        """What can't be of it, by field, where the probe's principle asks."""
        if not own.needs_pressure:
            return {}
        wrong = wrong_with(self.at(typed.pressure))
        if typed.salinity is not None:
            check_number(wrong, "salinity", typed.salinity, SALINITY, "")
        elif own.needs_salinity and water_of(self.site).salt and self.remembered(session, at).salinity is None:
            wrong["salinity"] = "This water is salt: give its salinity, or read its conductivity first. Fresh water: 0."
        return wrong
