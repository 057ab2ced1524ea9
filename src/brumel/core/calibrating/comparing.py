"""Two instruments in one water: how far apart, and whether they agree within what each can resolve."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from brumel.core.findings import Acceptance, Bounds, Finding, Level, unless_sound
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.agreement import agreement
from brumel.core.reading.together import Taken
from brumel.core.said import Amount, Named, Of, says
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, look_at_signal
from brumel.core.sensing.tolerances import Tolerances

_TELLS = 0.5
"""Two that together resolve no more than this share of the value can't tell (rule of this product)."""


@dataclass(frozen=True)
class Compared:
    """What the probe showed beside what another instrument showed, in the quantity's unit; U at k = 2."""

    shown: float
    beside: float
    u_shown: float
    u_beside: float
    percent: float | None
    en: float | None
    level: Level
    words: str

    @property
    def resolves(self) -> float:
        """What both resolve together (k = 2)."""
        return math.hypot(self.u_shown, self.u_beside)


def compared(point: JudgedPoint, response: Response) -> Compared:
    """Say whether a probe agrees with the instrument beside it: agree, disagree, or it can't be told.

    Notes
    -----
    Source: ISO 13528, E_n with both expanded uncertainties.
    """
    p, about = point.point, quantity(response.principle.quantity)
    value = float(response.value(p.signal, p.at))
    u = float(response.budget(p.signal, p.at, u_signal=p.u_signal).u)
    found = agreement(Taken(about.key, value, u), Taken(about.key, p.value, p.u_value))
    percent = 100.0 * (value - p.value) / p.value if p.value else None
    both = Compared(value, p.value, 2.0 * u, 2.0 * p.u_value, percent, found.en, Level.UNFIT, found.words)
    if found.en is None or (found.agrees and both.resolves > _TELLS * max(value, p.value)):
        resolves = f"{about.number(both.resolves)}{about.after}"
        words = f"It can't be told whether they agree: together they resolve ±{resolves}."
        return replace(both, level=Level.DOUBTFUL, words=words)
    return replace(both, level=Level.SOUND) if found.agrees else both


def comparison_finding(point: JudgedPoint, response: Response, tolerances: Tolerances) -> Finding:
    """Return the finding of one comparison."""
    found, about = compared(point, response), quantity(response.principle.quantity)
    percent = found.percent
    apart = None if percent is None else says("agreement.apart", percent=Amount(percent, "%", 1, plus=True))
    said = says(
        "agreement", shown=Of(about.key, found.shown), u=Of(about.key, found.u_shown), apart=apart,
        beside=Of(about.key, found.beside), u_beside=Of(about.key, found.u_beside), whether=found.words,
    )  # fmt: skip
    remedy, minutes = unless_sound(found.level, tolerances.check_remedy, tolerances.redo_minutes)
    return Finding("agreement", found.level, said, remedy, minutes, Named("source", "agreement"))


def off_its_target(point: JudgedPoint, response: Response, tolerances: Tolerances) -> tuple[float, Bounds, bool]:
    """Say how far a check is off, the bounds that judge it, and whether both are in percent of its target.

    Of a comparison the bounds are what both resolve together (k = 2).
    """
    p = point.point
    if tolerances.by_agreement:
        found = compared(point, response)
        if found.percent is None:
            return found.shown, Bounds.around_zero(found.resolves, found.resolves), False
        resolves = 100.0 * found.resolves / found.beside
        return found.percent, Bounds.around_zero(resolves, resolves), True
    within = tolerances.residual
    off = within.scaled(float(response.value(p.signal, p.at)) - p.value, p.value)
    return off, within.bounds(p.value), within.percent and p.value != 0.0


def level_of_point(point: JudgedPoint, tolerances: Tolerances, expected: Response, found: Response | None) -> Level:
    """Return the mark beside a point while the run goes on: unfit for a wrong cup, doubtful for what was done badly.

    ``expected`` is the probe's last line, or the usual one; ``found`` the line through the points so far.
    """
    signal, target, at = point.point.signal, point.point.value, point.point.at
    if look_at_signal(signal, at, target, expected, tolerances, []).unlike:
        return Level.UNFIT
    badly = point.acceptance is Acceptance.UNSETTLED or bool(point.deviations) or not point.target_known
    late = Level.UNFIT if point.expired_days or point.over_open_days else Level.SOUND
    if found is not None and tolerances.by_agreement:
        by_value = compared(point, found).level
    else:
        by_value = tolerances.residual.level(0.0 if found is None else found.value(signal, at) - target, target)
    levels = [late, by_value, Level.DOUBTFUL if badly else Level.SOUND]
    return next((x for x in (Level.UNFIT, Level.DOUBTFUL) if x in levels), Level.SOUND)
