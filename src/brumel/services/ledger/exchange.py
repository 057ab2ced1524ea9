"""Readings with all that stands behind them as one open file, and such a file taken in: there and back without loss."""

from __future__ import annotations

import json
import uuid
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.quantities.quantity import quantities
from brumel.core.typed import far_in
from brumel.services.errors import InvalidInput, check_number
from brumel.store import exchange
from brumel.store.database import Database, StoreError
from brumel.store.models.base import Base
from brumel.store.models.reference import PlannedRound

FORMAT, VERSION = "brumel-readings", 1
_READING = "reading"
_ROOM = 0.05
_TABLES = {exchange.table_of(model).name: model for model in exchange.IN_ORDER}


def records_of(session: Session, reading_ids: Collection[uuid.UUID]) -> dict[str, Any]:
    """All rows behind readings, by table, as plain data; what they point to by name."""
    rows = exchange.rows_of(session, exchange.closed(session, reading_ids))
    names = exchange.names_of(session, rows)
    for model in exchange.IN_ORDER:
        for column, to in exchange.pointers(model).items():
            known = names.get(to, {})
            for row in rows[exchange.table_of(model).name]:
                # A round is a plan of this database: it stays here.
                row[column] = known.get(row[column]) if to != PlannedRound.__tablename__ else None
    return rows


@dataclass(frozen=True)
class Exchange:
    """Use cases around readings that come from elsewhere."""

    database: Database

    def take_in(self, text: str) -> dict[str, int]:
        """Add all that a file holds and that is not here, in one transaction; return how many rows of each table.

        Raises
        ------
        InvalidInput
            Where it is no such file, names somebody or something that is not known here, or says something else of a
            record than what stands here; then nothing of it is added.
        """
        records = _records(text)
        try:
            with self.database.session() as session:
                _named(session, records)
                return {name: _added(session, model, records.get(name, [])) for name, model in _TABLES.items()}
        except StoreError as error:
            raise InvalidInput({"file": f"It can't stand here: {error}"}) from error


def _added(session: Session, model: type[Base], plain: list[dict[str, Any]]) -> int:
    name = exchange.table_of(model).name
    try:
        rows = [exchange.read_back(model, row) for row in plain]
    except (KeyError, TypeError, ValueError) as error:
        raise InvalidInput({"file": f"records.{name} can't be read: {error}."}) from error
    if other := exchange.add_rows(session, model, rows):
        raise InvalidInput({"file": f"{len(other)} of {name} say something else here: what stands is not changed."})
    return len(rows)


def _records(text: str) -> dict[str, list[dict[str, Any]]]:
    try:
        data = json.loads(text)
    except ValueError as error:
        raise InvalidInput({"file": f"The file is not JSON: {error}."}) from error
    if not isinstance(data, Mapping) or data.get("format") != FORMAT or data.get("version") != VERSION:
        raise InvalidInput({"file": f'The file is no "{FORMAT}" of version {VERSION}: export readings as JSON.'})
    records = data.get("records")
    if not isinstance(records, Mapping) or not all(
        name in _TABLES and isinstance(rows, list) and all(isinstance(r, Mapping) for r in rows)
        for name, rows in records.items()
    ):
        raise InvalidInput({"file": f"records must be an object of lists of rows; it may hold {', '.join(_TABLES)}."})
    found = {name: [dict(row) for row in rows] for name, rows in records.items()}
    for name, rows in found.items():
        for number, row in enumerate(rows, 1):
            if (far := far_in(row)) is not None:
                raise InvalidInput({"file": f"records.{name}, row {number}: {far:g} is too large to be meant."})
            if name == _READING and (words := _beyond(row)):
                raise InvalidInput({"file": f"records.{name}, row {number}: {words}"})
    return found


def _beyond(row: Mapping[str, Any]) -> str:
    """What is said of a value that its quantity can't have; a little room is left for what was measured at its end."""
    about, value = quantities().get(str(row.get("quantity"))), row.get("value")
    if about is None:
        return f"the quantity {row.get('quantity')!r} is not known."
    wrong, (low, high) = dict[str, str](), about.typed
    room = _ROOM * (high - low)
    if isinstance(value, int | float):
        check_number(wrong, "value", value, (low - room, high + room), about.stated_in, about.name)
    return wrong.get("value", "")


def _named(session: Session, records: Mapping[str, list[dict[str, Any]]]) -> None:
    """Put the keys of this database in place of names.

    Raises
    ------
    InvalidInput
        With all that is not known here.
    """
    missing = []
    for to in exchange.KNOWN_BY:
        places = [
            (row, column)
            for model in exchange.IN_ORDER
            for column, pointed in exchange.pointers(model).items()
            if pointed == to
            for row in records.get(exchange.table_of(model).name, [])
            if row.get(column) is not None
        ]
        wanted = {tuple(str(part) for part in row[column]) for row, column in places}
        keys = exchange.keys_of(session, to, wanted)
        missing += [f"{to} {' '.join(name)}" for name in sorted(wanted - set(keys))]
        for row, column in places:
            found = keys.get(tuple(str(part) for part in row[column]))
            row[column] = str(found) if found else None
    if missing:
        raise InvalidInput({"file": f"Not known here: {', '.join(missing)}. Enter them first, then load the file."})
