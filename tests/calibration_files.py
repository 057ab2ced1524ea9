"""Calibrations as open files: an ion tip's, by another hand's line, and a cell's of one point."""

from __future__ import annotations

import math
from typing import Any

HIGH, LOW = 46.2, 4.62


STEPS = {"two": ("high", "low"), "three": ("high", "low", "high-field"),
         "four": ("high", "low", "high-field", "low-field")}  # fmt: skip


def signal(activity: float, t: float, *, percent: float = 96.0, drift: float = 0.2, charge: int = 1) -> float:
    k = 1000 * 8.314462618 * (273.15 + t) * math.log(10) / (charge * 96485.33212)
    return 150.0 + percent / 100.0 * k * math.log10(activity) + drift * (t - 25.0)


def run(method: str = "two", *, ion: str = "ammonium", field_c: float = 8.0, **changes: Any) -> dict[str, Any]:
    """A run as a file; ``changes`` by step name add to its points, ``tip`` to how the tip responds."""
    charge = 1 if ion == "ammonium" else -1
    tip = changes.pop("tip", {})
    points = []
    for step in STEPS[method]:
        value, t = HIGH if step.startswith("high") else LOW, field_c if step.endswith("field") else 22.0
        point = {
            "step": step, "temperature_c": t, "lot": {"standard": ion, "family": "", "nominal": value},
            "target": {"value": value, "u": 0.01 * value}, "signal": signal(value, t, charge=charge, **tip),
        }  # fmt: skip
        points.append(point | changes.pop(step.replace("-", "_"), {}))
    return {
        "format": "brumel-calibration", "version": 1, "probe": {"kind": ion}, "method": f"{ion}-{method}",
        "points": points, **changes,
    }  # fmt: skip


def file(signal: float, **more: Any) -> dict[str, Any]:
    point = {"step": "standard", "temperature_c": 22.0, "signal": signal,
             "lot": {"standard": "conductivity", "family": "kcl", "nominal": 1413}}  # fmt: skip
    return {"format": "brumel-calibration", "version": 1, "probe": {"kind": "conductivity-1"},
            "method": "conductivity-one", "points": [point], **more}  # fmt: skip
