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
    """Write plain data as JSON, each record of a list on a line of its own; times have their offset from UTC.

    Examples
    --------
    >>> print(as_json({"version": 1, "care": [{"probe": "A-pH"}, {"probe": "A-EC"}]}))
    {"version": 1,
    "care": [
    {"probe": "A-pH"},
    {"probe": "A-EC"}
    ]}
    """
    return "{" + ",\n".join(f"{_on_a_line(name)}: {_in_lines(value)}" for name, value in data.items()) + "}"


def _in_lines(value: Any) -> str:
    if isinstance(value, list) and value:
        return "[\n" + ",\n".join(map(_on_a_line, value)) + "\n]"
    return as_json(value) if isinstance(value, dict) else _on_a_line(value)


def _on_a_line(value: Any) -> str:
    """Write it on one line, which the quick encoder does: a year's readings took three times as long indented."""
    return json.dumps(value, default=str, ensure_ascii=False)


def finding_record(finding: Any) -> dict[str, Any]:
    """Return a stored finding as a record nests it."""
    return {k: getattr(finding, k) for k in ("code", "level", "sentence", "remedy", "source")}


def rounded(value: float | None, digits: int) -> float | None:
    """Return a number with so many digits after the point; None stays none."""
    return None if value is None else round(value, digits)
