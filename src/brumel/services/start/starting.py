"""The guided start: a proposal that was looked over and changed, kept row by row."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from brumel.core.reading.limits import limits_of
from brumel.services.acts import act
from brumel.services.errors import InvalidInput
from brumel.services.house.chosen import House
from brumel.services.house.rules import in_force
from brumel.services.kit.instruments import Instruments, NewInstrument
from brumel.services.kit.meters import Meters, NewMeter
from brumel.services.kit.probes import NewProbe, Probes
from brumel.services.people import Person, may_record, supervises
from brumel.services.shelf.lots import Shelf
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.sites.sites import NewLimit, NewSite, Reach, Sites

New = NewSite | NewMeter | NewProbe | NewInstrument | NewLot
_WHY = "Set in the guided start"


@dataclass(frozen=True)
class NewThing:
    """A row that was ticked, as typed; of a site also the limits of its water, by quantity."""

    key: uuid.UUID
    what: New
    limits: Mapping[str, Reach]


@dataclass(frozen=True)
class RowsKept:
    """What became of the rows: those kept, and what is wrong with the others, by row and field."""

    kept: frozenset[uuid.UUID]
    wrong: Mapping[uuid.UUID, Mapping[str, str]]


@dataclass(frozen=True)
class Starting:
    """Use cases of the guided start."""

    sites: Sites
    meters: Meters
    probes: Probes
    instruments: Instruments
    shelf: Shelf
    house: House

    @act()
    def keep(self, things: Sequence[NewThing], rinse: str, methods: Mapping[str, str], person: Person) -> RowsKept:
        """Keep what can be kept, each row on its own, meters before the probes on them; sent again it is kept once.

        Raises
        ------
        InvalidInput
            For rinse and procedures; nothing is kept then.
        """
        may_record(person)
        self.house.choose(rinse, methods, person)
        kept, wrong = set[uuid.UUID](), dict[uuid.UUID, Mapping[str, str]]()
        for thing in things:
            try:
                self._keep(thing, person)
                kept.add(thing.key)
            except InvalidInput as refused:
                wrong[thing.key] = refused.fields
        return RowsKept(frozenset(kept), wrong)

    def _keep(self, thing: NewThing, person: Person) -> None:
        match thing.what:
            case NewSite() as site:
                self.sites.save(site, person)
                self._limit(site, thing.limits, person)
            case NewMeter() as meter:
                self.meters.save(meter, person)
            case NewProbe() as probe:
                self.probes.add(probe, person)
            case NewInstrument() as instrument:
                self.instruments.save(instrument, person)
            case NewLot() as lot:
                self.shelf.receive(lot, person)

    def _limit(self, site: NewSite, limits: Mapping[str, Reach], person: Person) -> None:
        """Set those limits that are not what its kind of water has; only a supervisor does."""
        if not supervises(person):
            return
        usual = {key: (limit.low, limit.high) for key, limit in limits_of(in_force(), site.water_kind).items()}
        for key, (low, high) in limits.items():
            if (low, high) != usual.get(key):
                new = NewLimit(uuid.uuid5(site.site_id, key), site.site_id, key, low, high, _WHY)
                self.sites.limit(new, person)
