"""A verdict is a list of findings; each says what is, in numbers, and what to do next."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from brumel.core.said import Named, Said, Value, says, verbatim


class Level(StrEnum):
    """How far to trust what a finding speaks of."""

    SOUND = "sound"
    DOUBTFUL = "doubtful"
    UNFIT = "unfit"


@dataclass(frozen=True)
class Despite:
    """A probe was used although something spoke against it: what that was, and why it was used all the same."""

    why_not: str = ""
    reason: str = ""


DESPITE = "used-all-the-same"
"""The code of the finding that says it."""


class Acceptance(StrEnum):
    """How a value was found steady when it was taken."""

    SETTLED = "settled"
    UNSETTLED = "unsettled"
    BY_EYE = "by-eye"
    """Typed: whoever typed it judged it, no rule did."""

    @property
    def words(self) -> str:
        """As a record says it."""
        return {"settled": "yes", "unsettled": "no", "by-eye": "typed, judged by eye"}[self]


COMMON_PRACTICE, PRODUCT = Named("source", "common-practice"), Named("source", "product")
"""Where most limits come from."""
_MORE_DIGITS = 5
_ORDER = {Level.UNFIT: 0, Level.DOUBTFUL: 1, Level.SOUND: 2}


@dataclass(frozen=True)
class Finding:
    """One finding.

    Attributes
    ----------
    code
        Stable key, the same for every level of the finding.
    level
        Sound, doubtful or unfit.
    says
        One sentence with the numbers in it, by its key in the catalogue.
    remedy
        What to do next; None where nothing is needed.
    minutes
        How long the remedy takes, waiting included; None where there is none.
    source
        Where the limit comes from.
    """

    code: str
    level: Level
    says: Said
    remedy: Said | None = None
    minutes: int | None = None
    source: Value = COMMON_PRACTICE


def despite_findings(despite: Despite) -> list[Finding]:
    """That a probe was used although it was not ready, with the reason."""
    if not despite.why_not:
        return []
    said = says(DESPITE, why=despite.why_not, reason=despite.reason)
    return [Finding(DESPITE, Level.DOUBTFUL, said, says(f"{DESPITE}.then"), 15, PRODUCT)]


def verdict(findings: Iterable[Finding]) -> Level:
    """Return the worst level among the findings; sound where there is none.

    Examples
    --------
    >>> verdict([Finding("slope", Level.SOUND, says("…")), Finding("offset", Level.DOUBTFUL, says("…"))]).value
    'doubtful'
    """
    return worst_of(f.level for f in findings)


def unless_sound(level: Level, remedy: str, minutes: int) -> tuple[Said | None, int | None]:
    """Give what to do next and how long it takes; neither where nothing is wrong."""
    return (None, None) if level is Level.SOUND else (verbatim(remedy), minutes)


def worst_of(levels: Iterable[Level]) -> Level:
    """Return the worst of levels; sound where there is none."""
    return min(levels, key=_ORDER.__getitem__, default=Level.SOUND)


def worst_first(findings: Iterable[Finding]) -> list[Finding]:
    """Return the findings in the order to read them: unfit, doubtful, sound; otherwise as they came."""
    return sorted(findings, key=lambda f: _ORDER[f.level])


def beyond(value: float, limit: float) -> bool:
    """Say whether a value lies above a limit, by more than what a sum leaves behind its ninth decimal; nan does.

    Examples
    --------
    >>> 8.3 - 7.8 > 0.5, beyond(8.3 - 7.8, 0.5), beyond(0.500001, 0.5)
    (True, False, True)
    """
    return not round(value - limit, 9) <= 0.0


@dataclass(frozen=True)
class Bounds:
    """A sound range and a doubtful one around it; both include their bounds.

    Examples
    --------
    >>> Bounds(95, 102, 90, 105).level(95).value, Bounds(95, 102, 90, 105).level(89.9).value
    ('sound', 'unfit')
    """

    sound_low: float
    sound_high: float
    doubtful_low: float
    doubtful_high: float

    def level(self, value: float) -> Level:
        """Return the level of a value; not a number is unfit."""
        if not (beyond(value, self.sound_high) or beyond(self.sound_low, value)):
            return Level.SOUND
        if not (beyond(value, self.doubtful_high) or beyond(self.doubtful_low, value)):
            return Level.DOUBTFUL
        return Level.UNFIT

    def digits(self, value: float, least: int) -> int:
        """So many decimals, or as many more as it takes to see that a value is what its level says.

        Examples
        --------
        >>> Bounds.around_zero(2.0, 5.0).digits(2.04, 1), Bounds.around_zero(2.0, 5.0).digits(2.06, 1)
        (2, 1)
        """
        level = self.level(value)
        return next((n for n in range(least, least + _MORE_DIGITS) if self.level(round(value, n)) is level), least)

    @classmethod
    def around_zero(cls, sound: float, doubtful: float = math.inf) -> Bounds:
        """Bounds at ±sound and ±doubtful; without an end of the doubtful, nothing is unfit."""
        return cls(-sound, sound, -doubtful, doubtful)
