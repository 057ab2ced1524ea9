"""A run in words."""

from __future__ import annotations

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import steps_of
from brumel.core.quantities.quantity import quantity
from brumel.core.sensing.response import Origin
from brumel.core.wording import counted, signed
from brumel.services.probes.run_facts import quantity_key, standing_points
from brumel.store.models.calibration import (
    CalibrationRun,
)


def points_words(run: CalibrationRun) -> str:
    """Say how many of its points an open run has."""
    taken, wanted = len(standing_points(run)), sum(s.kind.has_point for s in steps_of(run.method))
    return f"{taken} of {counted(wanted, 'point')}"


def coefficient_words(run: CalibrationRun) -> list[tuple[str, str]]:
    """Name and value of each coefficient of a signed run, but for what its principle fixes."""
    found = []
    for c in run.coefficients:
        if c.origin == Origin.REPORTED:
            report = next(r for r in run.method["reports"] if r["key"] == c.key)
            found.append((report["name"], f"{signed(c.value, report['digits'])} {c.unit}"))
            continue
        about = principle_of(run.method).coefficient(c.key)
        if c.origin != Origin.FIXED and not (about.minor and c.origin == Origin.ASSUMED):
            origin = "" if c.origin == Origin.FITTED else f" ({c.origin})"
            found.append((about.name, about.words(c.value, plus=about.usual == 0) + origin))
    return found


def target_words(run: CalibrationRun) -> str:
    """From which target to which a signed run reaches; empty where it has none."""
    end = run.signature
    if end is None or end.targets_low is None or end.targets_high is None:
        return ""
    about = quantity(quantity_key(run))
    low, high = about.number(end.targets_low), about.number(end.targets_high)
    return f"{low}{about.after}" if low == high else f"{low}–{high}{about.after}"
