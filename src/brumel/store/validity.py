"""The validated model of each record: what each column of a row must be, and what its columns must be together.

It is made from the tables themselves (types, what may be missing, the words and ends that their CHECKs name), and from
what the trade knows of a column. Whoever adds a fact asks here, a form as well as a file.
"""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import date, datetime
from functools import cache
from typing import Any, cast

from sqlalchemy import ARRAY, CheckConstraint, Column, Table, Text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.types import TypeEngine

from brumel.core.calibrating.file_shape import keyed_or_text
from brumel.core.calibrating.judging import read_method
from brumel.core.numbers.series import BLOCK_MOST
from brumel.core.outside_data import shown
from brumel.core.place.surroundings import SALTS, read_place
from brumel.core.quantities.quantity import quantities
from brumel.core.reading.limits import Keeps
from brumel.core.record.shapes import (
    Shape,
    anything,
    day,
    each,
    fields,
    flag,
    jpeg,
    key,
    moment,
    named,
    nothing_or,
    number,
    one_of,
    read_by,
    text,
    whole,
)
from brumel.core.said import Said, as_value
from brumel.core.sensing.run import Use
from brumel.core.typed import NAME_MOST, NAMES, TEXT_MOST
from brumel.core.wording import from_to
from brumel.core.words.catalogue import word
from brumel.store.database import StoreError
from brumel.store.models.base import Base
from brumel.store.models.series import SeriesBlock
from brumel.store.models.tables import FACTS, HANGING, addable

_ROOM = 0.05
"""As a share of what may be typed of a quantity: so far beyond it lies what was measured at its end."""
_NAMED = re.compile(r"(\w+) IN \((.*)\)")
_AT_LEAST = re.compile(r"(\w+) (>=|>) ([0-9.]+)")


class Unfit(StoreError):
    """A row that can't be a record: a sentence that names each column and what is wrong with it."""


def check(model: type[Base], row: Mapping[str, Any]) -> None:
    """Refuse a row that can't be a record.

    Raises
    ------
    Unfit
        With all that is wrong with it.
    """
    if wrong := [*faults(model, row)]:
        raise Unfit(f"This can't be kept: {'; '.join(wrong)}.")


def faults(model: type[Base], row: Mapping[str, Any], *, whole_row: bool = False) -> Iterator[str]:
    """Yield what is wrong with a row, by column; of a column that is not given, its default stands.

    ``whole_row``: a column that has to be given is missing, too, and none is there that the table lacks.
    """
    table = cast(Table, model.__table__)
    shapes = _models()[table.name]
    wrong = False
    if whole_row:
        needed = [name for name in addable(model) if not table.columns[name].nullable]
        for name, words in [*((n, "is missing") for n in needed if n not in row),
                            *((shown(n), "is not known") for n in row if n not in shapes)]:  # fmt: skip
            wrong = True
            yield f"{name} {words}"
    for words in of_columns(model, row):
        wrong = True
        yield words
    if not wrong and (together := _TOGETHER.get(table.name)) is not None:
        yield from together(row)


def of_columns(model: type[Base], row: Mapping[str, Any]) -> Iterator[str]:
    """Yield what is wrong with columns, each by itself."""
    shapes = _models()[model.__tablename__]
    for name, value in row.items():
        for words in shapes[name](value) if name in shapes else ():
            yield f"{name} {words}"


def circular(links: Mapping[uuid.UUID, Sequence[uuid.UUID]]) -> set[uuid.UUID]:
    """Return the keys that lead back to themselves."""
    left = dict(links)
    while ends := [k for k, to in left.items() if not any(other in left for other in to)]:
        for one in ends:
            del left[one]
    return set(left)


@cache
def _models() -> dict[str, dict[str, Shape]]:
    """Return the shape of each column of each fact."""
    return {model.__tablename__: _shapes(cast(Table, model.__table__)) for model in FACTS}


def _shapes(table: Table) -> dict[str, Shape]:
    said = _said_by_checks(table)
    return {column.name: _shape(table, column, said.get(column.name)) for column in table.columns}


def _shape(table: Table, column: Column[Any], said: Shape | None) -> Shape:
    kind = column.type.item_type if isinstance(column.type, ARRAY) else column.type
    known = _KNOWN.get(f"{table.name}.{column.name}") or said or _KNOWN.get(column.name) or _of_type(column.name, kind)
    if isinstance(column.type, ARRAY):
        known = each(known)
    return nothing_or(known) if column.nullable else known


def _of_type(name: str, kind: TypeEngine[Any]) -> Shape:
    if isinstance(kind, JSONB):
        return anything
    if isinstance(kind, Text):
        return text(NAME_MOST if name in NAMES else TEXT_MOST)
    return _PLAIN[kind.python_type]


def _said_by_checks(table: Table) -> dict[str, Shape]:
    """Return the words and ends that CHECKs of one column name."""
    found: dict[str, Shape] = {}
    for constraint in table.constraints:
        if not isinstance(constraint, CheckConstraint):
            continue
        words = str(constraint.sqltext)
        if match := _NAMED.fullmatch(words):
            found[match[1]] = one_of([word.strip(" '") for word in match[2].split(",")])
        elif match := _AT_LEAST.fullmatch(words):
            found[match[1]] = number(float(match[3]))
    return found


def _content(value: object) -> Iterator[str]:
    if not isinstance(value, bytes):
        yield "must be a file"


_PLAIN: Mapping[type[Any], Shape] = {
    str: text(), float: number(), int: whole(0, 10**18), bool: flag, uuid.UUID: key, datetime: moment, date: day,
    bytes: _content, dict: anything, list: anything,
}  # fmt: skip
_NOT_NEGATIVE = number(0.0)
_SHORT = text(NAME_MOST)
_PRESSURE = fields({"typed": nothing_or(number()), "unit": _SHORT, "kind": _SHORT, "altitude_m": nothing_or(number())})


def _quantity(value: object) -> Iterator[str]:
    if not isinstance(value, str) or (value and value not in quantities()):
        yield "is no quantity that is known"


def _conditions(plain: Mapping[str, Any]) -> None:
    """Read conditions that were put right as those do who judge by them."""
    read_place(plain["place"])
    if plain["waters"] is not None:
        low, high = (float(edge) for edge in plain["waters"])
        if not low <= high:
            raise ValueError("The lower end of the waters lies above the higher one.")


def _worded(plain: Mapping[str, Any]) -> None:
    """Read what is said by a key as those do who word it."""
    word(Said.of(plain))


def _said(plain: Mapping[str, Any]) -> None:
    """Read the keys of a finding as those do who word it."""
    _worded(plain["says"])
    word(as_value(plain["source"]))
    if "remedy" in plain:
        _worded(plain["remedy"])


_KNOWN: Mapping[str, Shape] = {
    "quantity": _quantity,
    "minutes": _NOT_NEGATIVE,
    "temperature_c": number(*quantities()["temperature"].typed),
    "pressure_hpa": number(*quantities()["station-pressure"].typed),
    "depth_m": number(*quantities()["depth"].typed),
    "use": one_of(list(Use)),
    "layer": one_of(["", "top", "bottom"]),
    "jpeg": jpeg,
    "times_s": _NOT_NEGATIVE,
    "lots": named(_SHORT),
    "covariance": each(each(number())),
    "calibration_run.method": read_by(read_method),
    "calibration_entry.conditions": nothing_or(read_by(_conditions)),
    "reading.surroundings": read_by(
        read_place,
        fields({}, {"pressure": _PRESSURE, "pressure_by": _SHORT, "water_c": number(),
                    **{f"{before}{salts}": number(0.0) for salts in SALTS for before in ("", "u_")},
                    **{f"{salts}_{after}": _SHORT for salts in SALTS for after in ("from", "by")}}),
    ),
    "reading.budget": each(
        fields({"name": text(), "u": _NOT_NEGATIVE, "unit": _SHORT, "sensitivity": number()},
               {"key": _SHORT, "of": text()})
    ),
    "said": nothing_or(read_by(_said)),
    "settling_said": nothing_or(read_by(_worded)),
    "deviations_said": each(keyed_or_text),
    "reading.working": each(text()),
    "working_said": nothing_or(each(keyed_or_text)),
    "reading.derived": each(
        fields({"quantity": _quantity, "value": number(), "u": _NOT_NEGATIVE, "unit": _SHORT, "working": each(text())},
               {"working_said": each(keyed_or_text)})
    ),
    "reading.limits": each(
        fields({"quantity": _quantity, "keeps": one_of(list(Keeps)), "sentence": text(), "act": flag},
               {"source": text(), "said": read_by(_worded)})
    ),
}  # fmt: skip
"""What the trade knows of a column, by its name or its table's and its own."""


def _reading(row: Mapping[str, Any]) -> Iterator[str]:
    about = quantities().get(row.get("quantity", ""))
    if about is None:
        yield "quantity must be one that is known"
        return
    low, high = about.typed
    room = _ROOM * (high - low)
    if "value" in row and not low - room <= row["value"] <= high + room:
        yield f"value: {about.name} must be {from_to(low, high)}{about.after}; {row['value']:g} is not"
    if row.get("unit", about.unit) != about.unit:
        yield f"unit must be {about.unit or 'nothing'}, in which {about.name} is kept; {row['unit']!r} is not"
    if row.get("amends_id") is not None and row["amends_id"] == row.get("id"):
        yield "amends_id is its own key: a reading can't amend itself"


def _block(row: Mapping[str, Any]) -> Iterator[str]:
    arrays = [row[name] for name in ("times_s", "samples", "temperature_c") if row.get(name) is not None]
    if len({len(array) for array in arrays}) > 1 or not all(1 <= len(array) <= BLOCK_MOST for array in arrays):
        yield f"times_s, samples and temperature_c must be of one length, 1 to {BLOCK_MOST}"
    if sum(row.get(owner) is not None for owner in HANGING[SeriesBlock]) != 1:
        yield f"it must be of exactly one of {', '.join(HANGING[SeriesBlock])}"


def _basis(row: Mapping[str, Any]) -> Iterator[str]:
    if row.get("reading_id") == row.get("basis_id"):
        yield "basis_id is its own reading: nothing is worked out from itself"


_TOGETHER: Mapping[str, Callable[[Mapping[str, Any]], Iterator[str]]] = {
    "reading": _reading, "series_block": _block, "reading_basis": _basis,
}  # fmt: skip
"""What the columns of a row must be together, by table."""
