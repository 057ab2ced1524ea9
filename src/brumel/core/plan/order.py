"""In which order a house calibrates the probes of a kit, and what it means where that was broken."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from brumel.core.tables import table

_WHY = "the house takes it the other way round"


@dataclass(frozen=True)
class Done:
    """A probe that was calibrated before: its label, quantity and when, as people say it."""

    label: str
    quantity: str
    when: str


@dataclass(frozen=True)
class HouseOrder:
    """One order; ``stages`` by quantity, none for what may come at any time."""

    key: str
    name: str
    stages: Mapping[str, int]
    reasons: Sequence[Mapping[str, Any]] = ()
    """Each says in ``words`` why what is measured ``now`` should not come ``after`` something."""

    def broken(self, quantity: str, done: Sequence[Done]) -> list[str]:
        """Return what was calibrated before this quantity and should have come after it, with the reason.

        Examples
        --------
        >>> from brumel.core.shipped_rules import shipped
        >>> shipped().orders["conductivity-first"].broken("ph", [Done("A-EC", "specific-conductance", "09:10")])
        []
        """
        mine = self.stages.get(quantity)
        if mine is None:
            return []
        early = [d for d in done if (stage := self.stages.get(d.quantity)) is not None and stage > mine]
        return [f"{d.label} was calibrated before it, at {d.when}: {self._why(quantity, d.quantity)}" for d in early]

    def _why(self, now: str, after: str) -> str:
        return next((r["words"] for r in self.reasons if now in r["now"] and after in r["after"]), _WHY)


def read_orders() -> Mapping[str, HouseOrder]:
    """Read all orders by key, the default first."""
    data = table("plan", "orders.toml")

    def order(key: str, entry: Mapping[str, Any]) -> HouseOrder:
        stages = {q: number for number, group in enumerate(entry["groups"]) for q in group}
        return HouseOrder(key, entry["name"], stages, tuple(data["reasons"]))

    return {key: order(key, entry) for key, entry in data["orders"].items()}
