"""Records as CSV and as JSON; times have their offset from UTC."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterable, Iterator
from datetime import datetime
from typing import Any

_LINES = 200
"""So many lines are handed on at a time."""


def as_csv(
    columns: dict[str, Callable[..., Any]], rows: Iterable[tuple[Any, ...]],
    instead: Callable[..., dict[str, Any]] = lambda *row: {},
) -> Iterator[str]:  # fmt: skip
    """A table piece by piece, its line of names at once; a cell that a spreadsheet would run as a formula is quoted.

    ``instead`` gives the cells of a row whose columns can't be asked, by name.
    """
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(columns)
    yield _taken(out)
    for number, row in enumerate(rows, 1):
        other = instead(*row)
        writer.writerow(map(other.get, columns) if other else _cells(columns, row))
        if number % _LINES == 0:
            yield _taken(out)
    yield _taken(out)


def _taken(out: io.StringIO) -> str:
    text = out.getvalue()
    out.seek(0)
    out.truncate()
    return text


def _cells(columns: dict[str, Callable[..., Any]], row: tuple[Any, ...]) -> Iterator[Any]:
    for column in columns.values():
        value = column(*row)
        if isinstance(value, datetime):
            yield value.isoformat()
        elif isinstance(value, bool):
            yield "yes" if value else "no"
        elif isinstance(value, str) and value[:1] in "=+-@\t\r" and value:
            yield "'" + value  # a spreadsheet would run it as a formula
        else:
            yield value


def as_json(data: dict[str, Any]) -> str:
    """Plain data as JSON; times have their offset from UTC."""
    return json.dumps(data, default=str, indent=1, ensure_ascii=False)
