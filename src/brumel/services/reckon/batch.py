"""Many calculations at once: JSON lines in, JSON lines out, in order; a bad line never stops the rest.

JSON alone takes most of the time, so lines are taken in chunks and those of one calculation are worked as
arrays. What an array can't say (why a line was refused) is found by working that line again alone.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from itertools import islice
from typing import Any

import numpy as np

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import Calculation, Choice, InvalidInputs, Moment, Points, find
from brumel.services.reckon.faces import plain_outputs
from brumel.services.reckon.units import typed_inputs

CHUNK = 16_384

Job = tuple[int, str, dict[str, Any]]


def batch(lines: Iterable[str]) -> Iterator[str]:
    """For each line ``{"calc": NAME, "inputs": {…}}`` its outputs or error, in order; blank lines are skipped."""
    rest = (line for line in lines if not line.isspace())
    while chunk := list(islice(rest, CHUNK)):
        yield from _chunk(chunk)


def answer_or_error(name: Any, inputs: Any) -> dict[str, Any]:
    """One calculation as a line of the batch has it."""
    try:
        if not isinstance(name, str):
            raise InvalidInputs({"calc": "calc is missing: it names the calculation."})
        if not isinstance(inputs, dict):
            raise InvalidInputs({"inputs": "inputs is missing: an object of names and values."})
        answer = calculate(name, typed_inputs(find(name), inputs), explain=False)
    except InvalidInputs as wrong:
        return {"calc": name, "error": str(wrong)}
    return {"calc": name, "outputs": plain_outputs(answer), "warnings": answer.warnings}


class DoubledKey(ValueError):
    """A key stands twice in a JSON object: which of the two was meant?"""


def read_json(text: str | bytes) -> Any:
    """JSON in which no object says the same key twice.

    Raises
    ------
    ValueError
        Where it is no JSON, or (DoubledKey) a key is doubled.
    """
    return json.loads(text, object_pairs_hook=_once)


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        keys = [key for key, _ in pairs]
        raise DoubledKey(f"{next(k for k in keys if keys.count(k) > 1)} is given twice: give it once.")
    return found


def _chunk(lines: list[str]) -> list[str]:
    results: list[str] = [""] * len(lines)
    groups: dict[tuple[Any, ...], list[Job]] = {}
    for place, line in enumerate(lines):
        try:
            asked = json.loads(line)
            name, inputs = asked["calc"], asked["inputs"]
            # More colons than keys: one may be doubled, which this look refuses; it costs too much for every line.
            if line.count(":") != len(asked) + len(inputs):
                read_json(line)
            key = (name, *inputs, *(v for v in inputs.values() if v.__class__ is str))
            groups.setdefault(key, []).append((place, name, inputs))
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
            results[place] = _dump(_refused(line))
    for (name, *_), jobs in groups.items():
        columns = _columns(name, jobs) if len(jobs) > 1 else None
        if columns is None:
            for place, _, inputs in jobs:
                results[place] = _dump(answer_or_error(name, inputs))
        else:
            _together(name, jobs, columns, results)
    return results


def _refused(line: str) -> dict[str, Any]:
    try:
        asked = read_json(line)
    except DoubledKey as error:
        return {"calc": None, "error": str(error)}
    except (ValueError, RecursionError) as error:
        return {"calc": None, "error": f"The line is not JSON: {error}."}
    if not isinstance(asked, dict):
        return {"calc": None, "error": 'A line must be an object: {"calc": NAME, "inputs": {…}}.'}
    return answer_or_error(asked.get("calc"), asked.get("inputs"))


def _columns(name: str, jobs: list[Job]) -> dict[str, Any] | None:
    """The inputs of alike lines as arrays; None where they have to be worked one by one."""
    chosen = _vectorised(name)
    if chosen is None:
        return None
    choices = {i.name for i in chosen.all_inputs if isinstance(i, Choice)}
    first = jobs[0][2]
    columns: dict[str, Any] = {}
    for key, value in first.items():
        if key in choices:
            columns[key] = value
            continue
        column = [inputs[key] for _, _, inputs in jobs]
        if not set(map(type, column)) <= {int, float}:
            return None
        columns[key] = np.array(column, dtype=float)
    return columns


def _vectorised(name: str) -> Calculation | None:
    try:
        chosen = find(name)
    except InvalidInputs:
        return None
    return None if any(isinstance(i, Points | Moment) for i in chosen.inputs) else chosen


def _together(name: str, jobs: list[Job], columns: dict[str, Any], results: list[str]) -> None:
    try:
        answer = calculate(name, columns, strict=False, explain=False)
    except InvalidInputs:
        for place, _, inputs in jobs:
            results[place] = _dump(answer_or_error(name, inputs))
        return
    words = {n: v for n, v in answer.outputs.items() if isinstance(v, str)}
    names = [n for n in answer.outputs if n not in words]
    arrays = [np.broadcast_to(np.asarray(answer.outputs[n], dtype=float), len(jobs)) for n in names]
    good = np.logical_and.reduce([np.isfinite(a) for a in arrays])
    rows = zip(*(a.tolist() for a in arrays), strict=True)
    # A float's repr is its JSON; all else of a line is the same for the whole group.
    slots = ", ".join(f"{_dump(n)}: {_dump(words[n]) if n in words else '{!r}'}" for n in answer.outputs)
    line = "".join(['{{"calc": ', _dump(name), ', "outputs": {{', slots, '}}, "warnings": {}}}'])
    for (place, _, inputs), row, fine, beside in zip(
        jobs, rows, good.tolist(), answer.row_warnings(len(jobs)), strict=True
    ):
        if fine:
            results[place] = line.format(*row, _dump(beside) if beside else "[]")
        else:
            results[place] = _dump(answer_or_error(name, inputs))


_dump = json.JSONEncoder(ensure_ascii=False, allow_nan=False, default=str).encode
