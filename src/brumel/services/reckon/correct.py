"""A series between two calibrations corrected for what its checks found, for ``brumel correct``."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, TextIO

import numpy as np

from brumel.core.errors import CoreError
from brumel.core.numbers.arrays import Array
from brumel.core.outside_data import UnreadableText, read_json, shown
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.record.drift import Errors, Moved, dirt_of, share_of
from brumel.core.record.grades import Grade, Grading, gradings
from brumel.core.record.shapes import each, fields, moment, number, one_of, text
from brumel.services.errors import InvalidInput
from brumel.services.text_tables import number_in_cell, read_columns
from brumel.services.units import linear_factor

_TIME, _VALUE = "time", "value"
_SENSOR, _FIELD = ("sensor_before", "sensor_after"), ("field_before", "field_after")
_STANDARD = fields({"standard": number(), "reading": number()})
_MOST_STANDARDS = 20


@dataclass(frozen=True)
class Checks:
    """A file of checks as read: the span between two calibrations, and what moved in it."""

    about: Quantity
    unit: str
    factor: float
    """By what values in that unit are multiplied to be in the quantity's own."""
    start: datetime
    end: datetime
    moved: Moved

    @property
    def grading(self) -> Grading:
        """The bounds of its quantity."""
        return gradings()[self.about.key]


@dataclass(frozen=True)
class CorrectedSeries:
    """A series as it was read and as it is corrected, with what was found of it.

    ``values`` and ``corrected`` in the quantity's own unit, shape (n,); not a number where there is no sample, and
    where one lies outside the span.
    """

    checks: Checks
    times: tuple[str, ...]
    raw: tuple[str, ...]
    values: Array
    corrected: Array
    needed: bool
    grade: Grade
    publish: bool

    def rows(self) -> Iterator[tuple[str, str, str]]:
        """Yield time and value as they were written, and the corrected value in the same unit."""
        back = self.corrected / self.checks.factor
        for time, raw, value in zip(self.times, self.raw, back, strict=True):
            yield time, raw, "" if np.isnan(value) else f"{float(value):.6g}"

    @property
    def plain(self) -> dict[str, Any]:
        """Give what was found, fit for JSON; errors are subtracted."""
        c, spanned = self.checks, self.values[~np.isnan(self.corrected)]
        at = float(np.median(spanned))
        scaled = c.moved.dirt.relative
        parts = {"dirt": c.moved.dirt.at(at), "drift": c.moved.drift.at(at), "total": c.moved.by(at)}
        return {
            "quantity": c.about.key,
            "unit": c.unit,
            "at": at / c.factor,
            "errors_in": "%" if scaled else c.unit,
            **{name: _digits(float(v / at * 100.0 if scaled and at else v / c.factor)) for name, v in parts.items()},
            "corrected": self.needed,
            "grade": str(self.grade),
            "publish": self.publish,
            "samples": int(np.sum(~np.isnan(self.values))),
            "outside_span": int(np.sum(np.isnan(self.corrected) & ~np.isnan(self.values))),
            "beyond_standards": int(np.sum(c.moved.drift.beyond(spanned))),
        }

    @property
    def sentence(self) -> str:
        """Say in one line what was done and how good the record is."""
        p = self.plain
        end = f" {p['errors_in']}" if p["errors_in"] else ""
        did = "corrected in proportion to time" if p["corrected"] else "left as it is: that is within what is left"
        publish = "" if p["publish"] else "; it moved too far to be published"
        outside = f" {p['outside_span']} samples lie outside the span." if p["outside_span"] else ""
        return (
            f"dirt {p['dirt']:+g}{end}, drift {p['drift']:+g}{end}, together {p['total']:g}{end}; "
            f"{did}. The record is {p['grade']}{publish}.{outside}"
        )


def read_checks(data: str) -> Checks:
    """Read a file of checks (docs/formats.md).

    Raises
    ------
    InvalidInput
        With each field that is wrong: the rule, and what was found.
    """
    try:
        given = _with_moments(read_json(data))
    except UnreadableText as error:
        raise InvalidInput({"checks": str(error)}) from error
    if wrong := [*_CHECKS(given)]:
        raise InvalidInput({"checks": f"The checks: {'; '.join(wrong)}."})
    about, unit = quantity(given["quantity"]), given["unit"]
    factor = linear_factor(unit, about.unit)
    if factor is None:
        raise InvalidInput({"checks": f"The checks: unit must be one of {about.name}, as {about.stated_in}; "
                                      f"{shown(unit)} is not."})  # fmt: skip
    if not given["start"] < given["end"]:
        raise InvalidInput({"checks": "The checks: end must come after start."})
    dirt = _part("fouling", lambda: _dirt(about, given.get("fouling"), factor))
    drift = _part("drift", lambda: _drift(about, given.get("drift") or (), factor))
    return Checks(about, unit, factor, given["start"], given["end"], Moved(dirt, drift))


def correct(source: TextIO, checks: Checks) -> CorrectedSeries:
    """Correct a CSV table of ``time`` (RFC 3339) and ``value``; an empty value is a sample that is missing.

    Raises
    ------
    InvalidInput
        Where a column is missing, a cell can't be read (with its line), or no sample lies in the span.
    """
    _, lines = read_columns(source, (_TIME, _VALUE))
    cells = [(line, time, value) for line, (time, value) in lines]
    seconds = np.array([_moment(time, line).timestamp() for line, time, _ in cells], dtype=float)
    read = [number_in_cell(value, line, _VALUE) if value else np.nan for line, _, value in cells]
    values = np.array(read, dtype=float) * checks.factor
    share = share_of(seconds, checks.start.timestamp(), checks.end.timestamp())
    spanned = ~np.isnan(share) & ~np.isnan(values)
    if not spanned.any():
        raise InvalidInput({"file": f"No sample lies between {checks.start.isoformat()} and {checks.end.isoformat()}."})
    moved, bounds = checks.moved.by(values[spanned]), checks.grading
    needed = bounds.correct.passed(moved, values[spanned])
    corrected = np.where(spanned, checks.moved.corrected(values, share) if needed else values, np.nan)
    return CorrectedSeries(
        checks,
        tuple(time for _, time, _ in cells),
        tuple(value for _, _, value in cells),
        values,
        corrected,
        needed,
        bounds.grade(moved, values[spanned]),
        publish=not bounds.publish.passed(moved, values[spanned]),
    )


def series_text(found: CorrectedSeries) -> str:
    """Return a corrected series as CSV."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(("time", "raw", "corrected"))
    writer.writerows(found.rows())
    return out.getvalue()


def _with_moments(data: Any) -> Any:
    """Read the moments of plain data; what is none stays as it was, and is told by its shape."""
    if not isinstance(data, Mapping):
        return data
    return {**data, **{name: _read_moment(data[name]) for name in ("start", "end") if name in data}}


def _read_moment(given: object) -> object:
    try:
        return datetime.fromisoformat(given) if isinstance(given, str) else given
    except ValueError:
        return given


def _fouling(value: object) -> Iterator[str]:
    """Look at readings before and after cleaning; those of a second instrument are both there or neither."""
    yield from (wrong := [*fields(dict.fromkeys(_SENSOR, number()), dict.fromkeys(_FIELD, number()))(value)])
    if not wrong and len([name for name in _FIELD if name in value]) == 1:  # type: ignore[operator]
        yield f"needs both {' and '.join(_FIELD)}, or neither"


_CHECKS = fields(
    {"quantity": lambda value: one_of([*gradings()])(value), "unit": text(40), "start": moment, "end": moment},
    {"fouling": _fouling, "drift": each(_STANDARD, most=_MOST_STANDARDS)},
)


def _dirt(about: Quantity, given: Mapping[str, float] | None, factor: float) -> Errors:
    if given is None:
        return Errors.of(about, [])
    return dirt_of(about, *(given[n] * factor if n in given else None for n in (*_SENSOR, *_FIELD)))  # type: ignore[arg-type]


def _drift(about: Quantity, given: Any, factor: float) -> Errors:
    return Errors.of(about, [(one["reading"] * factor, one["standard"] * factor) for one in given])


def _part(name: str, read: Callable[[], Errors]) -> Errors:
    try:
        return read()
    except CoreError as error:
        raise InvalidInput({"checks": f"The checks: {name}: {error}."}) from error


def _moment(written: str, line: int) -> datetime:
    found = _read_moment(written)
    if not isinstance(found, datetime) or found.tzinfo is None:
        raise InvalidInput(
            {"file": f"Line {line}, {_TIME}: must be a time with its offset, as 2026-05-06T09:30:00Z; "
                     f"{shown(written)} is not."}
        )  # fmt: skip
    return found


def _digits(value: float) -> float:
    return float(f"{value:.6g}")
