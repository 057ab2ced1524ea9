"""A chlorine tip beside a photometer."""

from __future__ import annotations

import math

from brumel.core.place.conditions import Conditions
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint, Use
from brumel.core.shipped_rules import shipped

TIP = Response.usual(principle("chlorine-tip"))


AT = Conditions(21.0)


FROZEN = (
    shipped()
    .procedure("chlorine-beside")
    .frozen(
        shipped(), waters=None, rinse=next(iter(shipped().rinses.values())), kind="chlorine", holds_days=(7.0, 30.0)
    )
)


def beside(shown: float, reference: float, u: float = 0.04) -> JudgedPoint:
    point = Point(reference, shown, AT, u, math.hypot(0.01, 0.02), "photometer")
    return JudgedPoint("the photometer's sample", point, None, "", Use.CHECK)
