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
        salty = self._salinity(session, at)
        known = visit_queries.pressure_at(session, self._of, at - REMEMBERED, at)
        if known is not None:
            given = Surroundings.of(known.surroundings)
            return replace(salty, pressure=given.pressure, pressure_by=given.pressure_by or str(known.reading_id))
        if self.site is None or self.site.altitude_m is None:
            return salty
        return replace(salty, pressure=Pressure(None, kind="station", altitude_m=self.site.altitude_m))

    @property
    def _of(self) -> visit_queries.Place:
        return visit_queries.Place(self.site.id if self.site else None, self.visit_id)

    def _salinity(self, session: Session, at: datetime) -> Surroundings:
        salty = visit_queries.derived_at(session, self._of, "salinity", at - _SAME_HOUR, at)
        if salty is None:
            return Surroundings()
        how = f"{'from the conductivity read' if salty.behind else 'read'} at {salty.taken_at:%H:%M} UTC"
        return Surroundings(
            salinity=salty.value, u_salinity=salty.u, salinity_from=how, salinity_by=str(salty.reading_id)
        )

    def now(self, session: Session, own: Principle, typed: Surroundings, at: datetime) -> Surroundings:
        """What was typed of it; what is remembered where no pressure was typed; nothing where no probe asks."""
        if not own.needs_pressure:
            return Surroundings()
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
        salty = self._salinity(session, at)
        return replace(salty, pressure=given.pressure, pressure_by=given.pressure_by)

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
