"""Finding a calculation by what one has in hand and what one wants."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from brumel.core.reckoning.definition import Calculation, Input, calculations
from brumel.core.tables import read_once, table

_SETTINGS_WITH_DEFAULT = {"salinity", "charge"}


@dataclass(frozen=True)
class Fitting:
    """A calculation that fits, and what it needs besides what is in hand."""

    calculation: Calculation
    needs: tuple[str, ...]


@read_once
def in_hand() -> Mapping[str, Collection[str]]:
    """Return what one may have in hand, and the inputs that it stands for."""
    found: Mapping[str, Collection[str]] = table("reckoning", "known.toml")["in_hand"]
    return found


def what_one_may_want() -> list[str]:
    """Labels of all outputs, in the registry's order."""
    return list(dict.fromkeys(o.label for c in calculations().values() for o in c.outputs))


def offers(have: Collection[str], want: str = "") -> list[Fitting]:
    """Calculations that lead to ``want`` and use something in hand; those that need nothing more come first."""
    found = []
    for chosen in calculations().values():
        needs = needed(chosen)
        if want and want not in {o.label for o in chosen.outputs}:
            continue
        used = [n for n in needs if n in have]
        if have and not used:
            continue
        found.append((len(needs) - len(used), -len(used), Fitting(chosen, tuple(n for n in needs if n not in have))))
    if have or want:
        found.sort(key=lambda entry: entry[:2])
    return [offer for _, _, offer in found]


def needed(chosen: Calculation) -> tuple[str, ...]:
    """Return what a calculation wants in hand."""
    names = {i.name for i in chosen.inputs if not _is_setting(i)}
    return tuple(hand for hand, inputs in in_hand().items() if names.intersection(inputs))


def _is_setting(i: Input) -> bool:
    return i.name in _SETTINGS_WITH_DEFAULT and isinstance(i.default, float)
