"""Grades a continuous record: is it corrected for what moved, how good is it then, may it be published."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from brumel.core.findings import beyond
from brumel.core.numbers.arrays import Array
from brumel.core.tables import read_once, table


class Grade(StrEnum):
    """Grades of a record, by the correction that it needed."""

    EXCELLENT = "excellent"
    GOOD = "good"
    FAIR = "fair"
    POOR = "poor"


@dataclass(frozen=True)
class Bound:
    """The end of how far something may have moved: in the unit, or in percent of the value; the greater one holds."""

    absolute: float = 0.0
    percent: float = 0.0

    def passed(self, moved: Array, value: Array) -> bool:
        """Say whether any of what moved is beyond it; shapes (n,).

        Examples
        --------
        >>> within = Bound(5.0, 3.0)
        >>> [within.passed(np.array([moved]), np.array([100.0])) for moved in (5.0, 5.1)]
        [False, True]
        """
        ends = np.maximum(self.absolute, np.abs(value) * self.percent / 100.0)
        return beyond(float(np.max(moved - ends)), 0.0)


@dataclass(frozen=True)
class Grading:
    """The bounds of one quantity."""

    correct: Bound
    excellent: Bound
    good: Bound
    fair: Bound
    publish: Bound

    def grade(self, moved: Array, value: Array) -> Grade:
        """Return the grade of a record whose values moved so far by its end; shapes (n,)."""
        for grade, bound in ((Grade.EXCELLENT, self.excellent), (Grade.GOOD, self.good), (Grade.FAIR, self.fair)):
            if not bound.passed(moved, value):
                return grade
        return Grade.POOR


@read_once
def gradings() -> Mapping[str, Grading]:
    """Read what is graded, by quantity."""
    return {
        key: Grading(**{name: Bound(**bound) for name, bound in entry.items()})
        for key, entry in table("record", "grades.toml").items()
    }
