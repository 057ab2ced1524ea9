"""Tonight's oxygen of ponds: dusk's value and the one after it, as they stand, and what their line says until dawn."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sqlalchemy.orm import Session

from brumel.core.place.sun import night_of
from brumel.core.reading.night import DUSK, LEAST_APART, Looked, Night
from brumel.services.clock import Clock
from brumel.services.house.rules import in_force
from brumel.services.readings.history import limits_at
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Site
from brumel.store.models.visit import Visit
from brumel.store.queries import visit as visit_queries

_OXYGEN = "oxygen"
_NOON = 12
_ONE_LOOK = timedelta(minutes=45)
"""What is read within this is one look at a water (rule of this product)."""


@dataclass(frozen=True)
class Tonight:
    """A pond with its night, and the visit that was there last."""

    site: Site
    night: Night
    visit_id: uuid.UUID


@dataclass(frozen=True)
class Nights:
    """Use cases around the nights of ponds."""

    database: Database
    clock: Clock

    def of_visit(self, visit: Visit) -> Night | None:
        """Return the night that a visit belongs to; None where its water has none, or it was made by day."""
        if visit.site is None:
            return None
        found = self._of([visit.site], visit.begun_at)
        return next((t.night for t in found), None)

    def tonight(self, sites: Sequence[Site]) -> Sequence[Tonight]:
        """Return the ponds among sites that were read this evening, from dusk until dawn."""
        return self._of(sites, self.clock.now())

    def _of(self, sites: Sequence[Site], moment: datetime) -> list[Tonight]:
        kinds = in_force().waters
        ponds = {s.id: s for s in sites if s.water_kind in kinds and kinds[s.water_kind].night}
        dusk, dawn = night_of(_evening(moment, self.clock), self.clock.timezone)
        if not ponds or not dusk - DUSK[0] <= moment <= dawn:
            return []
        with self.database.session() as session:
            return _nights(session, ponds, dusk, dawn)


def _evening(moment: datetime, clock: Clock) -> date:
    """Return the evening that a moment belongs to: the one before it in the morning."""
    local = clock.local(moment)
    return local.date() - (timedelta(days=1) if local.hour < _NOON else timedelta(0))


def _nights(session: Session, ponds: Mapping[uuid.UUID, Site], dusk: datetime, dawn: datetime) -> list[Tonight]:
    begin = dusk - DUSK[0]
    readings = visit_queries.read_of(session, list(ponds), _OXYGEN, begin, dawn)
    aerated = visit_queries.aerated(session, list(ponds), begin, dawn)
    found = []
    for site_id, of_site in readings.items():
        site, looks = ponds[site_id], _looks(of_site)
        limit = limits_at(session, site).get(_OXYGEN)
        firsts = [r for r in looks if r.taken_at <= dusk + DUSK[1]]
        if limit is None or limit.low is None or not firsts:
            continue
        first = min(firsts, key=lambda r: abs(r.taken_at - dusk))
        # The bottom's value beside the top's is no line.
        later = [r for r in looks if r.taken_at - first.taken_at >= LEAST_APART and r.layer == first.layer]
        on = [at for at in aerated.get(site_id, ()) if at >= first.taken_at]
        night = Night(_looked(first), _looked(later[-1]) if later else None, dawn, limit.low, max(on, default=None))
        if (visit_id := looks[-1].visit_id) is not None:
            found.append(Tonight(site, night, visit_id))
    return found


def _looked(reading: Reading) -> Looked:
    return Looked(reading.taken_at, reading.value, reading.u)


def _looks(readings: Sequence[Reading]) -> list[Reading]:
    """Return one value a look, in time: the bottom's where it was read, else the deepest, else the lowest."""
    looks: list[list[Reading]] = []
    for r in readings:
        if looks and r.taken_at - looks[-1][0].taken_at <= _ONE_LOOK:
            looks[-1].append(r)
        else:
            looks.append([r])
    return [max(look, key=_deep) for look in looks]


def _deep(reading: Reading) -> tuple[bool, float, float]:
    return reading.layer == "bottom", reading.depth_m or 0.0, -reading.value
