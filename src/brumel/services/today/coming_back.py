"""Back from a round: which probes were read with today, and which of them are still to be checked."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, time

from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.house.rules import in_force
from brumel.services.probes.states import ProbeState, States
from brumel.store.database import Database
from brumel.store.queries import run as run_queries


@dataclass(frozen=True)
class ProbeBack:
    """A probe that was out today: when it was read with last, how often, and its check back since then."""

    state: ProbeState
    last: datetime
    readings: int
    procedure: str
    """By which it is checked back."""
    run_id: uuid.UUID | None
    """Of its check back, begun or signed."""


@dataclass(frozen=True)
class ComingBack:
    """Use cases around the end of a round."""

    database: Database
    clock: Clock
    states: States

    @cached
    def probes(self) -> Sequence[ProbeBack]:
        """Return the probes that were read with today and can be checked back, by kit and label."""
        with self.database.session() as session:
            morning = datetime.combine(self.clock.today(), time(), self.clock.timezone)
            used = {row.probe_id: row for row in run_queries.used_since(session, morning)}
        found = []
        for state in self.states.probe_states():
            row, procedure = used.get(state.probe.id), back_procedure(state)
            if row is not None and procedure:
                found.append(ProbeBack(state, row.last, row.readings, procedure, row.back_id))
        return sorted(found, key=lambda p: (p.state.probe.kit, p.state.probe.label))


def back_procedure(state: ProbeState) -> str:
    """Return the code of the procedure by which a probe is checked back; empty where there is none."""
    if not state.on_bench:
        return ""
    return next((m.code for m in in_force().procedures_of(state.kind.principle) if m.checks_back), "")
