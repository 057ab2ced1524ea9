"""Tables as text: separated by commas, semicolons or tabs, as the first line shows."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TextIO

from brumel.core.outside_data import listed
from brumel.core.typed import NotANumber, number_typed
from brumel.services.errors import InvalidInput

_SEPARATORS = ",;\t"


@dataclass(frozen=True)
class Table:
    """The names of the columns, the rows that follow, and what separates their cells."""

    header: list[str]
    rows: Iterator[list[str]]
    separator: str


def read_table(source: TextIO) -> Table | None:
    """Return a table from its first line on; None where there is no line. Empty lines are skipped."""
    first = source.readline()
    separator = max(_SEPARATORS, key=first.count)
    header = next(csv.reader([first], delimiter=separator), None)
    if not header:
        return None
    rows = (row for row in csv.reader(source, delimiter=separator) if row)
    return Table([name.strip() for name in header], rows, separator)


def read_columns(
    source: TextIO, needed: Sequence[str], more: Sequence[str] = ()
) -> tuple[list[str], list[tuple[int, list[str]]]]:
    """Read the columns of these names, and of ``more`` those that are there: their names, and each line with its cells.

    Raises
    ------
    InvalidInput
        Where the file is empty, or lacks a column that is needed.
    """
    table = read_table(source)
    if table is None:
        also = "".join(f"[,{name}]" for name in more)
        raise InvalidInput({"file": f"The file is empty: its first line must be {','.join(needed)}{also}."})
    if missing := [name for name in needed if name not in table.header]:
        raise InvalidInput(
            {"file": f"The file has no column {' and no column '.join(missing)}; it has {listed(table.header)}."}
        )
    names = [name for name in (*needed, *more) if name in table.header]
    places = [table.header.index(name) for name in names]
    rows = [
        (line, [row[at].strip() if at < len(row) else "" for at in places]) for line, row in enumerate(table.rows, 2)
    ]
    return names, rows


def number_in_cell(cell: str, line: int, name: str) -> float:
    """Return the number of a cell.

    Raises
    ------
    InvalidInput
        Where it is none, with its line and column.
    """
    try:
        return number_typed(cell)
    except NotANumber as error:
        raise InvalidInput({"file": f"Line {line}, {name}: {error}"}) from None
