"""A lot as the core and people call it."""

from __future__ import annotations

from brumel.core.calibrating.procedure import Step
from brumel.core.kit.shelf import LotFacts, Pack, standards
from brumel.core.place.conditions import Conditions
from brumel.core.standards.targets import Bottle, Target, bottle_of
from brumel.store.models.reference import Lot


def bottle(lot: Lot) -> Bottle:
    """Return what stands on a lot's bottle, with its own table and certificate where it has them."""
    return bottle_of(lot.standard, lot.family, lot.nominal, lot.value_table, lot.certificate_u)


def label_value(lot: Lot) -> str:
    """Return the value on a lot's label, with the digits that its standard is sold with; empty where there is none."""
    return "" if lot.nominal is None else standards()[lot.standard].value_words(lot.nominal)


def label_words(lot: Lot) -> str:
    """Return the value on a lot's label as a sentence has it: ``pH 7.00``."""
    return f"{'pH ' if standards()[lot.standard].unit == 'pH' else ''}{label_value(lot)}"


def lot_label(lot: Lot) -> str:
    """Return what a technician calls a lot: its value, where it has one, and number."""
    value = f" {label_value(lot)}" if lot.nominal is not None else ""
    return f"{standards()[lot.standard].short}{value} (lot {lot.lot_number})"


def lot_facts(lot: Lot, left: float | None = None) -> LotFacts:
    """Return what the core needs of a lot to judge it; ``left`` is counted in the unit of its pack."""
    return LotFacts(lot.expires_on, lot.opened_on, lot.open_life_days, left, lot.discarded_on, Pack(lot.pack).unit)


def aim_of(step: Step, lot: Lot | None, at: Conditions) -> Target:
    """Return what the standard of a step is: that of its lot, else what the method says of it."""
    return step.aim(bottle(lot) if lot else None, at)
