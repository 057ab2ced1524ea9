"""Tells what signed runs found before adjusting, and what they left: from their points and what stood before."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sqlalchemy.orm import Session

from brumel.core.calibrating.as_found import Off, how_it_came, off_by
from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.meter_run import KeptPoint
from brumel.core.findings import Level
from brumel.core.kit.care import Care
from brumel.core.kit.readiness import CareEvent
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Said
from brumel.core.sensing.run import Came, Use
from brumel.services.calibrating import judged_run
from brumel.services.calibrating.meter_runs import points_of
from brumel.services.calibrating.run_responses import signed_response
from brumel.services.probes import run_facts, what_it_is
from brumel.store.models.calibration import CalibrationRun, KeptBy
from brumel.store.queries import care as care_queries
from brumel.store.queries import run as run_queries

_WORST = (Level.SOUND, Level.DOUBTFUL, Level.UNFIT)


@dataclass(frozen=True)
class PointFound:
    """One standard, read before and after adjusting; None where it was not."""

    before: Off | None = None
    """As found, by what stood before."""
    after: Off | None = None
    """By what the run left."""
    read_again: bool = False
    """Whether the standard was read again after adjusting: as left; else it is the fit's residual."""


@dataclass(frozen=True)
class AsFound:
    """The findings of a signed run before anything was adjusted.

    Attributes
    ----------
    points
        By the key of each point that the signature rests on.
    before
        The run that stood before; None where none did, or none that still told.
    """

    came: Came
    why: Said
    before: CalibrationRun | None = None
    points: Mapping[uuid.UUID, PointFound] = field(default_factory=dict)

    @property
    def worst(self) -> Off | None:
        """Pick what was farthest off as found, by its tolerance."""
        found = [p.before for p in self.points.values() if p.before is not None]
        return max(found, key=lambda off: (_WORST.index(off.level), abs(off.off.value)), default=None)


def as_found_of(session: Session, runs: Iterable[CalibrationRun]) -> dict[uuid.UUID, AsFound]:
    """Say what each signed run found; asked at once for all, in a handful of questions."""
    signed = [run for run in runs if run.signature is not None and run.points]
    stood = {s.run_id: s for s in run_queries.stood_before(session, [run.id for run in signed])}
    events = _events_of(session, signed, [s.before for s in stood.values() if s.before])
    found = {}
    for run in signed:
        earlier = stood[run.id].before
        since = earlier.signature.signed_at if earlier and earlier.signature else None
        if run.kept_by == KeptBy.METER and since is None:
            since = run.started_at  # what a meter shows tells by itself
        cleaned = [CareEvent(Care.CLEANED, at) for at in [stood[run.id].cleaned_last] if at]
        came, why = how_it_came(
            what_it_is.kind_of(run.probe), [*events.get(run.id, ()), *cleaned], since, stood[run.id].used_last,
            _until(run),
        )  # fmt: skip
        known = None if came is Came.NOT_KNOWN else earlier
        points = _of_meter(run, came) if run.kept_by == KeptBy.METER else _of_brumel(run, known)
        found[run.id] = AsFound(came, why, known, points)
    return found


def _until(run: CalibrationRun) -> datetime:
    """Say when the last of its standards was read."""
    return max(p.taken_at for p in run.points)


def _of_brumel(run: CalibrationRun, before: CalibrationRun | None) -> dict[uuid.UUID, PointFound]:
    """Return what stood before would have shown in each standard, and what the run leaves there."""
    points, left, tolerances = run_facts.signed_points(run), signed_response(run), run_facts.tolerances_of(run)
    came = signed_response(before) if before and _alike(before, run) else None
    adjusted = [p.ordinal for p in points if p.use == Use.ADJUST]
    found = {}
    for point, judged in zip(points, judged_run.judged_points(run, points), strict=True):
        found[point.id] = PointFound(
            off_by(came, judged, tolerances) if came else None,
            off_by(left, judged, tolerances) if adjusted else None,  # what only checks leaves what it found
            read_again=bool(adjusted) and point.ordinal > max(adjusted),
        )
    return found


def _alike(one: CalibrationRun, other: CalibrationRun) -> bool:
    """Say whether both sense in the same way, to the same terms."""
    return principle_of(one.method).key == principle_of(other.method).key and one.reference == other.reference


def _of_meter(run: CalibrationRun, came: Came) -> dict[uuid.UUID, PointFound]:
    """Return what the meter showed before and after it adjusted itself."""

    def off(point: KeptPoint, shown: float | None) -> Off | None:
        if shown is None or not point.target_known:
            return None
        away, about = point.off(shown), quantity(point.check.quantity)
        return Off(shown, point.within.off(away, point.target, about), point.level(shown))

    return {
        stored.id: PointFound(
            None if came is Came.NOT_KNOWN else off(point, point.before), off(point, point.after), read_again=True
        )
        for stored, point in zip(run.points, points_of(run), strict=True)
    }


def _events_of(
    session: Session, runs: Sequence[CalibrationRun], before: Iterable[CalibrationRun]
) -> dict[uuid.UUID, list[CareEvent]]:
    """Return what was done to the probe of each run, and to its meter, since any of those that stood before."""
    since = min((run.signature.signed_at for run in before if run.signature), default=None)
    if since is None:
        return {}
    until = max(_until(run) for run in runs)
    probes = {run.probe_id: run.probe for run in runs}
    meters = {p.meter_id for p in probes.values() if p.meter_id is not None}
    care, records = care_queries.done_since(session, [*probes], meters, since, until)
    by_probe = {
        key: [
            *what_it_is.events_of(r for r in care if r.probe_id == key),
            *what_it_is.felt(probe, [r for r in records if r.meter_id == probe.meter_id]),
        ]
        for key, probe in probes.items()
    }
    return {run.id: by_probe[run.probe_id] for run in runs}
