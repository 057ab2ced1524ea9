"""What a round takes along: standards, instruments and all the rest, and what another round wants too."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from brumel.core.plan.hours import STAY_MIN, TRAVEL_MIN, arrivals
from brumel.core.plan.needs import Need
from brumel.core.plan.pack import Load
from brumel.services.house.rules import in_force
from brumel.services.probes.states import ProbeState
from brumel.services.shelf.bottles import label_of
from brumel.services.shelf.lots import LotEntry
from brumel.store.models.reference import Instrument, Meter, PlannedRound, Site


@dataclass(frozen=True)
class StandardAlong:
    """A standard to take along, and the lots that serve, the best first."""

    need: Need
    lots: tuple[LotEntry, ...]


@dataclass(frozen=True)
class Conflict:
    """Another round at the same time, and what both take along."""

    round: PlannedRound
    both: tuple[str, ...]


@dataclass(frozen=True)
class TakenAlong:
    """What a round takes along that can be in one place only."""

    round: PlannedRound
    states: tuple[ProbeState, ...]
    standards: tuple[StandardAlong, ...]

    @property
    def meters(self) -> tuple[Meter, ...]:
        """The meters that its probes are plugged into, each once."""
        return tuple({s.probe.meter.id: s.probe.meter for s in self.states if s.probe.meter}.values())

    @property
    def named(self) -> dict[uuid.UUID, str]:
        """By key, what people call it; of a standard the bottle that would be taken."""
        bottles = [s.lots[0].lot for s in self.standards if s.lots]
        return (
            {s.probe.id: s.probe.label for s in self.states}
            | {m.id: m.label for m in self.meters}
            | {lot.bottle: f"{label_of(lot)}, lot {lot.lot_number}" for lot in bottles}
        )


def times_of(wanted: PlannedRound) -> list[datetime]:
    """Say when a round is at each of its sites, and back at last."""
    travel = wanted.travel or [TRAVEL_MIN] * (len(wanted.site_ids) + 1)
    return arrivals(wanted.departure, travel, wanted.stay_min or STAY_MIN)


def at_once(one: PlannedRound, other: PlannedRound) -> bool:
    """Say whether two rounds are under way at the same time."""
    return one.departure < times_of(other)[-1] and other.departure < times_of(one)[-1]


def instruments_along(
    instruments: Iterable[Instrument], sites: Iterable[Site], sensed: Collection[str]
) -> list[Instrument]:
    """Return the instruments that measure what the waters ask for and no probe senses."""
    asked = {key for s in sites if (kind := in_force().waters.get(s.water_kind)) for key in kind.reads} - {*sensed}
    return [i for i in instruments if asked & i.measures.keys()]


def load_of(taken: TakenAlong, sites: Sequence[Site], along: Sequence[Instrument]) -> Load:
    """Return a round as its pack list sees it."""
    kinds = [in_force().waters[s.water_kind] for s in sites if s.water_kind in in_force().waters]
    return Load(
        reads={r.quantity for s in sites for r in s.ranges} | {key for kind in kinds for key in kind.reads},
        waters={kind.name for kind in kinds},
        stands_in={s.kind.storage_good[0] for s in taken.states if s.kind.storage_good},
        instruments={i.kind for i in along},
        standards=len(taken.standards),
        sites=len(sites),
        probes=len(taken.states),
    )
