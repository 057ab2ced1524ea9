"""What goes along beside probes, meters and standards: as data, by what is read and where."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from brumel.core.tables import table
from brumel.core.wording import grouped

if TYPE_CHECKING:
    from brumel.core.rules import Rules

_LITRE_ML = 1000.0


@dataclass(frozen=True)
class Load:
    """What a round is, for its pack list: what it reads, where, with what, and how many of each."""

    reads: Collection[str]
    waters: Collection[str]
    stands_in: Collection[str]
    instruments: Collection[str]
    standards: int
    sites: int
    probes: int


@dataclass(frozen=True)
class Thing:
    """One thing of the pack list, and when it goes along: see ``pack.toml``."""

    what: str
    reads: tuple[str, ...] = ()
    waters: tuple[str, ...] = ()
    stands_in: tuple[str, ...] = ()
    instruments: tuple[str, ...] = ()
    each_standard: float = 0.0
    each_site: float = 0.0
    each_probe: float = 0.0
    unit: str = ""

    def goes(self, load: Load) -> bool:
        """Say whether a round takes it along."""
        asked = {name: getattr(self, name) for name in ("reads", "waters", "stands_in", "instruments")}
        wanted = {name: keys for name, keys in asked.items() if keys}
        return not wanted or any(set(keys) & set(getattr(load, name)) for name, keys in wanted.items())

    def amount(self, load: Load) -> str:
        """Say how much of it, for people; empty where it is one thing.

        Examples
        --------
        >>> load = Load((), (), (), (), standards=4, sites=3, probes=2)
        >>> Thing("water", each_standard=150, each_site=200, unit="mL").amount(load)
        '1.2 L'
        >>> Thing("cups", each_standard=1).amount(load), Thing("paper").amount(load)
        ('4', '')
        """
        total = self.each_standard * load.standards + self.each_site * load.sites + self.each_probe * load.probes
        if not total:
            return ""
        if self.unit == "mL" and total >= _LITRE_ML:
            return f"{math.ceil(total / 100) / 10:.1f} L"
        return f"{grouped(total)} {self.unit}".strip()


def read_pack() -> Mapping[str, Thing]:
    """Read everything that may go along, in the order of the list."""
    return {what: _thing(what, entry) for what, entry in table("plan", "pack.toml").items()}


def _thing(what: str, entry: Mapping[str, Any]) -> Thing:
    given: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in entry.items()}
    return Thing(what, **given)


def pack(load: Load, rules: Rules) -> list[tuple[str, str]]:
    """Return what a round takes along, and how much of each."""
    return [(thing.what, thing.amount(load)) for thing in rules.pack.values() if thing.goes(load)]
