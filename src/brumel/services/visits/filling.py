"""The values of one form of a visit: read, put in order, recorded with what each was read with."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.kit.instruments import method_for
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import quantities, quantity
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput
from brumel.services.probes import what_it_is
from brumel.services.readings.draft import NewReading
from brumel.services.readings.given_value import Amending, PlainReading, Spot, add_plain
from brumel.services.readings.history import Beforehand
from brumel.services.readings.place import PlaceRead
from brumel.services.readings.record import record_within
from brumel.services.readings.standing import seen_at, standing_of
from brumel.services.readings.typed_value import TypedValue, read_value
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Instrument, Person, Probe
from brumel.store.models.visit import Visit
from brumel.store.queries import reference as queries

_FIRST = ("station-pressure", "temperature", "specific-conductance", "conductivity", "salinity")
"""What others lean on is recorded before them."""
_WARM = "temperature"


@dataclass(frozen=True)
class TypedIn:
    """A value as it was typed, with what it was read with: ``probe:ID``, ``instrument:ID``, or nothing."""

    reading_id: uuid.UUID
    quantity: str
    text: str
    unit: str = ""
    read_with: str = ""
    despite: str = ""


def _as_given(instrument: Instrument | None, key: str, value: TypedValue) -> tuple[str, TypedValue]:
    """Return the quantity and the value that an instrument's number is, by what its method gives.

    Raises
    ------
    InvalidInput
        Where methods differ and nobody said what this one gives.
    """
    method = method_for(instrument.measures, key) if instrument else None
    if instrument is None or method is None:
        return key, value
    if not method.known:
        words = " or ".join(dict.fromkeys(g.words.partition(",")[0] for g in quantity(method.asked).gives))
        raise InvalidInput(
            {key: f"Say first on the page of {instrument.label} what its method gives: {words}, and as what."}
        )
    if method.given is None or (method.factor == 1.0 and method.quantity == key):
        return key, value
    typed = f"{value.typed_as or quantity(key).exact(value.value) + quantity(key).after} {method.given.words}"
    return method.quantity, TypedValue(value.value * method.factor, value.qualifier, typed)


@dataclass(frozen=True)
class Filling:
    """Records the values of one form, at one spot of a visit, within a transaction that is open."""

    session: Session
    clock: Clock
    visit: Visit
    person: Person
    at: datetime
    """When they were read."""
    spot: Spot = field(default_factory=Spot)
    amending: Amending = field(default_factory=Amending)

    def record(self, entries: Sequence[TypedIn]) -> None:
        """Record all of them, those that others lean on first.

        Raises
        ------
        InvalidInput
            With every field that can't be taken, by the quantity's key.
        """
        typed, wrong = _read(entries)
        rows = standing_of(self.session, self.visit)
        probes = self._probes(entries)
        values = {key: (value.value, value.qualifier) for key, (_, value) in typed.items()}
        known = Beforehand.of(self.session, self.visit.site, self.at, probes, typed, rows, values)
        warm = self._warm(rows, typed)
        for key in sorted(typed, key=lambda key: _FIRST.index(key) if key in _FIRST else len(_FIRST)):
            try:
                self._add(*typed[key], warm, known)
            except InvalidInput as error:
                wrong |= {_field(name, key): words for name, words in error.fields.items()}
            self.session.flush()
            if key == _WARM:
                warm = self._corrected(warm)
        if wrong:
            raise InvalidInput(wrong)

    def _add(self, entry: TypedIn, value: TypedValue, warm: _Warm, known: Beforehand) -> None:
        probe, instrument = self._read_with(entry)
        own = what_it_is.senses(probe) if probe else None
        did = own.shown_so(entry.quantity) if own else None
        if probe is None or own is None or did is None:
            key, value = _as_given(instrument, entry.quantity, value)
            plain = PlainReading(
                entry.reading_id, key, value, instrument, probe, self.spot, None, self.amending, warm.c
            )
            add_plain(self.session, plain, self.visit, self.person, self.at, known)
            return
        if value.qualifier:
            raise InvalidInput({entry.quantity: "A probe shows a number: leave < and > to kits and laboratories."})
        new = NewReading(
            entry.reading_id, self.visit.site_id, probe.id, Source.TYPED_VALUE, visit_id=self.visit.id,
            **self.spot.columns, amends_id=self.amending.amends_id, amend_reason=self.amending.reason,
            typed_as=value.typed_as, temperature_c=warm.c, warm_by=warm.by(entry), u_temperature_c=warm.u,
            shown=value.value,
            meter_did=_did(probe, entry.quantity, did),
            place=PlaceRead(self.visit.site, self.visit.id).around(self.session, own, Surroundings(), self.at),
            taken_at=self.at, despite=entry.despite,
        )  # fmt: skip
        record_within(self.session, self.clock, new, self.person, known)

    def _probes(self, entries: Sequence[TypedIn]) -> Sequence[Probe]:
        """Return the probes that values were read with; who holds them asks for none of them again."""
        keys = {key for e in entries if (key := e.read_with.removeprefix("probe:")) != e.read_with}
        return queries.probes(self.session, [found for key in keys if (found := _known_id(key))])

    def _read_with(self, entry: TypedIn) -> tuple[Probe | None, Instrument | None]:
        what, _, key = entry.read_with.partition(":")
        if what == "probe":
            return self.session.get(Probe, _id(key, entry.quantity)), None
        if what != "instrument":
            return None, None
        instrument = self.session.get(Instrument, _id(key, entry.quantity))
        if instrument is None or method_for(instrument.measures, entry.quantity) is None:
            raise InvalidInput({entry.quantity: "This instrument does not measure it: choose another."})
        return None, instrument

    def _corrected(self, warm: _Warm) -> _Warm:
        """As warm as its reading says once that stands: a thermometer that is known to be off is corrected."""
        read = self.session.get(Reading, warm.reading_id) if warm.reading_id else None
        return replace(warm, c=read.value, u=read.u) if read else warm

    def _warm(self, rows: Sequence[Reading], typed: Mapping[str, tuple[TypedIn, TypedValue]]) -> _Warm:
        """Return the water's temperature: as typed now, else as read before on this visit."""
        if _WARM in typed:
            entry, value = typed[_WARM]
            return _Warm(value.value, entry.reading_id)
        known = seen_at(rows, self.spot).get(_WARM)
        return _Warm(known.value, uuid.UUID(known.record), known.u) if known else _Warm()


@dataclass(frozen=True)
class _Warm:
    """How warm the water was, and the reading that says so."""

    c: float | None = None
    reading_id: uuid.UUID | None = None
    u: float | None = None
    """Its standard uncertainty; None before it stands."""

    def by(self, entry: TypedIn) -> uuid.UUID | None:
        """Return the reading that another value takes it from; a temperature takes it from nothing but itself."""
        return self.reading_id if self.reading_id != entry.reading_id else None


def _read(entries: Sequence[TypedIn]) -> tuple[dict[str, tuple[TypedIn, TypedValue]], dict[str, str]]:
    """Return what was typed by quantity, and what of it can't be read."""
    typed: dict[str, tuple[TypedIn, TypedValue]] = {}
    wrong: dict[str, str] = {}
    for entry in entries:
        if entry.quantity not in quantities():
            wrong[entry.quantity] = "This quantity is not known."
            continue
        try:
            typed[entry.quantity] = entry, read_value(quantity(entry.quantity), entry.text, entry.unit)
        except InvalidInput as error:
            wrong |= error.fields
    return typed, wrong


def unreadable(entries: Sequence[TypedIn]) -> dict[str, str]:
    """Return what of the typed values can't be read, by quantity; to tell it beside what else is wrong with a form."""
    return _read(entries)[1]


def _field(name: str, key: str) -> str:
    """Return the field that a refusal belongs to: what has a field of its own keeps it, all others are the value's."""
    return name if name.startswith(("pressure", "altitude", "despite")) else key


def _known_id(text: str) -> uuid.UUID | None:
    try:
        return uuid.UUID(text)
    except ValueError:
        return None


def _id(text: str, name: str) -> uuid.UUID:
    if (found := _known_id(text)) is None:
        raise InvalidInput({name: "Choose what it was read with."})
    return found


def _did(probe: Probe, key: str, did: Mapping[str, Any]) -> dict[str, Any]:
    """Return what its meter did to what it shows, as its page says once.

    Raises
    ------
    InvalidInput
        Where its page does not say.
    """
    known = (probe.meter.does if probe.meter else {}).get(key)
    if did.get("method") == "" and known is None:
        meter = probe.meter.label if probe.meter else "its meter"
        raise InvalidInput({key: f"Say once on the page of {meter} how it compensates conductivity."})
    return dict(did) | dict(known or {})
