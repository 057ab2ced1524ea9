"""What the signal of an ORP metal shows: a fouled metal, a drifted reference."""

from __future__ import annotations

from collections.abc import Iterator

from brumel.core.findings import Bounds, Finding, Level, beyond
from brumel.core.said import Amount, says
from brumel.core.sensing.run import JudgedPoint, Run
from brumel.core.sensing.shows import Signs

USUAL_S = 180.0
"""A clean metal is settled in a standard after 1 to 3 minutes (common practice)."""
_USUAL_MIN = Bounds.around_zero(USUAL_S / 60.0)
_TOWARDS_MV = 5.0
"""Off by more than this towards where it came from, a slow metal is drawn to the last solution (common practice)."""


def metal_causes(run: Run) -> Iterator[Finding]:
    """Yield one cause for each point that shows one."""
    for point in run.points:
        off = point.point.signal - run.response.signal(point.point.value, point.point.at)
        if point.settling_s is None:
            continue
        if beyond(point.settling_s, USUAL_S):
            yield _fouled(point, point.settling_s / 60.0, off)
        elif beyond(abs(point.point.signal - point.point.value), run.tolerances.residual.sound):
            yield _drifted(point)


def _fouled(point: JudgedPoint, minutes: float, off: float) -> Finding:
    drawn = None
    if (
        point.first_signal is not None
        and beyond(abs(off), _TOWARDS_MV)
        and (point.first_signal - point.point.signal) * off > 0
    ):
        came_from = Amount(point.first_signal, "mV", 0)
        drawn = says("metal-fouled.drawn", off=Amount(off, "mV", 0, plus=True), came_from=came_from)
    digits = _USUAL_MIN.digits(minutes, 0)
    return Finding(
        "metal-fouled",
        Level.UNFIT if drawn else Level.DOUBTFUL,
        says("metal-fouled", at=point.label, took=Amount(minutes, "min", digits), drawn=drawn),
        says("metal-fouled.then"),
        150,
    )


def _drifted(point: JudgedPoint) -> Finding:
    off = point.point.signal - point.point.value
    return Finding(
        "reference-drifted",
        Level.DOUBTFUL,
        says("reference-drifted", at=point.label, off=Amount(off, "mV", 0, plus=True)),
        says("reference-drifted.then"),
        15,
    )


SIGNS = Signs(metal_causes)
