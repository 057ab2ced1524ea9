"""Where a verdict changes: for each principle, how far one thing must be off until another finding stands first.

The fullest procedure of each principle is tried on points that lie exactly where the usual response has them; then one
thing is moved from little to much, and what stands here is where the findings change. Whoever moves a limit or a
sign sees it here. Figures of this tool, 1 December 2026;
``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_verdicts`` writes them anew.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
from tests.exact_points import Points, fullest_methods, moved, warmed, with_signal
from tests.golden.changes import changes
from tests.golden.golden import Golden

from brumel.core.calibrating.judging import judge
from brumel.core.findings import Level
from brumel.core.sensing.run import PreviousRun
from brumel.core.shipped_rules import shipped

AMOUNTS = [float(by) for by in np.geomspace(0.001, 4.0, 13)]


def slower(points: Points, number: int, by: float) -> Points:
    """One point that took longer: up to an hour."""
    found = list(points)
    found[number] = replace(found[number], settling_s=900.0 * by)
    return found


def older(points: Points, number: int, by: float) -> Points:
    """One lot that is past its days: up to four hundred."""
    found = list(points)
    found[number] = replace(found[number], over_open_days=round(100 * by))
    return found


def together(points: Points, number: int, by: float) -> Points:
    """Every signal moved by as much: up to 40 of its unit."""
    return [with_signal(p, p.point.signal + 10.0 * by) for p in points]


Change = Callable[[Points, int, float], Points]
HOW: dict[str, Change] = {
    "higher": moved, "lower": lambda points, number, by: moved(points, number, -by / 4.0),
    "warmer": lambda points, number, by: warmed(points, number, 10.0 * by),
    "cooler": lambda points, number, by: warmed(points, number, -2.5 * by),
}  # fmt: skip
"""Tried on each point of a first run."""
TOGETHER: dict[str, Change] = {
    "all up": together, "all down": lambda points, number, by: together(points, number, -by),
}  # fmt: skip
OF_THE_FIRST: dict[str, Change] = {"slower": slower, "older": older} | TOGETHER
AFTER_ONE: dict[str, Change] = {"higher": moved} | TOGETHER
"""Tried after a run on the usual response, on the first point."""


def said(frozen: dict[str, Any], points: Points, previous: PreviousRun | None) -> str:
    """What is not sound, in order, with the minutes that mending takes."""
    _, findings = judge(frozen, points, previous, rules=shipped())
    said = (f"{f.level} {f.code} {f.minutes}" for f in findings if f.level is not Level.SOUND or f.minutes)
    return ", ".join(said) or "sound"


def verdicts() -> Iterator[str]:
    """All of them, a line each."""
    for code, frozen, response, points in fullest_methods():
        each = [(None, how, n) for how, n in product(HOW, range(len(points)))]
        each += [(None, how, 0) for how in OF_THE_FIRST]
        each += [(PreviousRun(response, 3.0), how, 0) for how in AFTER_ONE]
        for before, how, n in each:
            change = (HOW | OF_THE_FIRST)[how]
            told = changes(lambda by: said(frozen, change(points, n, by), before), AMOUNTS)  # noqa: B023
            yield f"{code}{' after one' if before else ''} | {points[n].label} {how} | {'; '.join(told)}"


GOLDEN = Golden(Path(__file__).with_name("verdicts.txt"), verdicts)


def test_every_verdict_changes_where_it_did() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
