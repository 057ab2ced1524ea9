"""The steps of a plan as a calendar file (RFC 5545), each with an alarm."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime, timedelta

from icalendar import Alarm, Calendar, Event

from brumel.services.planning.plan import Step

_BEFORE = timedelta(minutes=2)


def calendar_of(round_id: uuid.UUID, steps: Sequence[Step], now: datetime) -> bytes:
    """One event a step; an event keeps its identity when the round's plan is made again."""
    calendar = Calendar()
    calendar.add("prodid", "-//Brumel//plan//EN")
    calendar.add("version", "2.0")
    for step in steps:
        event, words = Event(), f"{step.probe.probe.label}: {step.name}"
        event.add("uid", f"{uuid.uuid5(round_id, step.key)}@brumel")
        event.add("dtstamp", now)
        event.add("dtstart", step.begin)
        event.add("dtend", step.hands_until)
        event.add("summary", words)
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", words)
        alarm.add("trigger", -_BEFORE)
        event.add_component(alarm)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
