"""What is known of the place of a reading: pressure and salinity, as typed now or as read there before."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.kit.kinds import ProbeKind
from brumel.core.place.station_pressure import Pressure, wrong_with
from brumel.core.place.surroundings import (
    CONDUCTIVITY_US_CM,
    REMEMBERED,
    SALINITY,
    TYPED_CONDUCTIVITY_SHARE,
    U_TYPED_SALINITY,
    Surroundings,
)
from brumel.core.quantities.quantity import quantity
from brumel.core.sensing.principle import Principle
from brumel.services.errors import check_number
from brumel.services.readings.correct import water_of
from brumel.store.models.reference import Site
from brumel.store.queries import visit as visit_queries

_SAME_HOUR = timedelta(hours=1)
"""So long a salinity of the place is remembered (rule of this product)."""


_A_MOMENT = timedelta(seconds=1)
"""What was read this very moment is remembered."""


@dataclass(frozen=True)
class PlaceRead:
    """A site, or a visit to a sample that has none."""

    site: Site | None
    visit_id: uuid.UUID | None = None

    def with_altitude(self, pressure: Pressure | None, at: datetime) -> Pressure:
        """Return a pressure with the altitude that the site has at a moment, where none was typed."""
        pressure = pressure or Pressure()
        altitude_m = self.site.set_at(at).altitude_m if self.site else None
        return replace(pressure, altitude_m=altitude_m) if pressure.altitude_m is None else pressure

    def around(
        self, session: Session, own: Principle, typed: Surroundings, at: datetime, *, with_pressure: bool = True
    ) -> Surroundings:
        """Return what a probe leans on there: as typed, else as read there before; nothing where it leans on nothing.

        Salts are remembered for an hour, a pressure for half a day, unless ``with_pressure`` is false: then none is
        taken that was not typed, but the site's altitude always is.
        """
        if not own.asks_place:
            return Surroundings()
        found = self._salts(session, own, typed, at)
        if not own.needs_pressure:
            return found
        of = self._pressure_before(session, at) if with_pressure and typed.pressure is None else typed
        return replace(found, pressure=self.with_altitude(of.pressure, at), pressure_by=of.pressure_by)

    def _pressure_before(self, session: Session, at: datetime) -> Surroundings:
        known = visit_queries.pressure_at(session, self._of, at - REMEMBERED, at + _A_MOMENT)
        if known is None:
            return Surroundings()
        given = Surroundings.of(known.surroundings)
        return replace(given, pressure_by=given.pressure_by or str(known.reading_id))

    @property
    def _of(self) -> visit_queries.TakenAt:
        return visit_queries.TakenAt(self.site.id if self.site else None, self.visit_id)

    def _salts(self, session: Session, own: Principle, typed: Surroundings, at: datetime) -> Surroundings:
        """Salinity and conductivity as typed; of the same hour where they were not, and the probe leans on them."""
        found: dict[str, Any] = {}
        for name, key, asked, u_typed in (
            ("salinity", "salinity", own.needs_salinity, lambda s: U_TYPED_SALINITY if s else 0.0),
            ("conductivity", "specific-conductance", own.needs_conductivity, lambda c: TYPED_CONDUCTIVITY_SHARE * c),
        ):
            given = typed.of_salts(name)
            if (value := given[name]) is not None:
                usual = {f"u_{name}": u_typed(value), f"{name}_from": "typed"}
                found |= given | {field: of for field, of in usual.items() if not given[field]}
            elif asked and (read := visit_queries.derived_at(session, self._of, key, at - _SAME_HOUR, at + _A_MOMENT)):
                how = f"{'from the conductivity read' if read.behind else 'read'} at {read.taken_at:%H:%M} UTC"
                by = str(read.reading_id)
                found |= {name: read.value, f"u_{name}": read.u, f"{name}_from": how, f"{name}_by": by}
        return Surroundings(**found)

    def wrong(
        self, session: Session, kind: ProbeKind, own: Principle, typed: Surroundings, at: datetime
    ) -> dict[str, str]:
        """Return what can't be of it, by field, where the probe's principle asks."""
        wrong = wrong_with(self.with_altitude(typed.pressure, at)) if own.needs_pressure else {}
        if own.needs_salinity and typed.salinity is not None:
            check_number(wrong, "salinity", typed.salinity, SALINITY, "", "salinity")
        elif (
            own.needs_salinity
            and water_of(self.site, at).salt
            and self._salts(session, own, typed, at).salinity is None
        ):
            wrong["salinity"] = (
                "This water is salt: give its salinity, or read its conductivity with a probe first. Fresh water: 0."
            )
        if own.needs_conductivity:
            wrong |= self._wrong_salts(session, kind, own, typed, at)
        return wrong

    def _wrong_salts(
        self, session: Session, kind: ProbeKind, own: Principle, typed: Surroundings, at: datetime
    ) -> dict[str, str]:
        """That the water's conductivity is not known, or is too much for the probe."""
        about, most = quantity("specific-conductance"), kind.suits["specific-conductance"][1]
        wrong: dict[str, str] = {}
        found = self._salts(session, own, typed, at).conductivity
        check_number(wrong, "conductivity", found, CONDUCTIVITY_US_CM, about.unit, about.name)
        if found is None:
            wrong["conductivity"] = "The water's salts count: give its specific conductance, or read it first."
        elif not wrong and found > most:
            wrong["conductivity"] = (
                f"{about.words(found)}: above {about.number(most)}{about.after} this {kind.name} takes other ions for "
                "its own. Use a photometer, or send a sample to a laboratory."
            )
        return wrong
