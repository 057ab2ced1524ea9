"""A round while it is made: which of its sites were visited, what is left there, where to go next."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from brumel.core.quantities.quantity import Quantity
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.probes.states import States
from brumel.services.visits.visit_view import AtHand, VisitView, seen_of
from brumel.store.database import Database
from brumel.store.models.reference import PlannedRound, Site
from brumel.store.queries import reference as queries
from brumel.store.queries import visit as visit_queries

_LASTS = timedelta(hours=16)
"""So long after its departure visits belong to a round (rule of this product)."""
_EARLY = timedelta(hours=2)


@dataclass(frozen=True)
class TourStop:
    """A site of a round, with its visit."""

    site: Site
    visit: VisitView | None

    @property
    def left(self) -> list[Quantity]:
        """What was begun there and not read."""
        return self.visit.left if self.visit else []

    @property
    def done(self) -> bool:
        """Whether it was visited and nothing is left, or it was finished with a word."""
        return self.visit is not None and (bool(self.visit.finished) or not self.visit.left)

    @property
    def words(self) -> str:
        """How it stands, in words."""
        if self.visit is None:
            return "not visited yet"
        skipped = "; ".join(f"{row.about.name} not read: {row.skipped}" for row in self.visit.rows if row.skipped)
        said = self.visit.finished if self.visit.finished not in ("", "all read") else ""
        left = f"left: {', '.join(q.name for q in self.left)}" if self.left and not said else ""
        return "; ".join(w for w in (said, skipped, left) if w) or "all read"


@dataclass(frozen=True)
class Tour:
    """A round with its stops in their order."""

    round: PlannedRound
    stops: tuple[TourStop, ...]

    @property
    def begun(self) -> bool:
        """Whether any of its sites was visited."""
        return any(s.visit for s in self.stops)

    @property
    def next(self) -> TourStop | None:
        """The first that is not done; None at the end."""
        return next((s for s in self.stops if not s.done), None)


@dataclass(frozen=True)
class Touring:
    """Use cases around a round while it is made."""

    database: Database
    clock: Clock
    states: States

    @cached
    def tour(self, round_id: uuid.UUID) -> Tour | None:
        """Return a round with its visits; None where there is no such round."""
        with self.database.session() as session:
            wanted = session.get(PlannedRound, round_id)
            return None if wanted is None else self._tour(session, wanted)

    @cached
    def tour_at(self, site_id: uuid.UUID | None, at: datetime) -> Tour | None:
        """Return the round that a visit to a site belongs to by its time; None where it belongs to none."""
        with self.database.session() as session:
            for wanted in queries.planned_rounds(session, at - _LASTS) if site_id else ():
                near = wanted.departure - _EARLY <= at <= wanted.departure + _LASTS
                if near and site_id in wanted.site_ids:
                    return self._tour(session, wanted)
            return None

    def _tour(self, session: Session, wanted: PlannedRound) -> Tour:
        known = {s.id: s for s in self.states.sites()}
        return _made(session, wanted, known)


def _made(session: Session, wanted: PlannedRound, known: Mapping[uuid.UUID, Site]) -> Tour:
    visits = visit_queries.visits(session, since=wanted.departure - _EARLY)
    until = wanted.departure + _LASTS
    of_site = {v.site_id: v for v in reversed(visits) if v.begun_at <= until}
    made = [of_site[key] for key in wanted.site_ids if key in of_site]
    read = visit_queries.readings_of_visits(session, [v.id for v in made])
    seen = {v.site_id: seen_of(v, read.get(v.id, ()), AtHand()) for v in made}
    return Tour(
        wanted,
        tuple(TourStop(known[key], seen.get(key)) for key in wanted.site_ids if key in known),
    )
