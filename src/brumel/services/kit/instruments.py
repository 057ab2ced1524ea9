"""Test kits, photometers, titrations and laboratories: what each can see, and how exactly."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy.orm import Session

from brumel.core.errors import CoreError
from brumel.core.kit.accuracy import read_accuracy
from brumel.core.kit.instruments import InstrumentKind, Measures
from brumel.core.quantities.quantity import quantities, quantity
from brumel.core.wording import from_to
from brumel.services.acts import act
from brumel.services.editing import edited
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.people import may_record
from brumel.store.database import Database
from brumel.store.models.reference import Instrument, Person
from brumel.store.queries import visit as visit_queries


@dataclass(frozen=True)
class TypedMeasures:
    """What an instrument can see of a quantity, as typed: from, to, and its accuracy as its leaflet states it."""

    low: float | None = None
    high: float | None = None
    accuracy: str = ""
    gives: str = ""
    """What its method gives of it, by key, where methods differ."""

    @property
    def given(self) -> bool:
        """Whether anything was."""
        return self.low is not None or self.high is not None or bool(self.accuracy.strip())


@dataclass(frozen=True)
class NewInstrument:
    """An instrument, as typed; also for changing one."""

    instrument_id: uuid.UUID
    label: str
    kind: str
    kit: str
    serial: str = ""
    measures: Mapping[str, TypedMeasures] = field(default_factory=dict)
    version: int | None = None


@dataclass(frozen=True)
class Instruments:
    """Use cases around instruments without a probe."""

    database: Database

    def all(self) -> Sequence[Instrument]:
        """Return all of them, by label."""
        with self.database.session() as session:
            return visit_queries.instruments(session)

    def one(self, instrument_id: uuid.UUID) -> Instrument:
        """Return one of them."""
        with self.database.session() as session:
            found = session.get(Instrument, instrument_id)
        if found is None:
            raise NotFound("There is no such instrument.")
        return found

    @act(instrument="new.instrument_id")
    def save(self, new: NewInstrument, person: Person) -> uuid.UUID:
        """Take an instrument into the kit, or change it.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            wrong = _wrong(session, new)
            measures = {}
            for key, typed in new.measures.items():
                if not typed.given:
                    continue
                try:
                    measures[key] = Measures(typed.low, typed.high, read_accuracy(typed.accuracy), typed.gives).plain
                except CoreError as error:
                    wrong[f"accuracy-{key}"] = str(error)
            if not measures and not wrong:
                wrong["measures"] = "Say of at least one quantity what it can see, or how exact it is."
            if wrong:
                raise InvalidInput(wrong)
            with edited(session, Instrument, new.instrument_id, new.version, _shown) as instrument:
                instrument.label, instrument.serial = new.label.strip(), new.serial.strip()
                instrument.kind, instrument.kit, instrument.measures = new.kind, new.kit.strip(), measures
        return new.instrument_id


def _shown(instrument: Instrument) -> dict[str, object]:
    return {"label": instrument.label, "kit": instrument.kit}


def _wrong(session: Session, new: NewInstrument) -> dict[str, str]:
    wrong = {}
    if not new.label.strip():
        wrong["label"] = "Give it the label that stands on it."
    if any(
        i.label == new.label.strip() and i.id != new.instrument_id
        for i in visit_queries.instruments(session, retired=True)
    ):
        wrong["label"] = "Another instrument has this label: choose one that differs."
    if new.kind not in set(InstrumentKind):
        wrong["kind"] = "Choose what kind of instrument it is."
    if not new.kit.strip():
        wrong["kit"] = "Say in which kit it travels, or where it stands."
    for key, typed in new.measures.items():
        if key not in quantities():
            wrong["measures"] = f"Not known: {key}."
            continue
        about = quantity(key)
        for name, value in (("low", typed.low), ("high", typed.high)):
            if value is not None and not about.typed[0] <= value <= about.typed[1]:
                wrong[f"{name}-{key}"] = f"From {from_to(*about.typed)}{about.after}."
        if typed.given and about.gives and typed.gives not in {g.key for g in about.gives}:
            ways = ", ".join(f"{g.key} ({g.words})" for g in about.gives)
            wrong[f"gives-{key}"] = f"Methods differ in what they give: choose by its leaflet. There are {ways}."
        if typed.low is not None and typed.high is not None and typed.low >= typed.high:
            wrong[f"high-{key}"] = "What it can see must end above where it begins."
    return wrong
