"""A chlorine tip beside a photometer."""

from __future__ import annotations

import math

from brumel.core.calibrating.methods import Use, method, rinses
from brumel.core.calibrating.run import JudgedPoint
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Conditions
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Response

TIP = Response.usual(principle("chlorine-tip"))


AT = Conditions(21.0)


FROZEN = method("chlorine-beside").frozen(
    waters=None, rinse=next(iter(rinses().values())), kind="chlorine", holds_days=(7.0, 30.0)
)


def beside(shown: float, reference: float, u: float = 0.04) -> JudgedPoint:
    point = Point(reference, shown, AT, u, math.hypot(0.01, 0.02), "photometer")
    return JudgedPoint("the photometer's sample", point, None, "", Use.CHECK)
