"""A recorded trace judged by a settling rule, for ``brumel settle``."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, TextIO

import numpy as np

from brumel.core.numbers.series import Series
from brumel.core.settling.judgement import Judgement, judge_settling
from brumel.core.settling.rules import SettlingRule
from brumel.core.settling.windows import first_window
from brumel.core.words.catalogue import word
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.text_tables import number_in_cell, read_columns

_TIME, _VALUE, _TEMPERATURE = "time_s", "value", "temperature_c"


@dataclass(frozen=True)
class Settled:
    """A trace judged: as it is at its end, and when the rule first held in it (None where it never did)."""

    judgement: Judgement
    rule: SettlingRule
    stable_at_s: float | None
    has_temperature: bool

    @property
    def plain(self) -> dict[str, Any]:
        """All of it, fit for JSON."""
        j = self.judgement
        return {
            "state": str(j.state),
            "stable": j.stable,
            "stable_at_s": self.stable_at_s,
            "value": j.value,
            "temperature_c": j.temperature_c if self.has_temperature else None,
            "left_s": j.remaining_s,
            "left_low_s": j.remaining_low_s,
            "left_high_s": j.remaining_high_s,
            "words": str(word(j.says)),
        }


def rule_named(name: str) -> SettlingRule:
    """Return a rule by its name.

    Raises
    ------
    InvalidInput
        Where there is none of this name, with those that there are.
    """
    rules = in_force().settling
    if name not in rules:
        raise InvalidInput({"rule": f"No rule is named {name!r}; there are {', '.join(rules)}."})
    return rules[name]


def settle(source: TextIO, rule: SettlingRule) -> Settled:
    """Judge a CSV table of ``time_s``, ``value`` and, where it has one, ``temperature_c``.

    Raises
    ------
    InvalidInput
        Where a column is missing, a cell is no number, or times do not rise; with the line.
    """
    names, lines = read_columns(source, (_TIME, _VALUE), (_TEMPERATURE,))
    rows = [[number_in_cell(c, line, n) for c, n in zip(cells, names, strict=True)] for line, cells in lines]
    columns = np.array(rows, dtype=float).reshape(len(rows), len(names)).T
    t, y = columns[0], columns[1]
    temperature = columns[2] if len(names) > 2 else np.zeros(t.size)
    if falls := np.flatnonzero(np.diff(t) < 0).tolist():
        raise InvalidInput({"file": f"Line {falls[0] + 3}: {_TIME} must rise; {t[falls[0] + 1]:g} comes after more."})
    trace = Series.of(t, y, temperature_c=temperature)
    judgement, first = judge_settling(trace, rule), first_window(trace, rule)
    return Settled(judgement, rule, first.times[1] if first else None, len(names) > 2)


def settled_text(found: Settled) -> str:
    """Return a judged trace as the command line prints it."""
    j, unit = found.judgement, found.rule.unit
    lines = [str(word(j.says))]
    if j.value is not None:
        at = f" at {j.temperature_c:.2f} °C" if found.has_temperature else ""
        lines.append(f"Mean over the window: {j.value:.3f} {unit}{at}")
    if not j.stable and j.remaining_s is not None and j.remaining_low_s is not None:
        high = "an unknown time" if j.remaining_high_s is None else f"{j.remaining_high_s:.0f} s"
        lines.append(f"About {j.remaining_s:.0f} s left, {j.remaining_low_s:.0f} s to {high} (nine in ten)")
    held = "never held in this trace" if found.stable_at_s is None else f"first held at {found.stable_at_s:g} s"
    lines.append(f"The rule {found.rule.name} ({found.rule.span:g} {unit} within {found.rule.window_s:g} s) {held}.")
    return "\n".join(lines)
