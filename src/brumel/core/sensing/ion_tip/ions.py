"""The ions that tips are made for, as data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from brumel.core.tables import read_once, table


@dataclass(frozen=True)
class Ion:
    """An ion: its charge, its mass, the quantities that its tip senses and that people read, what disturbs it.

    ``molar_mass`` and ``element_mass`` are in g/mol; labels count as the element. ``hydrated_s`` is how long a hydrated
    tip takes in a standard at most, ``hydration_h`` how many hours a dry one takes up water.
    """

    key: str
    name: str
    charge: int
    molar_mass: float
    element: str
    element_mass: float
    senses: str
    reads: str
    interferes: tuple[str, ...]
    hydrated_s: float
    hydration_h: float

    @property
    def as_ion(self) -> float:
        """mg/L as the ion for each mg/L as the element; 1 where the two are one."""
        return self.molar_mass / self.element_mass


def any_ion(charge: int) -> Ion:
    """Return an ion of a charge that nothing else is known of."""
    return Ion("", "", charge, 1.0, "", 1.0, "", "", (), float("inf"), 0.0)


@read_once
def ions() -> Mapping[str, Ion]:
    """Return all ions by key."""
    found = table("sensing.ion_tip", "ions.toml")
    return {key: Ion(key, **entry | {"interferes": tuple(entry["interferes"])}) for key, entry in found.items()}
