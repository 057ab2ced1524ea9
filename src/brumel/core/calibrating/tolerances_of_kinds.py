"""Tolerances: a principle's, with what a kind has of its own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from brumel.core.sensing.principles import principle as sensing
from brumel.core.tables import table

if TYPE_CHECKING:
    from brumel.core.rules import Rules


def tolerances_for(rules: Rules, principle: str, kind: str, first: Mapping[str, float] | None = None) -> dict[str, Any]:
    """Give tolerances as plain data: the principle's, with what a kind has of its own.

    ``first``: coefficients of the probe's first run since a part was changed, for those that are judged by it.
    """
    data = rules.tolerances
    own = data.get(kind, {})
    found: dict[str, Any] = data[principle] | own
    entries = data[principle].get("coefficients", {}) | own.get("coefficients", {})
    own_kind = rules.kinds.get(kind)
    own = sensing(principle).with_usual(own_kind.usual if own_kind else {})
    found["coefficients"] = {
        key: _in_unit(entry, own.coefficient(key).usual, (first or {}).get(key)) for key, entry in entries.items()
    }
    return found


def read_tolerances() -> Mapping[str, Any]:
    """Read tolerances by principle and by kind, as plain data."""
    found = table("calibrating", "tolerances.toml")
    for entry in [found.pop(key) for key, entry in list(found.items()) if "each_of" in entry]:
        named, principle = entry.pop("each_of"), entry.pop("principle")
        # A tip of a house's own that has tolerances of its own keeps them.
        found = {principle.format(each=key): entry for key in table(*named.split(":"))} | found
    return {key: found[entry.pop("same_as")] | entry if "same_as" in entry else entry for key, entry in found.items()}


def _in_unit(entry: dict[str, Any], usual: float, first: float | None) -> dict[str, Any]:
    """Bounds that are said as shares, of what is usual for a kind or of the first value, in the coefficient's unit."""
    if first is not None and "of_first" in entry:
        shares, whole = entry["of_first"], first
    elif "of_usual" in entry:
        shares, whole = entry["of_usual"], usual
    else:
        return entry
    bounds = [float(f"{share * whole:.4g}" if first else f"{share * whole:.10g}") for share in shares]
    return {key: value for key, value in entry.items() if key not in ("of_usual", "of_first")} | {
        "bounds": bounds,
        "change": entry["change_of_usual"] * whole,
    }
