"""Steps of a plan and what a night asks for as a calendar file (RFC 5545), each with an alarm."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from icalendar import Alarm, Calendar, Event

from brumel.core.reading.night import Night, NightState
from brumel.services.planning.plan import PlanStep

_BEFORE = timedelta(minutes=2)


@dataclass(frozen=True)
class Dated:
    """An event of a calendar; its key stays when what it is made from is worked out again."""

    key: uuid.UUID
    begin: datetime
    end: datetime
    words: str


def of_plan(round_id: uuid.UUID, steps: Sequence[PlanStep]) -> list[Dated]:
    """Return one entry a step of a plan."""
    return [
        Dated(uuid.uuid5(round_id, s.key), s.begin, s.hands_until, f"{s.probe.probe.label}: {s.name}") for s in steps
    ]


def of_night(visit_id: uuid.UUID, name: str, night: Night) -> list[Dated]:
    """Return when a pond's oxygen is to be read again, or by when its aerators must run; nothing where neither."""
    if night.state is NightState.UNKNOWN:
        return [Dated(uuid.uuid5(visit_id, "again"), *night.again, f"Read the oxygen of {name} again")]
    if night.earliest is None:
        return []
    until = night.crosses or night.dawn
    return [Dated(uuid.uuid5(visit_id, "aerators"), night.earliest, until, f"Aerators of {name} must run")]


def calendar_of(entries: Sequence[Dated], now: datetime) -> bytes:
    """Return the entries as a file, each with an alarm."""
    calendar = Calendar()
    calendar.add("prodid", "-//Brumel//plan//EN")
    calendar.add("version", "2.0")
    for entry in entries:
        event = Event()
        event.add("uid", f"{entry.key}@brumel")
        event.add("dtstamp", now)
        event.add("dtstart", entry.begin)
        event.add("dtend", entry.end)
        event.add("summary", entry.words)
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", entry.words)
        alarm.add("trigger", -_BEFORE)
        event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
