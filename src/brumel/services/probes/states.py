"""What there is to choose from: probes with what they are worth now, lots, sites."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from brumel.core.findings import Level
from brumel.core.kit.kinds import ProbeKind
from brumel.core.kit.readiness import Readiness, State
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.valid_until import holding_spans
from brumel.core.wording import counted
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.errors import NotFound
from brumel.services.house.rules import in_force
from brumel.services.probes import run_facts, what_it_is
from brumel.services.probes.what_it_is import stored_probe
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun, KeptBy
from brumel.store.models.reference import Probe, Site
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries

USUAL = timedelta(days=14)
READY = Readiness(State.READY, None, None, None, (), None)


@dataclass(frozen=True)
class Held:
    """A calibration over the time that it may be used: from the bench, or kept by a meter."""

    probe_id: uuid.UUID
    at: datetime
    level: Level
    spans: tuple[tuple[datetime, datetime, Level], ...]
    run_id: uuid.UUID
    by_meter: bool


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
    readiness: Readiness = READY
    held: Held | None = None
    """The newest calibration that was not judged unfit, while it holds."""

    @property
    def kind(self) -> ProbeKind:
        """What kind of probe it is."""
        return what_it_is.kind_of(self.probe)

    @property
    def keeps_calibration(self) -> bool:
        """Whether there is a calibration of it to hold."""
        return self.kind.holds_days is not None

    @property
    def on_bench(self) -> bool:
        """Whether it is calibrated on the bench here; the others by their meter, which reports."""
        return bool(self.kind.principle) and bool(in_force().procedures_of(self.kind.principle))

    @property
    def of_the_day(self) -> bool:
        """Whether the day depends on it: in use, getting ready, or blocked."""
        return self.in_use or self.readiness.state is not State.READY

    @property
    def quantity(self) -> Quantity:
        """What it is taken along for."""
        return quantity(self.kind.quantity)


@dataclass(frozen=True)
class States:
    """Use cases that list what there is."""

    database: Database
    clock: Clock

    def probe(self, probe_id: uuid.UUID) -> Probe:
        """Return one probe with its device and its meter."""
        with self.database.session() as session:
            return stored_probe(session, probe_id)

    def probe_states(self) -> list[ProbeState]:
        """Return all probes with what their calibrations are worth now."""
        return list(self._worked_out())

    @cached
    def _worked_out(self) -> Sequence[ProbeState]:
        logs = self.logs()
        with self.database.session() as session:
            return probe_states(session, self.clock.now(), logs)

    @cached
    def logs(self) -> what_it_is.Logs:
        """Return the newest of all logs: enough for every clock."""
        with self.database.session() as session:
            return what_it_is.Logs.read(session)

    def probe_state(self, probe_id: uuid.UUID) -> ProbeState:
        """Return one probe with what its calibration is worth now; one that is retired too."""
        in_use = next((s for s in self.probe_states() if s.probe.id == probe_id), None)
        return in_use or self._retired(probe_id)

    @cached
    def _retired(self, probe_id: uuid.UUID) -> ProbeState:
        with self.database.session() as session:
            return probe_state(session, self.clock.now(), probe_id)

    @cached
    def sites(self, *, retired: bool = False) -> Sequence[Site]:
        """Return all sites that are read; ``retired`` has the others too."""
        with self.database.session() as session:
            return queries.sites(session, retired=retired)

    @cached
    def probes(self) -> Sequence[Probe]:
        """Return all probes, those that are retired too."""
        with self.database.session() as session:
            return queries.probes(session, retired=True)

    @cached
    def site(self, site_id: uuid.UUID) -> Site:
        """Return one site."""
        with self.database.session() as session:
            site = session.get(Site, site_id)
        if site is None:
            raise NotFound("There is no such site.")
        return site


def probe_states(
    session: Session, at: datetime, logs: what_it_is.Logs | None = None, some: Sequence[uuid.UUID] | None = None
) -> list[ProbeState]:
    """What every probe's calibration is worth at a moment, or that of some; ``logs`` where they are read already."""
    newest = run_queries.newest_of_probes(session, at)
    probes = queries.probes(session, some)
    logs = logs or what_it_is.Logs.read(session)
    return [_state(p, newest.get(p.id, ()), logs.readiness(p, at), at) for p in probes]


def probe_state(session: Session, at: datetime, probe_id: uuid.UUID) -> ProbeState:
    """Return what one probe's calibration is worth at a moment."""
    return probe_states(session, at, some=[stored_probe(session, probe_id).id])[0]


def _state(probe: Probe, runs: Sequence[CalibrationRun], ready: Readiness, at: datetime) -> ProbeState:
    """Return a probe's state by its newest run, and where that is unfit the newest that was not."""
    newest = runs[0] if runs else None
    run = next((r for r in runs if r.signature and r.signature.level != Level.UNFIT), None)
    newest_unfit = newest if newest is not None and (run is None or newest.id != run.id) else None
    kind = what_it_is.kind_of(probe)
    held = held_by_run(run) if run is not None else None
    last = newest.signature.signed_at if newest and newest.signature else held.at if held else None
    usual = max(USUAL, timedelta(days=kind.holds_days[1] if kind.holds_days else 0))
    used = last is not None and at - last <= usual

    def state(level: Level, why: str, until: datetime | None = None) -> ProbeState:
        return ProbeState(probe, run, level, why, until, newest_unfit, used, ready, held)

    if kind.holds_days is None:
        return state(Level.SOUND, "It is not calibrated: cross-check it against another method.")
    if held is None:
        return state(Level.UNFIT, "Never calibrated soundly." if newest_unfit else "No calibration on record.")
    if newest_unfit or held.level is Level.UNFIT:
        run = newest_unfit or run
        what = "calibration" if run is None or run.kept_by == KeptBy.METER or run_facts.adjusts(run) else "check"
        return state(Level.UNFIT, f"The newest {what} was judged unfit.")
    if ready.voided_at is not None and ready.voided_at > held.at:
        return state(Level.UNFIT, "Something was done since that ends a calibration.")
    if held.by_meter and ready.meter_lost_at is not None and ready.meter_lost_at > held.at:
        return state(Level.UNFIT, "Its meter was switched off since, and loses its calibration then.")
    spans = [(end, level) for begin, end, level in held.spans if begin <= at <= end]
    if not spans:
        return state(Level.UNFIT, f"Its calibration is {counted((at - held.at).days, 'day')} old.")
    until, level = spans[0]
    if level is Level.SOUND:
        return state(level, "Calibrated.", until)
    own_fault = held.level is Level.DOUBTFUL
    return state(level, "Its verdict was doubtful." if own_fault else "It is older than it holds soundly.", until)


def held_by_run(run: CalibrationRun) -> Held | None:
    """Return a signed run over the time that it holds."""
    if run.signature is None:
        return None
    level, begin = Level(run.signature.level), run.signature.signed_at
    spans = _moments(begin, holding_spans(level, run_facts.holds_days_of(run)))
    return Held(run.probe_id, begin, level, spans, run.id, run.kept_by == KeptBy.METER)


def _moments(
    begin: datetime, spans: Sequence[tuple[float, float, Level]]
) -> tuple[tuple[datetime, datetime, Level], ...]:
    return tuple((begin + timedelta(days=a), begin + timedelta(days=b), level) for a, b, level in spans)
