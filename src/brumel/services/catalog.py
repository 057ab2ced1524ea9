"""What there is to choose from: probes with what they are worth now, lots, sites."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sqlalchemy.orm import Session

from brumel.core.findings import Level
from brumel.core.methods.model import Role, limits_of
from brumel.services import lines
from brumel.services.clock import Clock
from brumel.services.errors import NotFound
from brumel.store import queries
from brumel.store.database import Database
from brumel.store.models import CalibrationRun, Lot, Probe, Site

_USUAL = timedelta(days=14)


@dataclass(frozen=True)
class ProbeState:
    """A probe and what its calibration is worth now.

    ``holds_until`` is when the level falls next; None where it can't fall further.
    """

    probe: Probe
    run: CalibrationRun | None
    level: Level
    why: str
    holds_until: datetime | None
    newest_unfit: CalibrationRun | None = None
    in_use: bool = False
    """Calibrated within the last two weeks: the probes that a day depends on."""


@dataclass(frozen=True)
class LotChoice:
    """A lot to choose, with what speaks against it."""

    lot: Lot
    caution: str


@dataclass(frozen=True)
class Catalog:
    """Use cases that list what there is."""

    database: Database
    clock: Clock

    def probe_states(self) -> list[ProbeState]:
        """All probes with what their calibrations are worth now."""
        with self.database.session() as session:
            return [probe_state(session, p, self.clock.now()) for p in queries.probes(session)]

    def probe_state(self, probe_id: uuid.UUID) -> ProbeState:
        """One probe with what its calibration is worth now."""
        with self.database.session() as session:
            probe = session.get(Probe, probe_id)
            if probe is None:
                raise NotFound("There is no such probe.")
            return probe_state(session, probe, self.clock.now())

    def sites(self) -> Sequence[Site]:
        """All sites."""
        with self.database.session() as session:
            return queries.sites(session)

    def site(self, site_id: uuid.UUID) -> Site:
        """One site."""
        with self.database.session() as session:
            site = session.get(Site, site_id)
        if site is None:
            raise NotFound("There is no such site.")
        return site

    def usual_sites(self, probe_id: uuid.UUID) -> list[uuid.UUID]:
        """The sites that the probe has been reading: the waters that it is calibrated for."""
        wanted = queries.Criteria(probe_id=probe_id, since=self.clock.now() - _USUAL)
        with self.database.session() as session:
            return list({r.site_id for r in queries.readings(session, wanted, findings=False)})

    def lots_by_role(self) -> dict[Role, list[LotChoice]]:
        """The lots that can serve as neutral, acid and alkaline buffer, those in date first."""
        today = self.clock.today()
        with self.database.session() as session:
            choices = [LotChoice(lot, _caution(lot, today)) for lot in queries.lots(session)]
        choices.sort(key=lambda c: (bool(c.caution), c.lot.opened_on is None, c.lot.expires_on))
        return {
            role: [c for c in choices if role.admits(c.lot.nominal_ph)]
            for role in (Role.NEUTRAL, Role.ACID, Role.ALKALINE)
        }


def probe_state(session: Session, probe: Probe, at: datetime) -> ProbeState:
    """What the probe's calibration is worth at a moment."""
    run = queries.basis_run(session, probe.id, at)
    newest = queries.newest_run(session, probe.id, at)
    newest_unfit = newest if newest is not None and (run is None or newest.id != run.id) else None
    used = newest is not None and newest.signature is not None and at - newest.signature.signed_at <= _USUAL

    def state(level: Level, why: str, until: datetime | None = None) -> ProbeState:
        return ProbeState(probe, run, level, why, until, newest_unfit, used)

    if run is None or run.signature is None:
        return state(Level.UNFIT, "Never calibrated soundly." if newest_unfit else "No signed calibration.")
    if newest_unfit:
        return state(Level.UNFIT, "The newest calibration was judged unfit.")
    spans = [(end, level) for begin, end, level in holds(run) if begin <= at <= end]
    if not spans:
        return state(Level.UNFIT, f"Its calibration is {lines.age_days(run.signature, at):.0f} days old.")
    until, level = spans[0]
    if level is Level.SOUND:
        return state(level, "Calibrated.", until)
    own_fault = run.signature.level == Level.DOUBTFUL
    return state(level, "Its verdict was doubtful." if own_fault else "Calibrated more than a day ago.", until)


def holds(run: CalibrationRun) -> list[tuple[datetime, datetime, Level]]:
    """Spans of time over which a signed run holds, and how well."""
    if run.signature is None or run.signature.level == Level.UNFIT:
        return []
    limits = limits_of(run.method["limits"])
    begin = run.signature.signed_at
    sound_until = begin + timedelta(days=limits.holds_sound_days)
    doubtful_until = begin + timedelta(days=limits.holds_doubtful_days)
    if run.signature.level == Level.DOUBTFUL:
        return [(begin, doubtful_until, Level.DOUBTFUL)]
    return [(begin, sound_until, Level.SOUND), (sound_until, doubtful_until, Level.DOUBTFUL)]


def _caution(lot: Lot, today: date) -> str:
    if days := lines.days_expired(lot, today):
        return f"expired {days} {'day' if days == 1 else 'days'} ago"
    if days := lines.days_over_open(lot, today):
        return f"open {days} {'day' if days == 1 else 'days'} too long"
    return ""
