"""Which probes a round takes: from the waters of its sites, the kit that goes along, and what was chosen by hand."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from brumel.core.findings import Level
from brumel.core.kit.readiness import State
from brumel.core.plan.crew import Candidate, Unsuited, crew_for
from brumel.core.plan.waters import Expected, Going
from brumel.core.quantities.quantity import of_a_round
from brumel.services.probes.states import ProbeState
from brumel.store.models.reference import PlannedRound, Site

_NO_PROBE_NEEDED = "temperature"
"""Every other probe has a thermometer of its own."""


@dataclass(frozen=True)
class Crew:
    """The probes that a round takes; the quantities that none in its kit measures; the waters that none is made for."""

    states: tuple[ProbeState, ...]
    going: tuple[Going, ...]
    lacking: tuple[str, ...]
    unsuited: Mapping[str, Sequence[Unsuited]]
    quantities: tuple[str, ...]
    waters: tuple[Expected, ...]

    @property
    def sites_of(self) -> dict[str, tuple[str, ...]]:
        """By the label of a probe, the sites that it goes for."""
        return {g.label: g.sites for g in self.going}


def waters_of(sites: Iterable[Site]) -> list[Expected]:
    """Return what sites are expected to show."""
    return [Expected(s.name, r.quantity, r.low, r.high) for s in sites for r in s.ranges]


def crew_of(wanted: PlannedRound, everyone: Sequence[ProbeState], sites: Iterable[Site]) -> Crew:
    """For each quantity that the sites ask for, the probes of the kit that suit; those chosen by hand come first."""
    waters = waters_of(sites)
    asked = {w.quantity for w in waters}
    asked_for = tuple(q.key for q in of_a_round() if q.key in asked)
    by_label = {s.probe.label: s for s in everyone}
    going: list[Going] = []
    lacking = []
    unsuited = {}
    for key in (k for k in asked_for if k not in wanted.without):
        own = [s for s in everyone if s.kind.quantity == key]
        by_hand = [s for s in own if s.probe.id in wanted.probe_ids]
        in_kit = sorted((s for s in own if s.probe.kit == wanted.kit and s not in by_hand), key=_fitness)
        if by_hand or in_kit:
            chosen, left = crew_for(key, waters, _candidates(by_hand), _candidates(in_kit))
            going += chosen
            if left:
                unsuited[key] = left
        elif key != _NO_PROBE_NEEDED:
            lacking.append(key)
    states = tuple(by_label[g.label] for g in going)
    return Crew(states, tuple(going), tuple(lacking), unsuited, asked_for, tuple(waters))


def _candidates(states: Iterable[ProbeState]) -> list[Candidate]:
    return [Candidate(s.probe.label, s.kind) for s in states]


def _fitness(state: ProbeState) -> tuple[bool, bool, bool, str]:
    """Return the readier and sounder first."""
    ready = state.readiness
    return ready.failed, ready.state is not State.READY, state.level is not Level.SOUND, state.probe.label
