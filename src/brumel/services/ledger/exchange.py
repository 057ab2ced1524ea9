"""Readings with all that stands behind them as one open file, and such a file taken in: there and back without loss."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.outside_data import UnreadableText, listed, read_json, shown
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput
from brumel.store import exchange, validity
from brumel.store.database import Database, in_words
from brumel.store.models.base import Base
from brumel.store.models.reading import Reading
from brumel.store.models.reference import PlannedRound
from brumel.store.models.visit import ReadingBasis
from brumel.store.series_blocks import FORMER, former_rows

FORMAT, VERSION = "brumel-readings", 1
_TABLES = {exchange.table_of(model).name: model for model in exchange.IN_ORDER}
_AHEAD = timedelta(days=1)
"""So far a moment of another clock may lie ahead of ours."""
_SAID = 8
"""As many faults of a file are told at once."""


def records_of(session: Session, reading_ids: Collection[uuid.UUID]) -> dict[str, Any]:
    """Return all rows behind readings, by table, as plain data; what they point to by name."""
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
    clock: Clock

    def take_in(self, text: str) -> dict[str, int]:
        """Add all that a file holds and that is not here, in one transaction; return how many rows of each table.

        Raises
        ------
        InvalidInput
            Where it is no such file, names somebody or something that is not known here, or says something else of a
            record than what stands here; then nothing of it is added.
        """
        records = _records(text)
        with self.database.session() as session:
            _named(session, records)
            rows = {m: [exchange.read_back(m, row) for row in records.get(name, [])] for name, m in _TABLES.items()}
            _refuse(_wrong(rows, self.clock.now() + _AHEAD))
            new = {model: _new(session, model, rows[model]) for model in exchange.IN_ORDER}
            for model in exchange.IN_ORDER:
                if (refused := exchange.add_rows(session, model, new[model])) is not None:
                    place, error = refused
                    at = _place(model, rows[model].index(new[model][place]) + 1)
                    raise InvalidInput({"file": f"{at}: It can't stand here: {in_words(error)}"}) from error
        return {exchange.table_of(model).name: len(rows[model]) for model in exchange.IN_ORDER}


def _new(session: Session, model: type[Base], rows: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return the rows that are not here.

    Raises
    ------
    InvalidInput
        Where what is here says something else.
    """
    known = exchange.standing(session, model, rows)
    other = [
        r for r in rows if (here := known.get(exchange.key_of(model, r))) is not None and exchange.differs(here, r)
    ]
    if other:
        name = exchange.table_of(model).name
        places = ", ".join(str(rows.index(row) + 1) for row in other[:_SAID])
        raise InvalidInput({
            "file": f"{len(other)} of {name} say something else here: what stands is not changed (row {places})."
        })  # fmt: skip
    return [row for row in rows if exchange.key_of(model, row) not in known]


Rows = Mapping[type[Base], list[dict[str, Any]]]


def _wrong(rows: Rows, latest: datetime) -> Iterator[str]:
    """Yield what is wrong with rows, each with its place: in itself, given twice, to come, or led back to itself."""
    whole: set[type[Base]] = set(rows)
    for model, given in rows.items():
        seen: dict[tuple[Any, ...], int] = {}
        for number, row in enumerate(given, 1):
            place = _place(model, number)
            if words := "; ".join(validity.faults(model, row, whole_row=True)):
                yield f"{place}: {words}."
                whole.discard(model)
                continue
            key = exchange.key_of(model, row)
            yield from (
                f"{place}: {name} lies in the future."
                for name, v in row.items()
                if isinstance(v, datetime) and v > latest
            )
            if key in seen:
                yield f"{place}: its key stands in row {seen[key]} already."
            seen.setdefault(key, number)
    if not {Reading, ReadingBasis} <= whole:
        return
    amended = {r["id"]: [r["amends_id"]] for r in rows[Reading] if r["amends_id"] is not None}
    based: dict[uuid.UUID, list[uuid.UUID]] = {}
    for row in rows[ReadingBasis]:
        based.setdefault(row["reading_id"], []).append(row["basis_id"])
    for links, words in ((amended, "amend"), (based, "rest on")):
        if circle := validity.circular(links):
            yield f"records.reading: {len(circle)} readings {words} each other in a circle: {min(map(str, circle))}, …"


def _refuse(wrong: Iterable[str]) -> None:
    """Refuse a file with the faults that were found, the first of them in words."""
    found = list(wrong)
    if found:
        more = f" And {len(found) - _SAID} more." if len(found) > _SAID else ""
        raise InvalidInput({"file": " ".join(found[:_SAID]) + more})


def _place(model: type[Base], number: int) -> str:
    return f"records.{exchange.table_of(model).name}, row {number}"


def _records(text: str) -> dict[str, list[dict[str, Any]]]:
    try:
        data = read_json(text)
    except UnreadableText as error:
        raise InvalidInput({"file": str(error)}) from error
    if not isinstance(data, Mapping) or data.get("format") != FORMAT or data.get("version") != VERSION:
        raise InvalidInput({"file": f'The file is no "{FORMAT}" of version {VERSION}: export readings as JSON.'})
    records = data.get("records")
    if not isinstance(records, Mapping) or not all(
        name in _TABLES.keys() | FORMER and isinstance(rows, list) and all(isinstance(r, Mapping) for r in rows)
        for name, rows in records.items()
    ):
        raise InvalidInput({"file": f"records must be an object of lists of rows; it may hold {', '.join(_TABLES)}."})
    return _in_blocks({name: [dict(row) for row in rows] for name, rows in records.items()})


def _in_blocks(records: dict[str, list[dict[str, Any]]]) -> dict[str, list[dict[str, Any]]]:
    """Put the traces of a file of an earlier version into blocks, as they are kept now.

    Raises
    ------
    InvalidInput
        Where one is no trace, or what it is of is not in the file.
    """
    blocks, wrong = [], []
    for name, (owner, parents) in FORMER.items():
        of = {str(row.get("id")): row for row in records.get(parents, [])}
        for number, trace in enumerate(records.pop(name, []), 1):
            try:
                blocks += former_rows(name, trace, of[str(trace[owner])])
            except (KeyError, TypeError, ValueError, AttributeError, OverflowError):
                wrong.append(f"records.{name}, row {number}: it is no trace of a row of {parents} in this file.")
    _refuse(wrong)
    return records | {"series_block": records.get("series_block", []) + blocks} if blocks else records


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
        _refuse(
            f"{column} must be a list of {', '.join(exchange.KNOWN_BY[to][1])}; {shown(row[column])} is not."
            for row, column in places if not _names(row[column], to)
        )  # fmt: skip
        wanted = {tuple(row[column]) for row, column in places}
        keys = exchange.keys_of(session, to, wanted)
        missing += [f"{to} {' '.join(name)}" for name in sorted(wanted - set(keys))]
        for row, column in places:
            found = keys.get(tuple(row[column]))
            row[column] = str(found) if found else None
    if missing:
        raise InvalidInput({"file": f"Not known here: {listed(missing)}. Enter them first, then load the file."})


def _names(value: object, to: str) -> bool:
    """Say whether a value names something as people know it."""
    count = len(exchange.KNOWN_BY[to][1])
    return isinstance(value, list) and len(value) == count and all(isinstance(part, str) for part in value)
