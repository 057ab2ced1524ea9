"""Sites as a round sees them: what was read last, and the history behind it."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from brumel.core.findings import Level
from brumel.core.quantities.quantity import Quantity, quantities, quantity
from brumel.core.reading.limits import Limit
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.errors import NotFound
from brumel.services.readings.history import limits_at
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Site
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import visit as visit_queries

_SHOWN = 60
_STAY = timedelta(hours=12)


@dataclass(frozen=True)
class HistoryValue:
    """One earlier reading."""

    at: datetime
    value: float
    level: Level
    reading_id: uuid.UUID
    u: float = 0.0
    """Standard uncertainty, k = 1."""
    amends: bool = False
    """Whether it takes the place of another."""


@dataclass(frozen=True)
class Behind:
    """A calibration that some of the values rest on."""

    at: datetime
    probe: str
    level: Level


@dataclass(frozen=True)
class SiteHistory:
    """A site's newest readings of a quantity, oldest first, and what is expected of it."""

    quantity: Quantity
    expected: tuple[float, float] | None
    values: tuple[HistoryValue, ...]
    limit: Limit | None = None
    """What its water must keep of it."""
    calibrations: tuple[Behind, ...] = ()

    @property
    def kept(self) -> tuple[float | None, float | None] | None:
        """What it must keep, else what is expected of it, from and to; None where nothing is said."""
        return (self.limit.low, self.limit.high) if self.limit else self.expected


def of_last_stay(readings: list[Reading]) -> list[Reading]:
    """Return what was read at the last visit, in the order of the quantities; what was worked out only where it counts.

    Readings without a visit are of one stay where they are of one day.
    """
    since = readings[0].taken_at - _STAY if readings else None
    readings = [r for r in readings if r.visit_id == readings[0].visit_id]
    order = list(quantities())
    last = [
        r
        for r in readings
        if since is not None and r.taken_at >= since and (r.source != Source.DERIVED or r.keeps in ("near", "beyond"))
    ]
    return sorted(last, key=lambda r: order.index(r.quantity))


@dataclass(frozen=True)
class Rounds:
    """Use cases around sites."""

    database: Database
    clock: Clock

    @cached
    def sites_with_latest(self) -> Sequence[tuple[Site, Sequence[Reading]]]:
        """Return all sites with their newest reading of each quantity."""
        with self.database.session() as session:
            newest = reading_queries.last_readings_of_sites(session)
            return [(site, of_last_stay(newest.get(site.id, []))) for site in queries.sites(session)]

    def histories(self, site: Site, since: datetime, until: datetime) -> list[SiteHistory]:
        """Return everything that was read at a site in a time, by quantity, with the calibrations behind it."""
        with self.database.session() as session:
            limits = limits_at(session, site)
            found: dict[str, list[HistoryValue]] = {}
            for at, key, value, u, level, reading_id, amends in visit_queries.values_of_site(
                session, site.id, since, until
            ):
                found.setdefault(key, []).append(HistoryValue(at, value, Level(level), reading_id, u, amends))
            behind: dict[str, list[Behind]] = {}
            for key, at, label, level in visit_queries.calibrations_behind(session, site.id, since, until):
                behind.setdefault(key, []).append(Behind(at, label, Level(level)))
        order = [key for key, about in quantities().items() if key in found and not about.condition]
        return [
            SiteHistory(quantity(k), site.expected(k), tuple(found[k]), limits.get(k), tuple(behind.get(k, ())))
            for k in order
        ]

    @cached
    def history(self, site_id: uuid.UUID, key: str) -> SiteHistory:
        """Return the site's newest readings of a quantity."""
        with self.database.session() as session:
            site = session.get(Site, site_id)
            if site is None:
                raise NotFound("There is no such site.")
            found = reading_queries.readings(
                session, queries.Criteria(site_id=site_id, quantity=key), limit=_SHOWN, findings=False
            )
            values = tuple(HistoryValue(r.taken_at, r.value, Level(r.level), r.id, r.u) for r in reversed(found))
            return SiteHistory(quantity(key), site.expected(key), values)
