"""Where a verdict changes: for each method, how far one thing must be off until another finding stands first.

Every method that ships is tried on points that lie exactly where the kind's usual response has them; then one thing is
moved from little to much, and it is pinned where the findings change. Whoever moves a limit or a sign sees it here.
Figures of this tool, 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.core.test_pinned_verdicts`` writes
them anew.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
from tests.changes import changes
from tests.exact_points import Points, every_method, moved, warmed, with_signal
from tests.pinned import Pinned

from brumel.core.calibrating.judging import judge
from brumel.core.calibrating.run import PreviousRun
from brumel.core.findings import Level

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


HOW: dict[str, Callable[[Points, int, float], Points]] = {
    "higher": moved, "lower": lambda points, number, by: moved(points, number, -by / 4.0),
    "warmer": lambda points, number, by: warmed(points, number, 10.0 * by),
    "cooler": lambda points, number, by: warmed(points, number, -2.5 * by),
}  # fmt: skip
ONCE: dict[str, Callable[[Points, int, float], Points]] = {"slower": slower, "older": older}
"""What is tried without a run before only."""


TOGETHER: dict[str, Callable[[Points, int, float], Points]] = {
    "all up": together, "all down": lambda points, number, by: together(points, number, -by),
}  # fmt: skip


def said(frozen: dict[str, Any], points: Points, previous: PreviousRun | None) -> str:
    """What is not sound, in order, with the minutes that mending takes."""
    _, findings = judge(frozen, points, previous)
    said = (f"{f.level} {f.code} {f.minutes}" for f in findings if f.level is not Level.SOUND or f.minutes)
    return ", ".join(said) or "sound"


def verdicts() -> Iterator[str]:
    """All of them, a line each."""
    for code, frozen, response, points in every_method():
        for before, tried in ((None, HOW | ONCE), (PreviousRun(response, 3.0), HOW)):
            each = [(how, change, n) for (how, change), n in product(tried.items(), range(len(points)))]
            for how, change, n in [*each, *((how, change, 0) for how, change in TOGETHER.items())]:
                told = changes(lambda by: said(frozen, change(points, n, by), before), AMOUNTS)  # noqa: B023
                yield f"{code}{' after one' if before else ''} | {points[n].label} {how} | {'; '.join(told)}"


PINNED = Pinned(Path(__file__).with_name("pinned_verdicts.txt"), verdicts)


def test_every_verdict_changes_where_it_did() -> None:
    assert PINNED.now == PINNED.then


if __name__ == "__main__":
    PINNED.write()
