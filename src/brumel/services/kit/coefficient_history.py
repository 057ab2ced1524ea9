"""How a probe's coefficients, and how far off its checks were, went through its life."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import groupby

from sqlalchemy.orm import Session, lazyload

from brumel.core.calibrating.comparing import off_its_target
from brumel.core.calibrating.judging import principle_of
from brumel.core.findings import Bounds, Level
from brumel.core.kit.kinds import ProbeKind
from brumel.core.kit.trend import LifePoint, Trend, trend_of
from brumel.core.quantities.quantity import quantity
from brumel.core.sensing.response import TAKEN_OVER, Origin
from brumel.core.sensing.run import Use
from brumel.core.wording import signed
from brumel.services.calibrating import judged_run, run_responses
from brumel.services.probes import run_facts
from brumel.store.models.calibration import CalibrationRun, KeptBy
from brumel.store.queries import run as run_queries
from brumel.store.queries.run import CoefficientRow

_RUNS, _CHECKS = 400, 60
"""So many of the newest calibrations, and of those that check, make a course: a year of mornings."""
_COURSE = 2
"""So many checks make a course."""


@dataclass(frozen=True)
class Course:
    """A coefficient through a probe's life, with its limits and where it is going."""

    name: str
    unit: str
    points: tuple[LifePoint, ...]
    sound: tuple[float, float]
    doubtful: tuple[float, float]
    trend: Trend | None
    said: str = ""
    """What is said beside it instead of a trend."""


def courses_of(
    session: Session, probe_id: uuid.UUID, kind: ProbeKind, changed: Iterable[datetime], now: datetime
) -> list[Course]:
    """Return each coefficient, or what its meter reports, over time, then its checks.

    Parameters
    ----------
    changed
        When parts were changed: a trend goes back to the last of them only.
    """
    since = max(changed, default=datetime.min.replace(tzinfo=now.tzinfo))
    rows = run_queries.coefficients_of_probe(session, probe_id, now, _RUNS)
    checks = offs_of(run_queries.checks_of_probe(session, probe_id, now, _CHECKS))
    return [*_fitted(session, rows, since, now), *_reported(rows, kind, since, now), *_course_of_checks(checks)]


def _course(
    name: str, unit: str, points: Sequence[LifePoint], bounds: Bounds, since: datetime, now: datetime
) -> Course:  # fmt: skip
    recent = [p for p in points if p.at >= since]
    sound, doubtful = (bounds.sound_low, bounds.sound_high), (bounds.doubtful_low, bounds.doubtful_high)
    return Course(name, unit, tuple(points), sound, doubtful, trend_of(recent, sound, now))


def _fitted(session: Session, rows: Sequence[CoefficientRow], since: datetime, now: datetime) -> list[Course]:
    """Return what full runs of ours fitted, by the tolerances of the newest."""
    ours = [r for r in rows if r.kept_by == KeptBy.BRUMEL and r.level != Level.UNFIT]
    if not ours:
        return []
    newest = session.get_one(CalibrationRun, ours[-1].run_id, options=[lazyload(CalibrationRun.coefficients)])
    own = principle_of(newest.method)
    runs = [list(some) for _, some in groupby(ours, key=lambda r: r.run_id)]
    full = [run for run in runs if not any(r.origin in TAKEN_OVER and r.key not in own.minor for r in run)]
    if not full:
        return []
    found = []
    tolerances = run_facts.tolerances_of(session.get_one(CalibrationRun, full[-1][0].run_id))
    for key, tolerance in tolerances.coefficients.items():
        about = own.coefficient(key)
        told = [r for run in full for r in run if r.key == key and (not about.minor or r.origin == Origin.FITTED)]
        points = [LifePoint(r.signed_at, r.value) for r in told]
        if points:
            found.append(_course(about.name, about.unit, points, tolerance.bounds, since, now))
    return found


def _reported(rows: Sequence[CoefficientRow], kind: ProbeKind, since: datetime, now: datetime) -> list[Course]:
    found = []
    for report in kind.reported:
        told = [r for r in rows if r.kept_by == KeptBy.METER and r.key == report.key]
        points = [LifePoint(r.started_at, r.value) for r in told]
        if points:
            found.append(_course(f"{report.name} by its meter", report.unit, points, report.bounds, since, now))
    return found


@dataclass(frozen=True)
class Off:
    """How far a check of a run was off its target, and by what it is judged."""

    run_id: uuid.UUID
    at: datetime
    off: float
    band: Bounds
    unit: str
    beside: bool

    @property
    def words(self) -> str:
        """As a line of a probe's life has it."""
        return f"{signed(self.off, 1, plus=True)} {self.unit} off{' the instrument beside it' if self.beside else ''}"


def offs_of(runs: Iterable[CalibrationRun]) -> list[Off]:
    """Of each check of some runs of ours, in their order."""
    found = []
    for run in runs:
        line, tolerances = run_responses.signed_response(run), run_facts.tolerances_of(run)
        about = quantity(line.principle.quantity)
        for point in judged_run.judged_points(run, run_facts.standing_points(run)):
            if point.use is Use.CHECK and run.signature is not None:
                off, band, percent = off_its_target(point, line, tolerances)
                unit = "%" if percent else about.stated_in
                found.append(Off(run.id, run.signature.signed_at, off, band, unit, tolerances.by_agreement))
    return found


def _course_of_checks(offs: Sequence[Off]) -> list[Course]:
    """Say how far off the checks were over time; the band is the newest's."""
    if len(offs) < _COURSE:
        return []
    newest, points = offs[0], tuple(LifePoint(o.at, o.off) for o in reversed(offs))
    sound, doubtful = (
        (newest.band.sound_low, newest.band.sound_high),
        (newest.band.doubtful_low, newest.band.doubtful_high),
    )
    words = "what both resolve together (k = 2)" if newest.beside else "sound"
    name = "Difference from the instrument beside it" if newest.beside else "Difference from standard"
    return [Course(name, newest.unit, points, sound, doubtful, None, f"Newest: {newest.words}. Shaded: {words}.")]
