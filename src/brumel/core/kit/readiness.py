"""When a probe is ready, from what was done to it: the same function everywhere."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum

from brumel.core.kit.care import METER_LOSES, Care
from brumel.core.kit.kinds import ProbeKind, Wait
from brumel.core.said import Day, Said, says

_EVER = datetime.min.replace(tzinfo=UTC)


class State(StrEnum):
    """Whether a probe may be used now."""

    READY = "ready"
    WAITING = "waiting"
    BLOCKED = "blocked"


@dataclass(frozen=True)
class CareEvent:
    """One entry of the care log.

    ``detail`` is the liquid it was stored in, or what it was cleaned with; ``good_until`` the last day of a part
    that was put in.
    """

    care: Care
    at: datetime
    detail: str = ""
    good_until: date | None = None


@dataclass(frozen=True)
class Inspected:
    """One inspection before use: the questions answered with no, by key."""

    at: datetime
    failed: tuple[str, ...] = ()


@dataclass(frozen=True)
class RunningWait:
    """A wait: from when to when, and why; drawn as a bar that fills."""

    begin: datetime
    end: datetime
    why: Said

    def minutes_left(self, at: datetime) -> int:
        """Whole minutes until it is over, at least one while it runs."""
        return max(math.ceil((self.end - at).total_seconds() / 60.0), 0)

    def filled(self, at: datetime) -> float:
        """Say how much of the wait is over, 0–1."""
        return min(max((at - self.begin) / (self.end - self.begin), 0.0), 1.0)


@dataclass(frozen=True)
class Cure:
    """What ends a block once it is logged, and how long the probe then waits."""

    care: Care
    minutes: float


@dataclass(frozen=True)
class Readiness:
    """Whether a probe is ready, when it will be, why not and what to do.

    Attributes
    ----------
    state
        Ready, waiting, or blocked until something is done.
    ready_at
        When it will be ready; None where it is, or where that depends on somebody.
    why, do
        What is said of it; nothing where ready.
    clocks
        The waits still running, the longest last.
    voided_at
        When an event ended whatever calibration it had; None where none did.
    meter_lost_at
        When its meter lost the calibrations that it keeps itself; None where it never did.
    cure
        What would end a block; None where it is not blocked, or only an inspection ends it.
    failed
        Whether it failed its inspection: it is out until it is cleared.
    """

    state: State
    ready_at: datetime | None
    why: Said | None
    do: Said | None
    clocks: tuple[RunningWait, ...]
    voided_at: datetime | None
    cure: Cure | None = None
    failed: bool = False
    meter_lost_at: datetime | None = None


def ended(events: Iterable[CareEvent], by: frozenset[Care], since: datetime, until: datetime) -> CareEvent | None:
    """Return the last event of these kinds after a moment and up to another; None where there is none."""
    found = [e for e in events if e.care in by and since < e.at <= until]
    return max(found, key=lambda e: e.at, default=None)


def readiness(
    kind: ProbeKind, events: Sequence[CareEvent], inspections: Sequence[Inspected], at: datetime
) -> Readiness:
    """Work out a probe's readiness at a moment from its log up to then.

    Source: common practice for the times, in ``kinds.toml``.

    Examples
    --------
    >>> from datetime import UTC
    >>> from brumel.core.shipped_rules import shipped
    >>> noon = datetime(2026, 5, 6, 12, tzinfo=UTC)
    >>> changed = CareEvent(Care("membrane-changed"), noon - timedelta(minutes=30))
    >>> found = readiness(shipped().kind("oxygen-polarographic"), [changed], [], noon)
    >>> found.state.value, found.ready_at - noon
    ('waiting', datetime.timedelta(seconds=3600))
    """
    past = sorted((e for e in events if e.at <= at), key=lambda e: e.at)
    looked = sorted((i for i in inspections if i.at <= at), key=lambda i: i.at)
    void = ended(past, kind.voids, _EVER, at)
    lost = ended(past, METER_LOSES, _EVER, at)
    voided_at, meter_lost_at = (e.at if e else None for e in (void, lost))
    running = tuple(sorted((c for c in _clocks(kind, past) if c.end > at), key=lambda c: c.end))
    block = (
        _failed(kind, looked)
        or _dropped(past, looked)
        or _worn_out(kind, past, at)
        or _without_power(kind, past, at)
        or _badly_stored(kind, past)
    )
    if block is not None:
        found = Readiness(State.BLOCKED, None, block.why, block.do, running, voided_at, block.cure, block.failed)
    elif running:
        last = running[-1]
        found = Readiness(State.WAITING, last.end, says("wait", why=last.why), None, running, voided_at)
    else:
        found = Readiness(State.READY, None, None, None, (), voided_at)
    return replace(found, meter_lost_at=meter_lost_at)


@dataclass(frozen=True)
class _Block:
    why: Said
    do: Said
    cure: Cure | None = None
    failed: bool = False


def _clocks(kind: ProbeKind, past: Sequence[CareEvent]) -> list[RunningWait]:
    found = []
    for n, event in enumerate(past):
        wait = kind.wait_after(event.care, _minutes_off(kind, past[:n], event.at))
        if wait is not None:
            found.append(RunningWait(event.at, event.at + timedelta(minutes=wait.minutes), _after(event, wait)))
        if event.care == Care.SOAKED and (minutes := _soak_owed(kind, past[:n])):
            found.append(RunningWait(event.at, event.at + timedelta(minutes=minutes), says("wait.soaking")))
    return found


def _after(event: CareEvent, wait: Wait) -> Said:
    return says("wait.after", care=event.care.words, then=wait.then)


def _minutes_off(kind: ProbeKind, before: Sequence[CareEvent], at: datetime) -> float:
    """Return minutes without power until now; unknown counts as long."""
    lost = _last_of_power(kind, before)
    if lost is None or lost.care == Care.POWER_BACK:
        return float("inf")
    return (at - lost.at).total_seconds() / 60.0


def _last_of_power(kind: ProbeKind, before: Sequence[CareEvent]) -> CareEvent | None:
    """The event that says whether it has power: the first of the losses that nothing has ended, or the last return."""
    found: CareEvent | None = None
    for event in before:
        if event.care == Care.POWER_BACK or (
            event.care in kind.power_lost and (found is None or found.care == Care.POWER_BACK)
        ):
            found = event
    return found


def _soak_owed(kind: ProbeKind, before: Sequence[CareEvent]) -> float:
    """Return minutes of soaking that the last storage asks for; 0 where it was a good one."""
    last = next((e for e in reversed(before) if e.care in (Care.STORED, Care.SOAKED)), None)
    bad = kind.bad_storage(last.detail) if last is not None and last.care == Care.STORED else None
    return bad.minutes if bad else 0.0


def _failed(kind: ProbeKind, looked: Sequence[Inspected]) -> _Block | None:
    if not looked or not looked[-1].failed:
        return None
    questions = [q for q in kind.inspection if q.key in looked[-1].failed]
    why = says("blocked.failed", each=tuple(says("blocked.failed.one", ask=q.ask) for q in questions))
    return _Block(why, says("blocked.failed.then", each=tuple(q.remedy for q in questions)), failed=True)


def _dropped(past: Sequence[CareEvent], looked: Sequence[Inspected]) -> _Block | None:
    fall = next((e for e in reversed(past) if e.care == Care.DROPPED), None)
    if fall is None or any(i.at > fall.at for i in looked):
        return None
    return _Block(says("blocked.dropped"), says("blocked.dropped.then"))


def _worn_out(kind: ProbeKind, past: Sequence[CareEvent], at: datetime) -> _Block | None:
    """Return a part past the last day that was given when it was put in."""
    for part in kind.parts:
        change = kind.part_change(part)
        put_in = next((e for e in reversed(past) if e.care == change), None)
        if change is not None and put_in is not None and put_in.good_until and put_in.good_until < at.date():
            wait = kind.wait_after(change)
            cure = Cure(change, wait.minutes if wait else 0.0)
            return _Block(
                says(
                    "blocked.worn-out",
                    part=part,
                    until=Day(put_in.good_until.isoformat(), at.date().isoformat()),
                ),
                says("blocked.worn-out.then", part=part),
                cure,
            )
    return None


def _without_power(kind: ProbeKind, past: Sequence[CareEvent], at: datetime) -> _Block | None:
    last = _last_of_power(kind, past) if kind.powered else None
    if last is None or last.care == Care.POWER_BACK:
        return None
    wait = kind.wait_after(Care.POWER_BACK, (at - last.at).total_seconds() / 60.0)
    cure = Cure(Care.POWER_BACK, wait.minutes if wait else 0.0)
    return _Block(
        says("blocked.without-power", why=last.detail or last.care.words),
        says("blocked.without-power.then"),
        cure,
    )


def _badly_stored(kind: ProbeKind, past: Sequence[CareEvent]) -> _Block | None:
    minutes = _soak_owed(kind, past)
    if not minutes:
        return None
    last = next(e for e in reversed(past) if e.care == Care.STORED)
    bad = kind.bad_storage(last.detail)
    assert bad is not None
    do = says("blocked.stored.then", remedy=bad.remedy)
    return _Block(says("blocked.stored", liquid=bad.liquid), do, Cure(Care.SOAKED, minutes))
