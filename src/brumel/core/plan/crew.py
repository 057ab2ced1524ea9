"""Which probes go along: the fewest that suit the waters, the readiest first."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

from brumel.core.kit.kinds import ProbeKind
from brumel.core.plan.waters import Expected, Going, sites_of
from brumel.core.quantities.quantity import quantity
from brumel.core.wording import grouped


@dataclass(frozen=True)
class Candidate:
    """A probe that could go."""

    label: str
    kind: ProbeKind


@dataclass(frozen=True)
class Unsuited:
    """A water that no probe going along is made for, and why; ``measured`` where one measures it all the same."""

    site: str
    why: str
    measured: bool


def misfit(kind: ProbeKind, site: str, waters: Iterable[Expected]) -> str:
    """Say why a kind of probe is not made for a water; empty where it is, or where nothing speaks against it.

    Examples
    --------
    >>> from brumel.core.shipped_rules import shipped
    >>> misfit(shipped().kind("conductivity-0.1"), "Tank", [Expected("Tank", "specific-conductance", 1200, 2600)])
    'A conductivity cell, K 0.1 is made for specific conductance of 0 to 500 µS/cm; Tank is expected at 1200 to 2600.'
    """
    for water in waters:
        low, high = kind.suits.get(water.quantity, (water.low, water.high))
        if water.site == site and not low <= water.low <= water.high <= high:
            about = quantity(water.quantity)
            return (
                f"A {kind.name} is made for {about.name} of {grouped(low)} to {grouped(high)}"
                f"{about.after}; {site} is expected at {grouped(water.low)} to {grouped(water.high)}."
            )
    return ""


def crew_for(
    key: str, waters: Sequence[Expected], by_hand: Sequence[Candidate], in_kit: Sequence[Candidate]
) -> tuple[list[Going], list[Unsuited]]:
    """Return the probes that measure a quantity on a round, and the waters that none of them is made for.

    Parameters
    ----------
    waters
        All that the sites are expected to show, of other quantities too: an ion tip minds the conductivity.
    by_hand
        Probes chosen by hand: they go, and measure what nobody else is made for.
    in_kit
        The kit's probes, the readiest first; of them the fewest go that cover what is left.
    """
    sites = sites_of(waters, key)
    suited = {c.label: {s for s in sites if not misfit(c.kind, s, waters)} for c in (*by_hand, *in_kit)}
    left = [s for s in sites if not any(s in suited[c.label] for c in by_hand)]
    from_kit = []
    for candidate in _fewest(in_kit, left, suited):
        own = tuple(s for s in left if s in suited[candidate.label])
        left = [s for s in left if s not in own]
        from_kit.append(Going(candidate.label, key, own, candidate.kind.standards))
    chosen = [
        Going(c.label, key, tuple(s for s in sites if s in suited[c.label] or s in left), c.kind.standards)
        for c in by_hand
    ]
    best = next(iter((*by_hand, *in_kit)), None)
    unsuited = [Unsuited(s, misfit(best.kind, s, waters), bool(by_hand)) for s in left] if best else []
    return chosen + from_kit, unsuited


def _fewest(
    candidates: Sequence[Candidate], sites: Sequence[str], suited: Mapping[str, Collection[str]]
) -> tuple[Candidate, ...]:
    """Return the fewest candidates that together suit every site that one of them suits; among equals the first."""
    coverable = [s for s in sites if any(s in suited[c.label] for c in candidates)]
    for size in range(len(candidates) + 1):
        for some in combinations(candidates, size):
            if all(any(s in suited[c.label] for c in some) for s in coverable):
                return some
    return ()
