"""Tells what a probe read in its standards before and after adjusting: as found, as left, and the fit's residual."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from brumel.core.calibrating.comparing import off_its_target
from brumel.core.findings import Level
from brumel.core.kit.care import Care
from brumel.core.kit.kinds import ProbeKind
from brumel.core.kit.readiness import CareEvent, ended
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Amount, Said, says
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import Came, JudgedPoint
from brumel.core.sensing.tolerances import Tolerances

_CLEANED = frozenset({Care.CLEANED})


@dataclass(frozen=True)
class Off:
    """A value that a probe read in a standard, and how far that is off.

    Attributes
    ----------
    value
        In the quantity's unit.
    off
        In the quantity's unit or in percent of the target, as the tolerances have it.
    level
        By the run's tolerances, or by both uncertainties where they judge so.
    """

    value: float
    off: Amount
    level: Level


def off_by(response: Response, point: JudgedPoint, tolerances: Tolerances) -> Off | None:
    """Say what a point's signal is by a response, and how far off; None where the response gives it no value."""
    value = float(response.value(point.point.signal, point.point.at))
    if not math.isfinite(value):
        return None
    off, bounds, percent = off_its_target(point, response, tolerances)
    about = quantity(response.principle.quantity)
    digits = bounds.digits(off, 1 if percent else about.error_decimals)
    return Off(value, Amount(off, "%" if percent else about.stated_in, digits, plus=True), bounds.level(off))


def how_it_came(
    kind: ProbeKind, events: Iterable[CareEvent], since: datetime | None, used_last: datetime | None, until: datetime
) -> tuple[Came, Said]:
    """Say how a probe came to its standards, and why that is known.

    Parameters
    ----------
    events
        What was done to it, and to the meter that it is plugged into.
    since
        When the calibration that stood before was signed; None where none did.
    used_last
        When something was read with it last.
    until
        When the last of its standards was read.
    """
    if since is None:
        return Came.NOT_KNOWN, says("came.no-calibration")
    done = list(events)
    if (void := ended(done, kind.voids, since, until)) is not None:
        return Came.NOT_KNOWN, says("came.voided", care=void.care.words)
    if ended(done, _CLEANED, max(since, used_last or since), until) is not None:
        return Came.CLEANED, says("came.cleaned")
    return Came.AS_IT_CAME, says("came.as-it-came")
