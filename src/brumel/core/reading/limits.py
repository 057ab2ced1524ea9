"""Whether a water keeps its limits: a question of its own, whatever the reading is worth."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from brumel.core.findings import beyond
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Named, Of, Said, Value, says
from brumel.core.tables import table

if TYPE_CHECKING:
    from brumel.core.rules import Rules


class Keeps(StrEnum):
    """Whether a water keeps a limit. Near is within U of it: the reading can't tell."""

    WITHIN = "within"
    NEAR = "near"
    BEYOND = "beyond"


_WORST = (Keeps.BEYOND, Keeps.NEAR, Keeps.WITHIN)


@dataclass(frozen=True)
class Limit:
    """What a water must keep of one quantity, in its unit; ``act``, where something has to be done at once."""

    quantity: str
    low: float | None = None
    high: float | None = None
    act_low: float | None = None
    act_high: float | None = None
    low_with_stabiliser: float | None = None
    source: str = ""

    @property
    def said(self) -> Said:
        """As a sentence has it.

        Examples
        --------
        >>> Limit("ph", 7.2, 7.8).said.key, Limit("oxygen", 5.0).said.key
        ('limit.between', 'limit.least')
        """
        if self.low is not None and self.high is not None:
            return says("limit.between", low=Of(self.quantity, self.low), high=Of(self.quantity, self.high))
        if self.low is not None:
            return says("limit.least", low=Of(self.quantity, self.low))
        return says("limit.most", high=Of(self.quantity, self.high or 0.0))


@dataclass(frozen=True)
class AgainstLimit:
    """How a reading stands to its limit, in one sentence."""

    keeps: Keeps
    says: Said
    act: bool = False
    """Whether something has to be done at once."""


@dataclass(frozen=True)
class WaterKind:
    """A kind of water: what a visit reads there, and its limits."""

    name: str
    reads: tuple[str, ...]
    limits: tuple[Limit, ...]
    source: str
    layers: bool = False
    """Whether it is read at the top and at the bottom."""
    night: bool = False
    """Whether its oxygen falls by night and somebody looks at dusk."""


def read_waters() -> Mapping[str, WaterKind]:
    """Read all kinds of water by name."""
    return {name: _kind(name, entry) for name, entry in table("reading", "waters.toml").items()}


def _kind(name: str, entry: Mapping[str, Any]) -> WaterKind:
    limits = tuple(Limit(**limit, source=entry["source"]) for limit in entry["limits"])
    return WaterKind(
        name, tuple(entry["reads"]), limits, entry["source"], entry.get("layers", False), entry.get("night", False)
    )


def limits_of(rules: Rules, kind: str, own: Iterable[Limit] = (), *, stabilised: bool = False) -> dict[str, Limit]:
    """Return the limits of a kind of water by quantity, a site's own in place of the kind's.

    Examples
    --------
    >>> from brumel.core.shipped_rules import shipped
    >>> limits_of(shipped(), "chlorinated pool", stabilised=True)["free-chlorine"].low
    2.0
    >>> limits_of(shipped(), "shrimp pond", [Limit("salinity", 15.0, 35.0, source="the farm's")])["salinity"].high
    35.0
    """
    found = {limit.quantity: limit for limit in rules.waters[kind].limits} if kind in rules.waters else {}
    found |= {limit.quantity: limit for limit in own}
    return dict(with_stabiliser(found)) if stabilised else found


def is_stabilised(values: Iterable[tuple[str, float, str]]) -> bool:
    """Say whether a water has stabiliser in it, by what was read there: quantity, value, qualifier.

    Examples
    --------
    >>> is_stabilised([("stabiliser", 30.0, "")]), is_stabilised([("stabiliser", 5.0, "<"), ("ph", 7.4, "")])
    (True, False)
    """
    return any(key == "stabiliser" and value > 0 and qualifier != "<" for key, value, qualifier in values)


def with_stabiliser(limits: Mapping[str, Limit]) -> Mapping[str, Limit]:
    """Return the limits of a water with stabiliser in it; one that was set for a site stays."""
    return {k: replace(v, low=v.low_with_stabiliser) if v.low_with_stabiliser else v for k, v in limits.items()}


def keeps(limit: Limit, value: float, expanded_u: float, qualifier: str = "", *, typed: bool = False) -> AgainstLimit:
    """Say whether a value with its U (k = 2) keeps a limit; ``<`` and ``>`` say that it lies beyond what could be seen.

    One that was ``typed`` is said with all its digits.

    Examples
    --------
    >>> keeps(Limit("oxygen", 5.0), 5.2, 0.3).keeps.value, keeps(Limit("oxygen", 5.0), 5.4, 0.3).keeps.value
    ('near', 'within')
    >>> keeps(Limit("total-chlorine", high=0.01), 0.02, 0.0, "<").says.key
    'unseen.untold'
    """
    if qualifier:
        return _unseen(limit, value, qualifier, typed)
    about = quantity(limit.quantity)
    margins = [value - limit.low] if limit.low is not None else []
    margins += [limit.high - value] if limit.high is not None else []
    margin = min(margins, default=math.inf)
    act = (limit.act_low is not None and value < limit.act_low) or (
        limit.act_high is not None and value > limit.act_high
    )
    told: dict[str, Value] = {
        "value": Of(about.key, value, exact=typed), "u": Of(about.key, expanded_u), "limit": limit.said,
    }  # fmt: skip
    if not beyond(expanded_u, margin):
        return AgainstLimit(Keeps.WITHIN, says("limit.kept", **told))
    if beyond(margin, -expanded_u) and not act:
        return AgainstLimit(Keeps.NEAR, says("limit.near", **told))
    return AgainstLimit(Keeps.BEYOND, says("limit.beyond", now=says("act-now") if act else None, **told), act)


def _unseen(limit: Limit, value: float, qualifier: str, typed: bool) -> AgainstLimit:
    side = Named("side", "below" if qualifier == "<" else "above")
    told: dict[str, Value] = {
        "value": Of(limit.quantity, value, exact=typed), "side": side, "limit": limit.said,
    }  # fmt: skip
    low, high = limit.low, limit.high
    if qualifier == "<":
        broken, kept = low is not None and value <= low, high is not None and value <= high and low is None
    else:
        broken, kept = high is not None and value >= high, low is not None and value >= low and high is None
    if broken:
        return AgainstLimit(Keeps.BEYOND, says("unseen.beyond", **told))
    if kept:
        return AgainstLimit(Keeps.WITHIN, says("unseen.kept", **told))
    return AgainstLimit(Keeps.NEAR, says("unseen.untold", **told))


def worst(found: Sequence[Keeps]) -> Keeps | None:
    """Return the worst of several; None where no limit was asked."""
    return min(found, key=_WORST.index, default=None)
