"""Tells what a probe that comes back from a round shows: dirt, which cleaning takes away, and drift, which remains.

Both are errors, so that they are subtracted. Source: common practice; Wagner et al. 2006, USGS TM 1–D3.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

from brumel.core.findings import PRODUCT, Finding, Level, beyond
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Named, Said, says
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import Came, JudgedPoint, PreviousRun
from brumel.core.sensing.tolerances import Tolerances

_MINUTES = 10


class Size(StrEnum):
    """Names for how much something moved."""

    NOTHING = "nothing"
    """No more than its own U."""
    SMALL = "small"
    BEYOND = "beyond"
    """By more than the U of readings allowed for."""


@dataclass(frozen=True)
class Shift:
    """An error that came up since the calibration: in the quantity's unit, with its standard uncertainty.

    ``allowed`` is what the U (k = 2) of readings since then allows for at this value.
    """

    off: float
    u: float
    allowed: float

    @property
    def size(self) -> Size:
        """Call it by its size; bounds are included."""
        if not beyond(abs(self.off), 2.0 * self.u):
            return Size.NOTHING
        return Size.BEYOND if beyond(abs(self.off), self.allowed) else Size.SMALL


@dataclass(frozen=True)
class MovedAt:
    """Dirt and drift at one standard.

    Attributes
    ----------
    at
        The standard, cleaned.
    dirt
        As it came less cleaned, in one bottle: its certificate cancels; None where another bottle was read.
    drift
        Cleaned less the target.
    same_lot
        Whether the calibration was made in the same lot, so that the certificate cancels in the drift too.
    """

    at: JudgedPoint
    dirt: Shift | None
    drift: Shift
    same_lot: bool


def moved_at(points: Sequence[JudgedPoint], response: Response, previous: PreviousRun | None) -> tuple[MovedAt, ...]:
    """Say what moved at each standard that was read cleaned, by the response that readings rest on."""
    return tuple(
        _moved(
            p, next((c for c in points if c.came is Came.AS_IT_CAME and _same_bottle(c, p)), None), response, previous
        )
        for p in points
        if p.came is Came.CLEANED
    )


def _same_bottle(one: JudgedPoint, other: JudgedPoint) -> bool:
    return (one.label, one.nominal, one.family) == (other.label, other.nominal, other.family)


def _moved(at: JudgedPoint, came: JudgedPoint | None, response: Response, previous: PreviousRun | None) -> MovedAt:
    p = at.point
    cleaned, per_value = float(response.value(p.signal, p.at)), abs(float(response.signal_per_value(p.value, p.at)))
    u_read = p.u_signal / per_value
    age_days = previous.age_days if previous else 0.0
    allowed = 2.0 * float(response.budget(p.signal, p.at, age_days=age_days).u)
    same_lot = previous is not None and p.bottle in previous.bottles
    u_drift = math.hypot(u_read, u_read if same_lot else p.u_value)
    dirt = None
    if came is not None:
        # Each at its own temperature: what the standard itself changed by is no dirt.
        read = float(response.value(came.point.signal, came.point.at)) - (came.point.value - p.value)
        dirt = Shift(read - cleaned, math.hypot(u_read, came.point.u_signal / per_value), allowed)
    return MovedAt(at, dirt, Shift(cleaned - p.value, u_drift, allowed), same_lot)


def moved_findings(moved: Sequence[MovedAt], response: Response, tolerances: Tolerances) -> Iterator[Finding]:
    """Yield what is said of dirt and drift: they judge the day, and never the probe."""
    for one in moved:
        if one.dirt is not None:
            yield _finding("dirt", one, one.dirt, response, tolerances, None)
        lot = says("drift.same-lot" if one.same_lot else "drift.other-lot")
        yield _finding("drift", one, one.drift, response, tolerances, lot)


def _finding(
    code: str, one: MovedAt, shift: Shift, response: Response, tolerances: Tolerances, lot: Said | None
) -> Finding:
    about, within, value = quantity(response.principle.quantity), tolerances.residual, one.at.point.value
    said = says(
        code, at=one.at.label, size=Named("size", str(shift.size)), lot=lot,
        off=within.off(shift.off, value, about), u=within.off(2.0 * shift.u, value, about, plus=False),
    )  # fmt: skip
    if shift.size is not Size.BEYOND:
        return Finding(code, Level.SOUND, said, source=PRODUCT)
    return Finding(code, Level.SOUND, said, says("moved.then"), _MINUTES, PRODUCT)
