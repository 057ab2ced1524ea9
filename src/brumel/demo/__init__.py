"""Hallow Reach: the demonstration's people, probes, lots, sites and a year of work, made from a seed.

Everything here is invented. Dates are relative to the clock's now. Lines, verdicts, corrections and
findings of the history are computed by the same functions as a technician's own work.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from brumel.demo.making import PASSWORD as PASSWORD
from brumel.demo.making import Maker
from brumel.demo.truths import DAYS
from brumel.services.clock import Clock
from brumel.store.database import Database
from brumel.store.models.reference import Device, Person


@dataclass(frozen=True)
class BenchPorts:
    """Where the simulated bench of this start listens."""

    line: int
    control: int
    speed: float


def load(
    database: Database, now: datetime, clock: Clock, progress: Callable[[str], None] = lambda _: None, days: int = DAYS
) -> None:
    """Fill an empty database with Hallow Reach.

    Parameters
    ----------
    now
        The moment that all dates are relative to.
    clock
        Gives the time zone.
    progress
        Told in words how far the work is.
    days
        How far back the daily work goes, at most a year; kit, shelf and what was reported are the same.
    """
    Maker(database, now, clock, progress).make(days)


def loaded(database: Database) -> bool:
    """Say whether somebody can sign in already."""
    with database.session() as session:
        return session.query(Person).first() is not None


def plug_in(database: Database, ports: BenchPorts) -> None:
    """Point the demonstration's devices to the bench as it listens now."""
    with database.session() as session:
        for device in session.query(Device):
            device.url = f"socket://127.0.0.1:{ports.line}"
            device.control = f"127.0.0.1:{ports.control}"
            device.clock_rate = ports.speed
            device.period_s = 0.2 if ports.speed == 1 else 0.08
            device.wanted_until = None
