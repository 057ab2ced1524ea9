"""Sites as a round sees them: what was read last, and the history behind it."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime

from brumel.core.findings import Level
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.services.errors import NotFound
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Site

_SHOWN = 60


@dataclass(frozen=True)
class HistoryValue:
    """One earlier reading."""

    at: datetime
    value: float
    level: Level
    reading_id: uuid.UUID


@dataclass(frozen=True)
class SiteHistory:
    """A site's newest readings of a quantity, oldest first, and what is expected of it."""

    quantity: Quantity
    expected: tuple[float, float] | None
    values: tuple[HistoryValue, ...]


@dataclass(frozen=True)
class Rounds:
    """Use cases around sites."""

    database: Database

    def sites_with_latest(self) -> list[tuple[Site, list[Reading]]]:
        """All sites with their newest reading of each quantity."""
        with self.database.session() as session:
            newest = queries.last_readings_of_sites(session)
            return [(site, newest.get(site.id, [])) for site in queries.sites(session)]

    def history(self, site_id: uuid.UUID, key: str) -> SiteHistory:
        """The site's newest readings of a quantity."""
        with self.database.session() as session:
            site = session.get(Site, site_id)
            if site is None:
                raise NotFound("There is no such site.")
            found = queries.readings(
                session, queries.Criteria(site_id=site_id, quantity=key), limit=_SHOWN, findings=False
            )
            values = tuple(HistoryValue(r.taken_at, r.value, Level(r.level), r.id) for r in reversed(found))
            return SiteHistory(quantity(key), site.expected(key), values)
