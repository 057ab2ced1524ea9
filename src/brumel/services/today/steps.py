"""What there is to do, each with why and how long it takes."""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from brumel.core.findings import Level
from brumel.core.kit.readiness import State
from brumel.core.plan.hours import MORNING
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.limits import Keeps
from brumel.core.reading.night import NightState
from brumel.core.wording import counted, upper_first
from brumel.core.words.catalogue import word
from brumel.services.clock import Clock
from brumel.services.planning.outlook import Wanted
from brumel.services.planning.plan import Beginning
from brumel.services.probes import run_words
from brumel.services.probes.states import ProbeState
from brumel.services.sites.night import Tonight
from brumel.services.today.coming_back import ProbeBack
from brumel.services.today.strip import AFTER
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.care import CareRecord
from brumel.store.models.reading import Reading
from brumel.store.models.reference import PlannedRound, Probe, Site
from brumel.store.models.visit import Visit

_CALIBRATE_MINUTES = 12
_REPORT_MINUTES = 6
_CHECK_MINUTES = 5
_CHECK_BACK_MINUTES = 6
"""A probe twice in its standards, with cleaning between (common practice)."""
_VISIT_MINUTES = 5
_SEE_TO_MINUTES = 10
_SOON_MINUTES = 15
"""What is due within this is said above all else (rule of this product)."""


class Action(StrEnum):
    """What a next step leads to."""

    BEYOND = "beyond"
    NIGHT = "night"
    RESUME = "resume"
    PAUSED = "paused"
    HAND_BACK = "hand-back"
    GO_ON = "go-on"
    CALIBRATE = "calibrate"
    REPORT = "report"
    LEAVE = "leave"
    VISIT = "visit"
    PREPARE = "prepare"
    ORDER = "order"
    BEGIN = "begin"
    CHECK_BACK = "check-back"


class Section(StrEnum):
    """Where on the page a step stands."""

    ATTENTION = "attention"
    KIT = "kit"
    ROUND = "round"
    AHEAD = "ahead"


@dataclass(frozen=True)
class NextStep:
    """Something to do, why, and how long it takes; None where that is not ours to say."""

    action: Action
    target: uuid.UUID | None
    title: str
    why: str
    level: Level
    minutes: int | None
    section: Section
    kit: str = ""
    """The kit of the probe that it is about."""
    spare: bool = False
    """Of a probe that nobody has used lately."""
    verb: str = ""
    """What its button says, where that is not its action's: a probe that is checked only is not calibrated."""


@dataclass(frozen=True)
class Due:
    """A site that is to be read, and by how many days that is late; negative before its day."""

    site: Site
    late: int
    why: str


def paused(
    pauses: Sequence[tuple[CareRecord, bool]],
    probes: Mapping[uuid.UUID, Probe],
    runs: Sequence[CalibrationRun],
    clock: Clock,
) -> list[NextStep]:
    """Return what probes steer and is paused, until it is handed back; a run that is open for it is gone on with."""
    begun = {run.probe_id: run.id for run in runs}
    found = []
    for pause, passed in pauses:
        probe, by = probes[pause.probe_id], f"{pause.person.name}{', ' if pause.note else ''}{pause.note}"
        of = f"check of {probe.label} has passed."
        action, target = (Action.HAND_BACK if passed else Action.PAUSED), pause.probe_id
        if pause.probe_id in begun:
            action, target = Action.RESUME, begun[pause.probe_id]
        why = f"Paused since {clock.said(pause.at)} by {by}. {'The' if passed else 'Only after a'} {of}"
        title = f"Hand {pause.detail} back"
        found.append(NextStep(action, target, title, why, Level.UNFIT, _CHECK_MINUTES, Section.ATTENTION, probe.kit))
    return found


def nights(found: Iterable[Tonight], clock: Clock) -> list[NextStep]:
    """Ponds whose oxygen is to be read again tonight, or whose aerators must run; what is not due yet stands lower."""
    steps, now = [], clock.now()
    for one in found:
        asked = _NIGHTS.get(one.night.state)
        if asked is None:
            continue
        night, (words, level) = one.night, asked
        by = night.again[0] if night.second is None else night.earliest or night.dawn
        title = words.format(site=one.site.name, by=clock.hour(by))
        minutes = max(round((by - now).total_seconds() / 60), 0)
        due = night.second is not None or minutes <= _SOON_MINUTES
        section = Section.ATTENTION if due else Section.ROUND
        steps.append(NextStep(Action.NIGHT, one.visit_id, title, night.words(clock.hour), level, minutes, section))
    return steps


_NIGHTS: Mapping[NightState, tuple[str, Level]] = {
    NightState.UNKNOWN: ("Read the oxygen of {site} again at {by}", Level.DOUBTFUL),
    NightState.FALLS: ("Aerators of {site} must run by {by}", Level.UNFIT),
    NightState.MAY_FALL: ("Aerators of {site} may be needed from {by}", Level.DOUBTFUL),
}
"""What a night asks for; nothing where its state is missing."""


def leave(rounds: Sequence[PlannedRound], clock: Clock) -> list[NextStep]:
    """Rounds that leave soon: their plan says what to do when."""
    now = clock.now()
    return [
        NextStep(
            Action.LEAVE, r.id, f"Get ready for the round at {clock.local(r.departure):%H:%M}",
            f"{r.kit}, {counted(len(r.site_ids), 'site')}. Its plan says what to do when.",
            Level.SOUND, round((r.departure - now).total_seconds() / 60), Section.ROUND,
        )
        for r in rounds
        if r.departure - now <= AFTER
    ]  # fmt: skip


def tonight(planned: PlannedRound, begins: Iterable[Beginning], clock: Clock) -> list[NextStep]:
    """Return what a round that leaves on another day asks for before its morning."""
    leaves, found = clock.local(planned.departure), []
    for first in begins:
        if clock.local(first.at) < datetime.combine(leaves.date(), MORNING, leaves.tzinfo):
            late = first.at < clock.now()
            why = f"By {clock.said(first.at)} at the latest: the round with {planned.kit} leaves {clock.said(leaves)}."
            why += " That is past: take another probe, or leave later." if late else ""
            level = Level.UNFIT if late else Level.DOUBTFUL
            title = f"{first.state.probe.label}: {first.task.name}"
            found.append(NextStep(Action.BEGIN, planned.id, title, why, level, first.task.hands, Section.AHEAD))
    return found


def lacking(wanted: Iterable[Wanted]) -> list[NextStep]:
    """Standards that there are too few of."""
    return [
        NextStep(Action.ORDER, None, f"{upper_first(w.what)} is missing", w.why, w.level, None, Section.ATTENTION)
        for w in wanted
    ]


def due(sites: Iterable[tuple[Site, Sequence[Reading]]], clock: Clock) -> list[Due]:
    """Say when each site is to be read, the latest first."""
    today, found = clock.today(), []
    for site, readings in sites:
        if not readings:
            found.append(Due(site, 0, "No reading yet."))
            continue
        days = (today - clock.local(readings[0].taken_at).date()).days
        late = days - site.visit_every_days
        why = f"Due {counted(late, 'day')} ago." if late > 0 else "Due today."
        found.append(Due(site, late, f"{why} Last read {'yesterday' if days == 1 else f'{days} days ago'}."))
    return sorted(found, key=lambda d: -d.late)


def visit(due: Due) -> NextStep:
    """Return a site that is to be read."""
    level = Level.DOUBTFUL if due.late else Level.SOUND
    return NextStep(Action.VISIT, due.site.id, f"Read {due.site.name}", due.why, level, _VISIT_MINUTES, Section.ROUND)


def check_back(probes: Sequence[ProbeBack], clock: Clock) -> list[NextStep]:
    """Return what the end of a round asks for, once: the probes that were out, as they came."""
    waiting = [p for p in probes if p.run_id is None]
    if not waiting:
        return []
    names = ", ".join(p.state.probe.label for p in waiting)
    title = f"Back from the round at {clock.hour(max(p.last for p in waiting))}: check {counted(len(waiting), 'probe')}"
    why = f"{names}: each as it came, before it is cleaned. What was the day worth?"
    minutes = _CHECK_BACK_MINUTES * len(waiting)
    return [NextStep(Action.CHECK_BACK, None, title, why, Level.SOUND, minutes, Section.ROUND)]


def beyond(readings: Sequence[Reading]) -> list[NextStep]:
    """Return readings beyond a limit, until somebody has seen to them; what has to be done at once comes first."""
    found = []
    for r in readings:
        limit = next(one for one in r.limits if one["keeps"] == Keeps.BEYOND)
        title = f"{upper_first(quantity(limit['quantity']).name)} beyond its limit at {r.where}"
        why = f"{limit['sentence']} Limit: {limit['source']}."
        level = Level.UNFIT if limit["act"] else Level.DOUBTFUL
        step = NextStep(Action.BEYOND, r.id, title, why, level, _SEE_TO_MINUTES, Section.ATTENTION)
        found.append((not limit["act"], step))
    return [step for _, step in sorted(found, key=lambda f: f[0])]


def unfinished(visits: Sequence[Visit]) -> list[NextStep]:
    """Visits that were left open."""
    return [
        NextStep(
            Action.GO_ON, v.id, f"Go on at {v.name}", f"Begun by {v.person.name}; not finished yet.", Level.DOUBTFUL,
            _VISIT_MINUTES, Section.ROUND,
        )
        for v in visits
    ]  # fmt: skip


def resume(runs: Iterable[CalibrationRun]) -> list[NextStep]:
    """Return calibrations that were begun."""
    return [
        NextStep(
            Action.RESUME,
            run.id,
            f"Finish calibrating {run.probe.label}",
            f"Begun by {run.person.name}; {run_words.points_words(run)}.",
            Level.DOUBTFUL,
            _CALIBRATE_MINUTES,
            Section.KIT,
            run.probe.kit,
        )
        for run in runs
    ]


def prepare(states: Iterable[ProbeState]) -> list[NextStep]:
    """Return probes that something has to be done to before they can be ready."""
    return [
        NextStep(Action.PREPARE, s.probe.id, f"See to {s.probe.label}",
                 f"{word(s.readiness.why)} {word(s.readiness.do)}", Level.UNFIT,
                 _SEE_TO_MINUTES, Section.KIT, s.probe.kit)
        for s in states
        if s.readiness.state is State.BLOCKED
    ]  # fmt: skip


def calibrate(states: Sequence[ProbeState], open_runs: Sequence[CalibrationRun]) -> list[NextStep]:
    """Return probes that are not sound any more; what failed needs attention before what is only old."""
    begun = {run.probe_id for run in open_runs}
    found = []
    for s in sorted(states, key=lambda s: s.level != Level.UNFIT):
        if s.level is Level.SOUND or s.probe.id in begun or not s.keeps_calibration:
            continue
        if s.readiness.state is not State.READY:
            continue
        task = s.kind.plan.task
        action, minutes = (Action.CALIBRATE, _CALIBRATE_MINUTES) if s.on_bench else (Action.REPORT, _REPORT_MINUTES)
        title, verb = f"{upper_first(task)} {s.probe.label}", upper_first(task) if s.on_bench else f"Record {task}"
        section = Section.ATTENTION if s.newest_unfit else Section.KIT
        found.append(NextStep(action, s.probe.id, title, s.why, s.level, minutes, section, s.probe.kit, verb=verb))
    return found
