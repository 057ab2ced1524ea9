"""The rules that a house calibrates, waits, plans and judges by, in one frozen object that is handed in from outside.

What things *are* stands elsewhere and is read where it is needed: quantities, ions, what a standard is, the names of
care, the words. What is *decided* stands here: how long a probe waits and a calibration holds, within what a
coefficient is sound, when a signal is stable, how a procedure goes, what a water must keep. No function of the core
looks a rule up by itself: a record is judged by the rules that it froze, and for the rest by those that it is given.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeVar

from brumel.core.errors import CoreError
from brumel.core.quantities.quantity import quantity as about

if TYPE_CHECKING:
    from brumel.core.calibrating.procedure import Procedure, Rinse, Role
    from brumel.core.kit.care import AboutCare
    from brumel.core.kit.kinds import ProbeKind
    from brumel.core.plan.order import HouseOrder
    from brumel.core.plan.pack import Thing
    from brumel.core.reading.contrary import Contrary
    from brumel.core.reading.limits import WaterKind
    from brumel.core.sensing.principle import Deviation
    from brumel.core.settling.rules import SettlingRule


_Rule = TypeVar("_Rule")


@dataclass(frozen=True, eq=False)
class Rules:
    """All rules of a house at a time, each table by its keys. It is known by itself: what hangs on it is kept cheaply.

    Attributes
    ----------
    care, kinds
        What care does, and each kind of probe: its waits, storage, inspection, how long a calibration holds.
    tolerances
        Within what a coefficient or residual is sound, by principle and by kind, as plain data.
    procedures, roles, rinses, deviations
        Procedures, what their standards must be, how to rinse, and what may be done otherwise.
    settling
        When a signal is stable, by use and quantity: ``calibration-ph``.
    waters, contrary
        What each kind of water must keep, and which readings can't be together.
    orders, pack
        In which order a kit is calibrated, and what goes along.
    open_life_days
        How long an opened standard serves.
    proposals
        What a house begins with, as plain data.
    """

    care: Mapping[str, AboutCare]
    kinds: Mapping[str, ProbeKind]
    tolerances: Mapping[str, Any]
    procedures: Mapping[str, Procedure]
    roles: Mapping[str, Role]
    rinses: Mapping[str, Rinse]
    deviations: Mapping[str, Deviation]
    settling: Mapping[str, SettlingRule]
    waters: Mapping[str, WaterKind]
    contrary: tuple[Contrary, ...]
    orders: Mapping[str, HouseOrder]
    pack: Mapping[str, Thing]
    open_life_days: Mapping[str, int]
    proposals: Mapping[str, Any]

    def kind(self, key: str) -> ProbeKind:
        """Give the kind of probe of this key.

        Raises
        ------
        CoreError
            Where there is none, with those that there are.
        """
        return _of(self.kinds, key, "No kind of probe is named")

    def procedure(self, code: str) -> Procedure:
        """Give the procedure of this code.

        Raises
        ------
        CoreError
            Where there is none, with those that there are.
        """
        return _of(self.procedures, code, "No procedure has the code")

    @property
    def default_order(self) -> HouseOrder:
        """The order in which a house calibrates that says no other."""
        return next(iter(self.orders.values()))

    def procedures_of(self, principle: str) -> list[Procedure]:
        """Give the procedures of a principle, the default first."""
        return [m for m in self.procedures.values() if m.principle == principle]

    def settled(self, quantity: str, *, calibrating: bool) -> SettlingRule:
        """Give the rule for stability of a quantity's raw signal while calibrating, or of its value while reading.

        Raises
        ------
        CoreError
            Where nothing says when it is stable.
        """
        rule = self.settling.get(f"{'calibration' if calibrating else 'reading'}-{quantity}")
        if rule is None:
            raise CoreError(f"No rule says when {about(quantity).name} is stable: type the reading by hand.")
        return rule

    def deviations_under(self, rinse: Rinse) -> tuple[Deviation, ...]:
        """Give what may be done otherwise under a regime of rinsing."""
        return tuple(d for d in self.deviations.values() if d.key not in rinse.is_)


def _of(table: Mapping[str, _Rule], key: str, none: str) -> _Rule:
    try:
        return table[key]
    except KeyError:
        raise CoreError(f"{none} {key!r}; known are {', '.join(table)}.") from None
