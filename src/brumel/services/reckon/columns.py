"""A file of readings as CSV, with corrected columns appended to each row."""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, TextIO

import numpy as np

from brumel.core.calculation import REQUIRED, Calculation, InvalidInputs, Number, Points, find
from brumel.core.reckoning import calculate
from brumel.services.reckon.units import UNITS, in_unit, stem, typed_inputs

CHUNK = 10_000
ERROR_COLUMN = "not_calculated_because"
_COLUMN = re.compile(r"@(.+?)(?:\[([^\]]+)\])?$")


def append_columns(
    name: str, given: Mapping[str, str], source: TextIO, target: TextIO, progress: Callable[[int], None]
) -> tuple[int, int]:
    """Copy a CSV file with a calculation's outputs appended to every row.

    Parameters
    ----------
    given
        Inputs for all rows (``salinity=0``), or from a column (``temperature_c=@Temp``, in another unit
        ``temperature_c=@Temp[degF]``). An input with no entry is read from the column of its own name.
    progress
        Told how many rows have been written so far.

    Returns
    -------
    tuple
        Rows written, and how many of them could not be calculated; those say why in a column of its own.

    Raises
    ------
    InvalidInputs
        Where a column is missing, before anything is written.
    """
    chosen = find(name)
    if any(isinstance(i, Points) for i in chosen.inputs):
        raise InvalidInputs({"calc": f"{name} takes points, which a row of a table can't hold: use --batch."})
    reader = csv.reader(source)
    header = next(reader, None)
    if header is None:
        raise InvalidInputs({"file": "The file is empty: its first line must name the columns."})
    columns, constants = _plan(chosen, given, header)
    writer = csv.writer(target, lineterminator="\n")
    rows, refused = 0, 0
    outputs: list[str] | None = None
    for chunk in _chunks(reader):
        names, values, reasons = _worked(chosen, columns, constants, chunk)
        if outputs is None:
            outputs = names
            writer.writerow([*header, *_fresh(outputs, header), ERROR_COLUMN])
        for row, found, reason in zip(chunk, values, reasons, strict=True):
            padded = row + [""] * (len(header) - len(row))
            writer.writerow([*padded, *found, reason])
        rows += len(chunk)
        refused += sum(bool(r) for r in reasons)
        progress(rows)
    if outputs is None:
        writer.writerow([*header, *_fresh([o.name for o in chosen.outputs], header), ERROR_COLUMN])
    return rows, refused


def _plan(
    chosen: Calculation, given: Mapping[str, str], header: Sequence[str]
) -> tuple[dict[str, tuple[int, str]], dict[str, Any]]:
    columns: dict[str, tuple[int, str]] = {}
    fixed: dict[str, Any] = {}
    wrong: dict[str, str] = {}
    known = {stem(i): i.name for i in chosen.all_inputs} | {i.name: i.name for i in chosen.all_inputs}
    for key, text in given.items():
        match = _COLUMN.match(text)
        if match is None:
            fixed[key] = text
        elif match[1] not in header:
            wrong[key] = f"{key}: the file has no column {match[1]!r}; it has {', '.join(header)}."
        elif key not in known and key.removesuffix("_u") not in known:
            wrong[key] = f"{chosen.name} has no input {key!r}; it takes {', '.join(sorted(known))}."
        else:
            spread = "_u" if key not in known else ""
            columns[known[key.removesuffix(spread)] + spread] = (header.index(match[1]), match[2] or "")
    for i in chosen.all_inputs:
        for key in (i.name, f"{i.name}_u"):
            if key in header and key not in columns and key not in fixed:
                columns[key] = (header.index(key), "")
    if wrong:
        raise InvalidInputs(wrong)
    constants = typed_inputs(chosen, fixed)
    missing = {
        i.name: f"{i.name} is missing: give {i.name}=VALUE, or {i.name}=@COLUMN; the file has {', '.join(header)}."
        for i in chosen.inputs
        if i.name not in columns and i.name not in constants and i.default is REQUIRED
    }
    if missing:
        raise InvalidInputs(missing)
    for key, (_, unit) in columns.items():
        i = chosen.input(key.removesuffix("_u"))
        if unit and not (isinstance(i, Number) and unit in UNITS.get(i.unit, {})):
            raise InvalidInputs({key: f"{key} can't be in {unit!r}."})
    return columns, constants


def _fresh(outputs: Sequence[str], header: Sequence[str]) -> list[str]:
    """Names for the new columns that no old column has."""
    return [f"{o}_corrected" if o in header else o for o in outputs]


def _chunks(reader: Iterator[list[str]]) -> Iterator[list[list[str]]]:
    rows = (row for row in reader if row)
    while chunk := list(islice(rows, CHUNK)):
        yield chunk


def _worked(
    chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], rows: list[list[str]]
) -> tuple[list[str], list[list[Any]], list[str]]:
    inputs = dict(constants)
    for key, (at, unit) in columns.items():
        i = chosen.input(key.removesuffix("_u"))
        texts = [row[at] if at < len(row) else "" for row in rows]
        if not isinstance(i, Number):
            return _one_by_one(chosen, columns, constants, rows)
        inputs[key] = np.array([_number(i, text, unit, spread=key != i.name) for text in texts])
    try:
        answer = calculate(chosen.name, inputs, strict=False, explain=False)
    except InvalidInputs:
        return _one_by_one(chosen, columns, constants, rows)
    names = list(answer.outputs)
    if not all(isinstance(answer.outputs[n], float | np.ndarray) for n in names):
        return _one_by_one(chosen, columns, constants, rows)
    arrays = [np.broadcast_to(np.asarray(answer.outputs[n], dtype=float), len(rows)) for n in names]
    good = np.logical_and.reduce([np.isfinite(a) for a in arrays])
    values = [
        [f"{v:.10g}" for v in found] if fine else [""] * len(names)
        for found, fine in zip(zip(*arrays, strict=True), good, strict=True)
    ]
    reasons = ["" if fine else _why(chosen, columns, constants, row) for row, fine in zip(rows, good, strict=True)]
    return names, values, reasons


def _one_by_one(
    chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], rows: list[list[str]]
) -> tuple[list[str], list[list[Any]], list[str]]:
    names = [o.name for o in chosen.outputs]
    values: list[list[Any]] = []
    reasons = []
    for row in rows:
        try:
            answer = calculate(chosen.name, _row_inputs(chosen, columns, constants, row), explain=False)
            values.append([answer.outputs.get(n, "") for n in names])
            reasons.append("")
        except InvalidInputs as wrong:
            values.append([""] * len(names))
            reasons.append(str(wrong))
    return names, values, reasons


def _row_inputs(
    chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], row: list[str]
) -> dict[str, Any]:
    cells = {key: (row[at].strip() if at < len(row) else "") for key, (at, _) in columns.items()}
    empty = {key: f"{key} is missing: its cell is empty." for key, cell in cells.items() if not cell}
    if empty:
        raise InvalidInputs(empty)
    return constants | typed_inputs(chosen, {key: cells[key] + unit for key, (_, unit) in columns.items()})


def _why(chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], row: list[str]) -> str:
    try:
        calculate(chosen.name, _row_inputs(chosen, columns, constants, row), explain=False)
    except InvalidInputs as wrong:
        return str(wrong)
    return "The values can't be calculated."


def _number(i: Number, text: str, unit: str, *, spread: bool) -> float:
    try:
        value = float(text)
    except ValueError:
        return float("nan")
    if not unit:
        return value
    return in_unit(i, value, unit, spread=spread)
