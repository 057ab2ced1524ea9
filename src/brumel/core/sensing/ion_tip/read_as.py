"""Activity as concentration, where the water's conductivity tells its salts."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from brumel.core.numbers.arrays import Array
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.quantities.ions import activity_coefficient
from brumel.core.quantities.quantity import quantity
from brumel.core.sensing.follows import Derived, ReadAs, worked
from brumel.core.sensing.ion_tip.terms import IonTip
from brumel.core.sensing.principle import Principle
from brumel.core.uncertainty import Budget

_U_IONIC_STRENGTH = 0.1
"""Two authors' factors from conductivity to ionic strength differ by 20 %: so much of it, k = 1."""


def read_as(own: Principle) -> ReadAs:
    """Return how a tip's activity is read, by the charge of its ion."""
    assert isinstance(own, IonTip)
    ion = own.ion

    def follows(value: float, budget: Budget, at: Conditions, water: Compensation) -> Iterator[Derived]:
        del water
        conductivity = at.conductivity_us_cm
        if conductivity is None:
            return
        u = max(float(np.hypot(at.u_conductivity, _U_IONIC_STRENGTH * conductivity)), 1e-12)
        salts = {"conductivity_us_cm": conductivity, "conductivity_us_cm_u": u, "charge": float(ion.charge)}
        of, unit = ("activity_mg_l", value, budget), quantity(ion.reads).unit
        if found := worked(ion.reads, unit, "ion-concentration", "concentration_mg_l", of, salts):
            yield found

    def concentration(values: Array, at: Conditions, water: Compensation) -> Array:
        del water
        salts = at.conductivity_us_cm
        return values if salts is None else values / activity_coefficient(salts, ion.charge)

    return ReadAs(follows, {ion.reads: concentration})
