"""What the signal of an ORP metal shows: a fouled metal, a drifted reference."""

from __future__ import annotations

from collections.abc import Iterator

from brumel.core.calibrating.run import JudgedPoint, Run
from brumel.core.findings import Bounds, Finding, Level, beyond
from brumel.core.wording import signed, upper_first

USUAL_S = 180.0
"""A clean metal is settled in a standard after 1 to 3 minutes (common practice)."""
_USUAL_MIN = Bounds.around_zero(USUAL_S / 60.0)
_TOWARDS_MV = 5.0
"""Off by more than this towards where it came from, a slow metal is drawn to the last solution (common practice)."""


def metal_causes(run: Run) -> Iterator[Finding]:
    """One cause for each point that shows one."""
    for point in run.points:
        off = point.point.signal - run.response.signal(point.point.value, point.point.at)
        if point.settling_s is None:
            continue
        if beyond(point.settling_s, USUAL_S):
            yield _fouled(point, point.settling_s / 60.0, off)
        elif beyond(abs(point.point.signal - point.point.value), run.tolerances.residual.sound):
            yield _drifted(point)


def _fouled(point: JudgedPoint, minutes: float, off: float) -> Finding:
    drawn = ""
    if (
        point.first_signal is not None
        and beyond(abs(off), _TOWARDS_MV)
        and (point.first_signal - point.point.signal) * off > 0
    ):
        came_from = signed(point.first_signal, 0)
        drawn = f", and stopped {signed(off, 0, plus=True)} mV off, towards the {came_from} mV it came from"
    digits = _USUAL_MIN.digits(minutes, 0)
    return Finding(
        "metal-fouled",
        Level.UNFIT if drawn else Level.DOUBTFUL,
        f"{upper_first(point.label)} took {minutes:.{digits}f} min to settle{drawn}; a clean metal takes 1 to 3 "
        "min: it is fouled.",
        "Polish the metal gently, rinse, soak in storage solution, then check again in fresh standard.",
        150,
    )


def _drifted(point: JudgedPoint) -> Finding:
    off = point.point.signal - point.point.value
    return Finding(
        "reference-drifted",
        Level.DOUBTFUL,
        f"{upper_first(point.label)} settled quickly and stands {signed(off, 0, plus=True)} mV off: the reference has "
        "drifted, or the lot is not what its label says.",
        "Check again in fresh standard; still off: refill or renew the reference, or adjust an offset.",
        15,
    )
