"""A glass electrode as the tests of the core speak of it."""

from __future__ import annotations

from collections.abc import Sequence

from brumel.core.calibrating.tolerances_of_kinds import tolerances_for
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Origin, Response, diagonal
from brumel.core.sensing.tolerances import Tolerances
from brumel.core.shipped_rules import shipped

GLASS = principle("glass")
LIMITS = Tolerances.of(tolerances_for(shipped(), "glass", "ph-combination") | {"holds_days": (1.0, 7.0)})


def point(ph: float, mv: float, t: float, u_ph: float = 0.01, u_mv: float = 0.15, bottle: str = "") -> Point:
    """A calibration point."""
    return Point(ph, float(mv), Conditions(t), u_ph, u_mv, bottle)


def line_of(slope: float, offset: float = 0.0, u_slope: float = 0.2, u_offset: float = 0.3) -> Response:
    """A line that a full run found."""
    return Response(GLASS, (offset, slope), diagonal([u_offset, u_slope]), (Origin.FITTED, Origin.FITTED))


def fitted(points: Sequence[Point], carried: Response | None = None) -> Response:
    """The line through points."""
    return fit(GLASS, points, carried)
