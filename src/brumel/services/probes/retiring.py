"""What is used no more: retired, so that nothing offers it, while its records stay; and brought back."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session

from brumel.services.acts import act
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.people import may_record
from brumel.store.database import Database
from brumel.store.models.reference import Instrument, Meter, Person, Probe, Site
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries

Used = Probe | Meter | Instrument | Site
WHAT: Mapping[str, type[Used]] = {"probe": Probe, "meter": Meter, "instrument": Instrument, "site": Site}
"""What can be retired, by name; a lot is discarded instead."""


@dataclass(frozen=True)
class Retiring:
    """Use cases around what is used no more."""

    database: Database
    clock: Clock

    @act(thing="key")
    def retire(self, what: str, key: uuid.UUID, person: Person) -> None:
        """Offer it no more.

        Raises
        ------
        InvalidInput
            Where something still rests on it: an open run, probes plugged in.
        """
        may_record(person)
        with self.database.session() as session:
            row = _row(session, what, key)
            if why_not := _in_use(session, row):
                raise InvalidInput({"retire": why_not})
            if row.retired_on is None:
                row.retired_on = self.clock.today()
                row.version += 1

    @act(thing="key")
    def bring_back(self, what: str, key: uuid.UUID, person: Person) -> None:
        """Offer it again."""
        may_record(person)
        with self.database.session() as session:
            row = _row(session, what, key)
            if row.retired_on is not None:
                row.retired_on = None
                row.version += 1


def why_retired(probe: Probe) -> str:
    """Say why nothing new is recorded with a retired probe; empty for one in use."""
    return f"{probe.label} is retired: bring it back on its page first." if probe.retired_on else ""


def _row(session: Session, what: str, key: uuid.UUID) -> Used:
    row = session.get(WHAT[what], key) if what in WHAT else None
    if not isinstance(row, Used):
        raise NotFound(f"There is no such {what if what in WHAT else 'thing'}.")
    return row


def _in_use(session: Session, row: Used) -> str:
    """Say why something can't be retired yet; empty where it can."""
    if isinstance(row, Probe) and any(run.probe_id == row.id for run in run_queries.open_runs(session)):
        return f"{row.label} is being calibrated: finish or cancel that first."
    if isinstance(row, Meter):
        plugged = [p.label for p in queries.probes(session) if p.meter_id == row.id]
        if plugged:
            return f"{', '.join(plugged)} stands as plugged into it: change that first."
    return ""
