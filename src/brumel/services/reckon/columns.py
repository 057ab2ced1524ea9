"""A file of readings as CSV, with corrected columns appended to each row."""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, TextIO

import numpy as np

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import REQUIRED, Calculation, InvalidInputs, Number, Points, find
from brumel.core.typed import number_and_rest
from brumel.services.text_tables import read_table
from brumel.services.units import number_in, stem, takes_unit, typed_inputs

CHUNK = 10_000
ERROR_COLUMN = "not_calculated_because"
WARNING_COLUMN = "warnings"
_COLUMN = re.compile(r"@(.+?)(?:\[([^\]]+)\])?$")


def append_columns(
    name: str, given: Mapping[str, str], source: TextIO, target: TextIO, progress: Callable[[int], None]
) -> tuple[int, int]:
    """Copy a CSV file with a calculation's outputs appended to every row, and what has to be said beside them.

    Columns are separated by comma, semicolon or tab, as the first line shows; the copy keeps that, and writes
    decimal commas where the file does.

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
    table = read_table(source)
    if table is None:
        raise InvalidInputs({"file": "The file is empty: its first line must name the columns."})
    header = table.header
    columns, constants = _plan(chosen, given, header)
    writer = csv.writer(target, delimiter=table.separator, lineterminator="\n")
    rows, refused = 0, 0
    outputs: list[str] | None = None
    decimal_comma = False
    for chunk in _chunks(table.rows):
        names, values, reasons, warnings = _worked(chosen, columns, constants, chunk)
        if outputs is None:
            outputs = names
            decimal_comma = _has_decimal_commas(columns, chunk)
            writer.writerow([*header, *_fresh([*outputs, WARNING_COLUMN, ERROR_COLUMN], header)])
        for row, found, warning, reason in zip(chunk, values, warnings, reasons, strict=True):
            padded = row + [""] * (len(header) - len(row))
            shown = [_shown(v, decimal_comma=decimal_comma) for v in found]
            writer.writerow([*padded, *shown, warning, reason])
        rows += len(chunk)
        refused += sum(bool(r) for r in reasons)
        progress(rows)
    if outputs is None:
        names = [*(o.name for o in chosen.outputs), WARNING_COLUMN, ERROR_COLUMN]
        writer.writerow([*header, *_fresh(names, header)])
    return rows, refused


def _has_decimal_commas(columns: Mapping[str, tuple[int, str]], rows: list[list[str]]) -> bool:
    """Say whether the numbers of a file are written with a decimal comma, and none with a point."""
    cells = [row[at] for row in rows for at, _ in columns.values() if at < len(row)]
    return any("," in cell for cell in cells) and not any("." in cell for cell in cells)


def _shown(value: Any, *, decimal_comma: bool) -> str:
    if not isinstance(value, float | int):
        return "" if value is None else str(value)
    text = f"{value:.10g}"
    return text.replace(".", ",") if decimal_comma else text


def _plan(
    chosen: Calculation, given: Mapping[str, str], header: Sequence[str]
) -> tuple[dict[str, tuple[int, str]], dict[str, Any]]:
    columns: dict[str, tuple[int, str]] = {}
    fixed: dict[str, Any] = {}
    wrong: dict[str, str] = {}
    known = {stem(i): i.name for i in chosen.accepted} | {i.name: i.name for i in chosen.accepted}
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
            name = known[key.removesuffix(spread)] + spread
            if name in columns:
                wrong[key] = f"{name} is given twice: give it once."
            columns[name] = (header.index(match[1]), match[2] or "")
    for i in chosen.accepted:
        for key in (i.name, f"{i.name}_u"):
            if key in header and key not in columns and key not in fixed and stem(i) not in fixed:
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
        if unit and not takes_unit(i, unit):
            raise InvalidInputs({key: f"{key} can't be in {unit!r}."})
    return columns, constants


def _fresh(names: Sequence[str], header: Sequence[str]) -> list[str]:
    """Names for the new columns that no old column has."""
    return [f"{n}_corrected" if n in header else n for n in names]


def _chunks(reader: Iterator[list[str]]) -> Iterator[list[list[str]]]:
    while chunk := list(islice(reader, CHUNK)):
        yield chunk


_Worked = tuple[list[str], list[list[Any]], list[str], list[str]]
"""Names of the outputs; for each row its outputs, why there are none, and what stands beside them."""


def _worked(
    chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], rows: list[list[str]]
) -> _Worked:
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
    if not all(isinstance(answer.outputs[n], float | str | np.ndarray) for n in names):
        return _one_by_one(chosen, columns, constants, rows)
    arrays = [np.broadcast_to(np.asarray(answer.outputs[n]), len(rows)) for n in names]
    good = np.logical_and.reduce([np.isfinite(a) for a in arrays if a.dtype.kind == "f"])
    values = [
        list(found) if fine else [""] * len(names)
        for found, fine in zip(zip(*(a.tolist() for a in arrays), strict=True), good, strict=True)
    ]
    reasons = ["" if fine else _why(chosen, columns, constants, row) for row, fine in zip(rows, good, strict=True)]
    said = [" ".join(w) if fine else "" for w, fine in zip(answer.row_warnings(len(rows)), good, strict=True)]
    return names, values, reasons, said


def _one_by_one(
    chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], rows: list[list[str]]
) -> _Worked:
    names = [o.name for o in chosen.outputs]
    values: list[list[Any]] = []
    reasons, warnings = [], []
    for row in rows:
        try:
            answer = calculate(chosen.name, _row_inputs(chosen, columns, constants, row), explain=False)
            values.append([answer.outputs.get(n, "") for n in names])
            reasons.append("")
            warnings.append(" ".join(answer.warnings))
        except InvalidInputs as wrong:
            values.append([""] * len(names))
            reasons.append(str(wrong))
            warnings.append("")
    return names, values, reasons, warnings


def _row_inputs(
    chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], row: list[str]
) -> dict[str, Any]:
    cells = {key: (row[at].strip() if at < len(row) else "") for key, (at, _) in columns.items()}
    wrong = {key: f"{key} is missing: its cell is empty." for key, cell in cells.items() if not cell}
    for key, (_, unit) in columns.items():
        parts = number_and_rest(cells[key])
        if unit and parts and not parts[1]:  # a cell's own unit goes before its column's
            cells[key] += f" {unit}"
    if wrong:
        raise InvalidInputs(wrong)
    return constants | typed_inputs(chosen, cells)


def _why(chosen: Calculation, columns: Mapping[str, tuple[int, str]], constants: dict[str, Any], row: list[str]) -> str:
    try:
        calculate(chosen.name, _row_inputs(chosen, columns, constants, row), explain=False)
    except InvalidInputs as wrong:
        return str(wrong)
    return "The values can't be calculated."


def _number(i: Number, text: str, unit: str, *, spread: bool) -> float:
    """Return a cell's number; NaN where there is none, for which its row then says why."""
    if not unit and text.isascii() and "_" not in text:
        try:
            return float(text)
        except ValueError:
            pass
    try:
        return number_in(i, text, unit, spread=spread)
    except ValueError:
        return float("nan")
