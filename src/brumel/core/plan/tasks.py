"""What a probe needs before it may leave: from its kind, its log and its calibration to tasks in their order."""

from __future__ import annotations

from dataclasses import dataclass, replace

from brumel.core.kit.care import Care
from brumel.core.kit.kinds import ProbeKind
from brumel.core.kit.readiness import Readiness, State
from brumel.core.plan.problem import Task

INSPECT, CLEAN, STORAGE, CURE = "inspect", "clean", "storage", "cure"
SWITCH_ON, CALIBRATE, PACK = "switch-on", "calibrate", "pack"

_INSPECT_MIN, _CLEAN_MIN, _CLEANING_MIN, _STORAGE_MIN, _SOAK_MIN = 3, 5, 15, 2, 120
_SWITCH_ON_MIN, _PACK_MIN, _PART_MIN, _CURE_MIN = 1, 2, 10, 2
CLEANING_CAUTION = "Cleaning acids and their fumes: gloves, air, never with chlorine."


@dataclass(frozen=True)
class ProbeDay:
    """A probe as the plan sees it.

    Attributes
    ----------
    label
        What stands on it.
    kind, readiness
        Its kind, with its own waits, and whether it may be used now.
    inspected
        Whether it was inspected for this round already.
    cleaned
        Whether it was cleaned lately enough.
    sound
        Whether its calibration is sound until departure.
    is_on
        Whether its meter is on, so that it warms up or polarises already.
    kept_alive
        Whether it stays polarised while its meter is off; without it, switching on begins the long wait.
    """

    label: str
    kind: ProbeKind
    readiness: Readiness
    inspected: bool = False
    cleaned: bool = True
    sound: bool = False
    is_on: bool = False
    kept_alive: bool = True
    stage: int | None = None
    """When in the house's order it is calibrated."""


def caution_of(key: str, kind: ProbeKind) -> str:
    """Return the caution that belongs to a task of this kind of probe; empty where there is none.

    Examples
    --------
    >>> from brumel.core.shipped_rules import shipped
    >>> caution_of(CLEAN, shipped().kind("orp"))
    'Cleaning acids and their fumes: gloves, air, never with chlorine.'
    """
    if key == CLEAN:
        return CLEANING_CAUTION
    return kind.caution if key in (CURE, CALIBRATE) else ""


def can_be_planned(readiness: Readiness) -> bool:
    """Say whether tasks can make it ready: a probe that failed its inspection is out until it is cleared."""
    return not readiness.failed


def tasks_of(day: ProbeDay) -> tuple[Task, ...]:
    """Return the tasks of a probe in their order.

    Examples
    --------
    >>> from brumel.core.shipped_rules import shipped
    >>> ready = Readiness(State.READY, None, "", "", (), None)
    >>> [t.name for t in tasks_of(ProbeDay("A", shipped().kind("orp"), ready, cleaned=False))]
    ['inspect', 'clean', 'rinse, into storage solution', 'check', 'pack']
    >>> [(t.name, t.wait) for t in tasks_of(ProbeDay("B", shipped().kind("oxygen-polarographic"), ready))][1:3]
    [('switch on, warm up', 10), ('calibrate', 0)]
    """
    tasks = [*_cure(day)]
    if not day.inspected:
        tasks.append(replace(_task(day, INSPECT, "inspect", _INSPECT_MIN), while_waiting=True))
    if not day.cleaned:
        tasks.append(_task(day, CLEAN, "clean", _CLEAN_MIN, _CLEANING_MIN))
        tasks.append(_task(day, STORAGE, "rinse, into storage solution", _STORAGE_MIN, _SOAK_MIN))
    tasks += [replace(t, while_waiting=True) for t in _switch_on(day)]
    if _must_calibrate(day):
        plan = day.kind.plan
        tasks.append(_task(day, CALIBRATE, plan.task, plan.minutes, stage=day.stage))
    tasks.append(_task(day, PACK, "pack", _PACK_MIN))
    return tuple(tasks)


def _task(day: ProbeDay, key: str, name: str, hands: int, wait: float = 0, stage: int | None = None) -> Task:
    return Task(f"{day.label}/{key}", name, hands, round(wait), stage)


def _must_calibrate(day: ProbeDay) -> bool:
    if not day.kind.plan.minutes:
        return False
    upset = day.readiness.state is State.BLOCKED and (
        day.readiness.cure is None or day.readiness.cure.care != Care.POWER_BACK
    )
    return not day.sound or not day.cleaned or upset


def _cure(day: ProbeDay) -> list[Task]:
    """Return what ends a block, first of all: power, soaking, or a new part."""
    cure = day.readiness.cure
    if cure is None:
        return []
    if cure.care == Care.POWER_BACK:
        return [_task(day, CURE, "give it power, let it polarise", _SWITCH_ON_MIN, cure.minutes)]
    part = next((p for p in day.kind.parts if day.kind.part_change(p) == cure.care), "")
    if part:
        return [_task(day, CURE, f"fit a new {part}", _PART_MIN, cure.minutes)]
    return [_task(day, CURE, "soak", _CURE_MIN, cure.minutes)]


def _switch_on(day: ProbeDay) -> list[Task]:
    """Oxygen probes warm up; one that lost its polarisation while its meter was off polarises anew."""
    powered_by_cure = day.readiness.cure is not None and day.readiness.cure.care == Care.POWER_BACK
    if day.is_on or powered_by_cure:
        return []
    if day.kind.powered and not day.kept_alive:
        wait = day.kind.wait_after(Care.POWER_BACK)
        return [_task(day, SWITCH_ON, "switch on, let it polarise", _SWITCH_ON_MIN, wait.minutes if wait else 0)]
    warm_up = day.kind.wait_after(Care.SWITCHED_ON)
    return [_task(day, SWITCH_ON, "switch on, warm up", _SWITCH_ON_MIN, warm_up.minutes)] if warm_up else []
