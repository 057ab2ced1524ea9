"""Tables as text: separated by commas, semicolons or tabs, as the first line shows."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TextIO

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
