"""Facts as plain data and back: their columns as they stand, what they point to by the name that people know it by."""

from __future__ import annotations

import uuid
from base64 import b64decode, b64encode
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from datetime import date, datetime
from typing import Any, cast

from sqlalchemy import ARRAY, ColumnElement, RowMapping, Table, or_, select, tuple_
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session
from sqlalchemy.types import TypeEngine

from brumel.store.database import hand_over
from brumel.store.frozen_words import keyed, otherwise
from brumel.store.models.base import Base, Source
from brumel.store.models.calibration import (
    CalibrationAbandonment,
    CalibrationAmendment,
    CalibrationCoefficient,
    CalibrationEntry,
    CalibrationFinding,
    CalibrationPoint,
    CalibrationRun,
    CalibrationSignature,
    CalibrationStep,
)
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Instrument, Lot, Person, PlannedRound, Probe, Site
from brumel.store.models.series import SeriesBlock
from brumel.store.models.tables import BY_OWNER, addable
from brumel.store.models.visit import Acknowledgement, ReadingBasis, Visit, VisitEntry, VisitPhoto

KNOWN_BY: Mapping[str, tuple[type[Base], tuple[str, ...]]] = {
    "person": (Person, ("login",)),
    "site": (Site, ("code",)),
    "probe": (Probe, ("label", "serial")),
    "instrument": (Instrument, ("label",)),
    "lot": (Lot, ("standard", "lot_number")),
}
"""What facts point to, by table, and the columns that people know it by."""
_OF_RUNS: tuple[type[Base], ...] = (
    CalibrationRun, CalibrationStep, CalibrationPoint, CalibrationEntry, CalibrationSignature,
    CalibrationCoefficient, CalibrationFinding, CalibrationAbandonment, CalibrationAmendment,
)  # fmt: skip
_OF_VISITS: tuple[type[Base], ...] = (Visit, VisitEntry, VisitPhoto)
_OF_READINGS: tuple[type[Base], ...] = (Reading, SeriesBlock, ReadingFinding, ReadingBasis, Acknowledgement)
IN_ORDER = (*_OF_RUNS, *_OF_VISITS, *_OF_READINGS)
"""The tables, so that each row comes after what it points to."""
Rows = dict[str, list[dict[str, Any]]]
"""Rows by table."""


def table_of(model: type[Base]) -> Table:
    """Return the table of a model."""
    return cast(Table, model.__table__)


def columns_of(model: type[Base]) -> list[str]:
    """The columns of a fact but for its place in the order of this database, and who recorded it here, and when."""
    return addable(model)


def _pointed(table: Table, name: str) -> str:
    """Return the table that a column points to; empty where to none."""
    keys = table.c[name].foreign_keys
    return next((k.column.table.name for k in keys), "")


def closed(session: Session, reading_ids: Collection[uuid.UUID]) -> set[uuid.UUID]:
    """Return these readings, what they amend, and what they were worked out from, to the end of each chain."""
    found, new = set(reading_ids), set(reading_ids)
    while new:
        amended = session.scalars(select(Reading.amends_id).where(Reading.id.in_(new), Reading.amends_id.is_not(None)))
        bases = session.scalars(select(ReadingBasis.basis_id).where(ReadingBasis.reading_id.in_(new)))
        new = {i for i in (*amended, *bases) if i is not None} - found
        found |= new
    return found


def rows_of(session: Session, reading_ids: Collection[uuid.UUID]) -> Rows:
    """All rows behind readings: the visits they belong to, the calibrations they rest on, what was found of each."""
    runs = set(session.scalars(select(Reading.calibration_run_id).where(Reading.id.in_(reading_ids)).distinct()))
    visits = set(session.scalars(select(Reading.visit_id).where(Reading.id.in_(reading_ids)).distinct()))
    points = set(session.scalars(select(CalibrationPoint.id).where(CalibrationPoint.run_id.in_(runs - {None}))))
    keys: dict[str, Collection[Any]] = {
        "run_id": runs - {None}, "visit_id": visits - {None}, "reading_id": reading_ids, "point_id": points,
    }  # fmt: skip
    own = {CalibrationRun: keys["run_id"], Visit: keys["visit_id"], Reading: reading_ids}
    found = {}
    for model in IN_ORDER:
        table = table_of(model)
        if model in own:
            which: ColumnElement[bool] = table.c["id"].in_(own[model])
        else:
            which = or_(*(table.c[by].in_(keys[by]) for by in keys if by in table.c))
        order = [table.c["ordinal"]] if "ordinal" in table.c else list(table.primary_key)
        query = select(*(table.c[name] for name in columns_of(model))).where(which).order_by(*order)
        found[table.name] = [{k: _plain(v) for k, v in row.items()} for row in session.execute(query).mappings()]
    return found


def names_of(session: Session, rows: Rows) -> dict[str, dict[uuid.UUID, list[str]]]:
    """Return what rows point to, by table and key, as people know it."""
    return {
        name: {
            row[0]: [str(v) for v in row[1:]]
            for row in session.execute(select(*_known_columns(name)).where(_known_columns(name)[0].in_(ids)))
        }
        for name, ids in _pointed_ids(rows).items()
    }


def keys_of(session: Session, name: str, known: Iterable[Sequence[str]]) -> dict[tuple[str, ...], uuid.UUID]:
    """Return the keys here of what people know so; what is not here is missing."""
    key, *columns = _known_columns(name)
    wanted = [tuple(k) for k in known]
    found = session.execute(select(key, *columns).where(tuple_(*columns).in_(wanted))) if wanted else ()
    return {tuple(str(v) for v in row[1:]): row[0] for row in found}


def pointers(model: type[Base]) -> dict[str, str]:
    """Columns of a fact that point to something known by name, with its table; a round is not taken along."""
    found = {name: _pointed(table_of(model), name) for name in columns_of(model)}
    return {name: to for name, to in found.items() if to in KNOWN_BY or to == PlannedRound.__tablename__}


def read_back(model: type[Base], plain: Mapping[str, Any]) -> dict[str, Any]:
    """Return a row with its texts in the types of the table, where they are such; what may be missing is nothing."""
    table = table_of(model)
    # A file of an earlier version lacks what was added since, and what was added may be missing.
    given = {name: None for name in columns_of(model) if table.c[name].nullable} | {
        name: value
        for name, value in plain.items()
        if name not in BY_OWNER  # told by an earlier version
    }
    if model is Reading:
        given["budget"] = keyed(given.get("budget"), derived=given.get("source") == Source.DERIVED)
    if model is CalibrationPoint and "deviations_said" not in given:
        given["deviations_said"] = otherwise(given.get("deviations"))
    return {name: _value(table.c[name].type, value) if name in table.c else value for name, value in given.items()}


def key_of(model: type[Base], row: Mapping[str, Any] | RowMapping) -> tuple[Any, ...]:
    """Return the key of a row."""
    return tuple(row[c.name] for c in table_of(model).primary_key)


_KEYS_OF_WORDS = ("said", "settling_said", "working_said")
"""What a file of a version before the keys leaves out; the words beside them are what it says."""


def differs(here: Mapping[str, Any], given: Mapping[str, Any]) -> bool:
    """Say whether a row of a file says something else than the one that stands."""
    left_out = {name for name in _KEYS_OF_WORDS if name in given and given[name] is None}
    return any(here[name] != value for name, value in given.items() if name not in left_out)


def standing(session: Session, model: type[Base], rows: Sequence[dict[str, Any]]) -> dict[tuple[Any, ...], Any]:
    """Return those of these rows that are here, as they stand, by key."""
    table, keys = table_of(model), [key_of(model, row) for row in rows]
    query = select(*(table.c[name] for name in columns_of(model))).where(tuple_(*table.primary_key).in_(keys))
    return {key_of(model, row): dict(row) for row in session.execute(query).mappings()} if rows else {}


def add_rows(session: Session, model: type[Base], rows: Sequence[dict[str, Any]]) -> tuple[int, DBAPIError] | None:
    """Add rows; where the database refuses, the place of the first that it refuses, and why."""
    hand_over(session)
    try:
        with session.begin_nested():
            if rows:
                session.execute(insert(table_of(model)), list(rows))
        return None
    except DBAPIError as together:
        for place, row in enumerate(rows):
            try:
                with session.begin_nested():
                    session.execute(insert(table_of(model)), [row])
            except DBAPIError as error:
                return place, error
        return 0, together


def _known_columns(name: str) -> list[Any]:
    model, columns = KNOWN_BY[name]
    table = table_of(model)
    return [table.c["id"], *(table.c[c] for c in columns)]


def _pointed_ids(rows: Rows) -> dict[str, set[uuid.UUID]]:
    found: dict[str, set[uuid.UUID]] = {name: set() for name in KNOWN_BY}
    for model in IN_ORDER:
        for column, name in pointers(model).items():
            if name in found:
                found[name] |= {r[column] for r in rows[table_of(model).name] if r[column] is not None}
    return found


def _plain(value: Any) -> Any:
    """As JSON has it: a picture as base64; all else JSON writes itself."""
    return b64encode(value).decode() if isinstance(value, bytes) else value


def _value(kind: TypeEngine[Any], plain: Any) -> Any:
    if isinstance(kind, ARRAY) and isinstance(plain, list):
        return [_typed(kind.item_type.python_type, one) for one in plain]
    return _typed(kind.python_type, plain)


_FROM_TEXT: Mapping[type[Any], Callable[[str], Any]] = {
    uuid.UUID: uuid.UUID,
    bytes: lambda text: b64decode(text, validate=True),
    datetime: datetime.fromisoformat,
    date: date.fromisoformat,
}


def _typed(kind: type[Any], value: Any) -> Any:
    """A value in the type of its column; as it is where it is no such, which the model of its record then says."""
    if kind is float and isinstance(value, int) and not isinstance(value, bool):
        return float(value)
    if not isinstance(value, str) or kind not in _FROM_TEXT:
        return value
    try:
        return _FROM_TEXT[kind](value)
    except ValueError:
        return value
