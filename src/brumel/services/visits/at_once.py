"""All probes that stand in one water: each is recorded as soon as it is stable, the rest say what they wait for."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field

from sqlalchemy.orm import Session

from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import quantity
from brumel.services.acts import act
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput
from brumel.services.live.channels import signal_positions_of
from brumel.services.people import Person, may_record
from brumel.services.probes.what_it_is import kind_of
from brumel.services.readings.correct import principle_of
from brumel.services.readings.draft import NewReading
from brumel.services.readings.following import follow_visits
from brumel.services.readings.given_value import PlainReading, Spot, add_plain
from brumel.services.readings.history import Beforehand
from brumel.services.readings.place import PlaceRead
from brumel.services.readings.record import record_within
from brumel.services.readings.standing import standing_of, visit_of
from brumel.services.readings.typed_value import TypedValue
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Probe
from brumel.store.models.visit import Visit

_WARM = "temperature"


@dataclass(frozen=True)
class InWater:
    """A probe whose trace begins after a sample of its device, and the key that its reading will have."""

    probe_id: uuid.UUID
    after_seq: int
    reading_id: uuid.UUID
    until_seq: int | None = None
    """The sample up to which the page had judged its trace."""


@dataclass(frozen=True)
class Together:
    """What is said of all probes of one dip."""

    spot: Spot = field(default_factory=Spot)
    unsettled_reason: str = ""
    despite: str = ""


@dataclass(frozen=True)
class AtOnce:
    """Use cases around several probes in one water."""

    database: Database
    clock: Clock

    def missing(self, visit_id: uuid.UUID, probe_ids: Collection[uuid.UUID]) -> dict[uuid.UUID, dict[str, str]]:
        """What is to be known of the water before a probe's value can be told, by field, for each that lacks it."""
        now, found = self.clock.now(), dict[uuid.UUID, dict[str, str]]()
        with self.database.session() as session:
            visit = visit_of(session, visit_id)
            here = PlaceRead(visit.site, visit.id)
            for probe in (p for key in probe_ids if (p := session.get(Probe, key)) is not None):
                if visit.site is None or signal_positions_of(probe) is None:
                    continue  # what a device indicates is taken as it is
                own = principle_of(probe)
                place = here.around(session, own, Surroundings(), now)
                if wrong := here.wrong(session, kind_of(probe), own, place, now):
                    found[probe.id] = wrong
        return found

    @act(visit="visit_id")
    def record(
        self, visit_id: uuid.UUID, dipped: Sequence[InWater], said: Together, person: Person
    ) -> dict[uuid.UUID, dict[str, str]]:
        """Record all that can be, with what follows; sent twice, it adds once.

        Returns
        -------
        Why not, by field, for each probe that could not be: it waits on.
        """
        may_record(person)
        refused: dict[uuid.UUID, dict[str, str]] = {}
        with self.database.session() as session:
            visit = visit_of(session, visit_id)
            known = {d.probe_id: session.get(Probe, d.probe_id) for d in dipped}
            # A salinity that oxygen leans on is there before it.
            for one in sorted(dipped, key=lambda d: _leans(known[d.probe_id])):
                probe, here = known[one.probe_id], PlaceRead(visit.site, visit.id)
                new = NewReading(
                    one.reading_id, visit.site_id, one.probe_id, Source.DEVICE, after_seq=one.after_seq,
                    until_seq=one.until_seq,
                    visit_id=visit.id, unsettled_reason=said.unsettled_reason, despite=said.despite,
                    place=here.around(session, principle_of(probe), Surroundings(), self.clock.now())
                    if probe else Surroundings(),
                    **said.spot.columns,
                )  # fmt: skip
                if session.get(Reading, one.reading_id) is not None:
                    continue  # by an earlier sending of this form
                try:
                    with session.begin_nested():
                        record_within(session, self.clock, new, person)
                except InvalidInput as wrong:
                    refused[one.probe_id] = wrong.fields
            session.flush()
            taken = [d for d in dipped if d.probe_id not in refused]
            if taken:
                self._temperature(session, visit, taken[0], said.spot, person)
                follow_visits(session, [visit], person, self.clock)
        return refused

    def _temperature(self, session: Session, visit: Visit, by: InWater, spot: Spot, person: Person) -> None:
        """How warm the water was, as one of the probes sensed it, where nobody read it there."""
        found = standing_of(session, visit)
        if any(r.quantity == _WARM and Spot(r.depth_m, r.layer, r.replicate) == spot for r in found):
            return
        read = session.get_one(Reading, by.reading_id)
        if read.temperature_c is not None:
            value = TypedValue(round(read.temperature_c, quantity(_WARM).decimals))
            new = PlainReading(uuid.uuid5(by.reading_id, _WARM), _WARM, value, probe=read.probe, spot=spot, sensed=True)
            add_plain(
                session,
                new,
                visit,
                person,
                read.taken_at,
                Beforehand.of(session, visit.site, read.taken_at, read=found),
            )
            session.flush()


def _leans(probe: Probe | None) -> bool:
    own = principle_of(probe) if probe else None
    return own is not None and (own.needs_salinity or own.needs_conductivity)
