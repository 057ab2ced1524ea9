"""What is said, as records keep it: its keys, and beside them the words that were read when it was recorded."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.findings import Finding, Level
from brumel.core.said import VERBATIM, Said, Value, as_plain, as_value, says, verbatim
from brumel.core.uncertainty import Budget
from brumel.core.words.catalogue import share_words, word
from brumel.core.words.kept_findings import plain_finding
from brumel.store.models.base import FindingColumns
from brumel.store.models.calibration import CalibrationPoint
from brumel.store.models.reading import Reading

_NOT_WORDED = (CoreError, TypeError, KeyError, ValueError, AttributeError)
"""What keys of another version may bring about."""
BY_EYE = says("settling.by-eye")
"""How a value settled that was typed."""


def finding_rows(findings: Iterable[Finding]) -> list[dict[str, Any]]:
    """Return findings as rows of either finding table, numbered in reading order."""
    return [{"ordinal": number} | plain_finding(f) for number, f in enumerate(findings)]


def findings_of(rows: Iterable[Mapping[str, Any]]) -> list[Finding]:
    """Return findings as they were stored within a record, by their keys; one without keys says its sentence."""
    return [_finding(row) for row in rows]


def stored_findings(rows: Iterable[FindingColumns]) -> list[Finding]:
    """Return findings as they were stored, by their keys; one without keys says its sentence."""
    return [_finding(vars(row)) for row in rows]


def settling_columns(settling: Value) -> dict[str, Any]:
    """Put how a value settled into columns: its key, and the words that are read now."""
    return {"settling_words": str(word(settling)), "settling_said": as_plain(settling) if settling else None}


def settling_of(row: CalibrationPoint | Reading) -> Value:
    """Read how a stored value settled: by its key, else in the words that were read."""
    return _worded(row.settling_said) or row.settling_words


def deviation_columns(otherwise: Sequence[Value]) -> dict[str, Any]:
    """Put what was done otherwise at a point into columns: its keys, and the words that are read now."""
    return {"deviations": [str(word(d)) for d in otherwise], "deviations_said": [as_plain(d) for d in otherwise]}


def deviations_of(point: CalibrationPoint) -> tuple[Value, ...]:
    """Read what was done otherwise at a stored point, by its keys."""
    return tuple(as_value(d) for d in point.deviations_said)


def lines_of(said: Any, words: Sequence[str]) -> Sequence[str]:
    """Word the lines of a stored working by their keys, where this version words them; else as they were read."""
    try:
        lines = [str(word(as_value(line))) for line in said]
        return lines if all(lines) else words
    except _NOT_WORDED:
        return words


def budget_rows(budget: Budget) -> list[dict[str, Any]]:
    """Return the contributions of a budget as a record keeps them: each with its key, and the name that was read."""
    return [row | {"name": str(share_words(row["key"], row.get("of", "")))} for row in budget.plain]


def u_of(budget: Sequence[Mapping[str, Any]], key: str, otherwise: float) -> float:
    """Return the standard uncertainty that a stored budget gives a contribution; ``otherwise`` where it has none."""
    return next((float(c["u"]) for c in budget if c.get("key") == key), otherwise)


def _finding(row: Mapping[str, Any]) -> Finding:
    said = row.get("said") or {}
    sentence = _worded(said.get("says")) or says(VERBATIM, words=row["sentence"])
    remedy = _worded(said.get("remedy")) or verbatim(row["remedy"])
    source: Value = as_value(said["source"]) if "source" in said else str(row["source"])
    return Finding(row["code"], Level(row["level"]), sentence, remedy, row["minutes"], source)


def _worded(plain: Any) -> Said | None:
    """Read what is said by keys, where this version's catalogue words it; nothing otherwise."""
    try:
        said = Said.of(plain) if plain else None
        return said if word(said) else None
    except _NOT_WORDED:
        return None
