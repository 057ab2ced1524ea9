"""Many calculations at once: JSON lines in, JSON lines out, in order; a bad line never stops the rest.

JSON alone takes most of the time, so it is read by orjson, lines are taken in chunks and those of one calculation
are worked as arrays. What neither can say (why a line was refused) is found by working that line again alone.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Any

import numpy as np
import orjson

from brumel.core.outside_data import UnreadableText, read_json
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import Calculation, Choice, InvalidInputs, Moment, Points, find
from brumel.services.reckon.faces import plain_outputs
from brumel.services.units import typed_inputs

CHUNK = 16_384

Inputs = dict[str, Any]


def batch(lines: Iterable[str]) -> Iterator[str]:
    """For each line ``{"calc": NAME, "inputs": {…}}`` its outputs or error, in order; blank lines are skipped."""
    rest = (line for line in lines if not line.isspace())
    while chunk := list(islice(rest, CHUNK)):
        yield from _chunk(chunk)


def answer_or_error(name: Any, inputs: Any) -> dict[str, Any]:
    """Return one calculation as a line of the batch has it."""
    try:
        if not isinstance(name, str):
            raise InvalidInputs({"calc": "calc is missing: it names the calculation."})
        if not isinstance(inputs, dict):
            raise InvalidInputs({"inputs": "inputs is missing: an object of names and values."})
        answer = calculate(name, typed_inputs(find(name), inputs), explain=False)
    except InvalidInputs as wrong:
        return {"calc": name, "error": str(wrong)}
    return {"calc": name, "outputs": plain_outputs(answer), "warnings": answer.warnings}


def _chunk(lines: list[str]) -> list[str]:
    results: list[str] = [""] * len(lines)
    groups: dict[tuple[Any, ...], tuple[list[int], list[Inputs]]] = {}
    for place, line in enumerate(lines):
        try:
            asked = orjson.loads(line)
            name, inputs = asked["calc"], asked["inputs"]
            if inputs.__class__ is not dict:
                raise TypeError(inputs)
            # More colons than keys: one may be doubled, which this look refuses; it costs too much for every line.
            if line.count(":") != len(asked) + len(inputs):
                read_json(line)
            alike = (name, *inputs)
            if alike not in groups:
                groups[alike] = [], []
            places, given = groups[alike]
            places.append(place)
            given.append(inputs)
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
            results[place] = _dump(_refused(line))
    for (name, *keys), (places, given) in groups.items():
        for place, answered in zip(places, _answers(name, keys, given), strict=True):
            results[place] = answered
    return results


def _refused(line: str) -> dict[str, Any]:
    try:
        asked = read_json(line, "The line")
    except UnreadableText as error:
        return {"calc": None, "error": str(error)}
    if not isinstance(asked, dict):
        return {"calc": None, "error": 'A line must be an object: {"calc": NAME, "inputs": {…}}.'}
    return answer_or_error(asked.get("calc"), asked.get("inputs"))


def _answers(name: Any, keys: Sequence[str], given: Sequence[Inputs]) -> list[str]:
    """The lines of one calculation that give the same inputs by name, answered together where arrays can say it."""
    chosen = _vectorised(name) if len(given) > 1 else None
    if chosen is None:
        return [_alone(name, inputs) for inputs in given]
    choices = [i.name for i in chosen.all_inputs if isinstance(i, Choice) and i.name in keys]
    if not choices:
        return _together(name, {}, keys, given)
    answers = [""] * len(given)
    by_choice: dict[str, list[int]] = {}
    for at, inputs in enumerate(given):
        by_choice.setdefault(repr([inputs[c] for c in choices]), []).append(at)
    numbers = [k for k in keys if k not in choices]
    for places in by_choice.values():
        alike = [given[at] for at in places]
        chosen_of = {c: alike[0][c] for c in choices}
        for at, answered in zip(places, _together(name, chosen_of, numbers, alike), strict=True):
            answers[at] = answered
    return answers


def _vectorised(name: Any) -> Calculation | None:
    try:
        chosen = find(name)
    except InvalidInputs:
        return None
    return None if any(isinstance(i, Points | Moment) for i in chosen.inputs) else chosen


def _together(name: str, choices: Inputs, numbers: Sequence[str], given: Sequence[Inputs]) -> list[str]:
    columns = {k: [inputs[k] for inputs in given] for k in numbers}
    if not all({int, float}.issuperset(map(type, column)) for column in columns.values()):
        return [_alone(name, inputs) for inputs in given]
    try:
        arrays = {k: np.array(column, dtype=float) for k, column in columns.items()}
        answer = calculate(name, choices | arrays, strict=False, explain=False)
    except (InvalidInputs, OverflowError):
        return [_alone(name, inputs) for inputs in given]
    count = len(given)
    words = {n: v for n, v in answer.outputs.items() if isinstance(v, str)}
    found = [np.broadcast_to(np.asarray(v, dtype=float), count) for n, v in answer.outputs.items() if n not in words]
    beside = [_dump(said) if said else "[]" for said in answer.row_warnings(count)] if answer.warned else ["[]"] * count
    # A float's repr is its JSON; all else of a line is the same for the whole group.
    slots = ", ".join(f"{_said(n)}: {_said(words[n]) if n in words else '%r'}" for n in answer.outputs)
    line = f'{{"calc": {_said(name)}, "outputs": {{{slots}}}, "warnings": %s}}'
    answers = [line % row for row in zip(*(a.tolist() for a in found), beside, strict=True)]
    for at in np.flatnonzero(~np.logical_and.reduce([np.isfinite(a) for a in found])).tolist():
        answers[at] = _alone(name, given[at])
    return answers


def _said(text: str) -> str:
    return _dump(text).replace("%", "%%")


def _alone(name: Any, inputs: Any) -> str:
    return _dump(answer_or_error(name, inputs))


_dump = json.JSONEncoder(ensure_ascii=False, allow_nan=False, default=str).encode
