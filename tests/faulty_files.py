"""Calibrations as files, healthy or with one hidden fault, by another hand's physics than the core's and the bench's.

Severities are drawn evenly over their logarithm, from what just matters to what nobody overlooks. Potentials by Nernst,
buffers and potassium chloride by straight lines between printed values (handbook tables, ±0.005 and ±0.3 %), oxygen by
Dalton's law with Magnus' vapour pressure, sizes of what is healthy by common practice.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np

File = dict[str, Any]
Draw = random.Random
_BUFFERS = {
    4.01: ([0, 10, 20, 25, 30, 40], [4.01, 4.00, 4.00, 4.01, 4.02, 4.04]),
    7.00: ([0, 10, 20, 25, 30, 40], [7.12, 7.06, 7.02, 7.00, 6.99, 6.97]),
    10.01: ([0, 10, 20, 25, 30, 40], [10.32, 10.18, 10.06, 10.01, 9.97, 9.89]),
    9.18: ([0, 10, 20, 25, 30, 40], [9.464, 9.332, 9.225, 9.180, 9.139, 9.068]),
}
_KCL = {1413.0: ([5, 10, 15, 20, 25, 30], [896, 1020, 1147, 1278, 1413, 1552]),
        12_880.0: ([5, 10, 15, 20, 25, 30], [8220, 9330, 10_480, 11_670, 12_880, 14_120])}  # fmt: skip


def _at(table: tuple[list[int], list[float]], t: float) -> float:
    return float(np.interp(t, *table))


def severity(draw: Draw, low: float, high: float) -> float:
    """Evenly over its logarithm."""
    return math.exp(draw.uniform(math.log(low), math.log(high)))


def _file(kind: str, method: str, points: list[File], previous: File, **more: Any) -> File:
    return {"format": "brumel-calibration", "version": 1, "probe": {"kind": kind, **more.pop("probe", {})},
            "method": method, "points": points, "previous": previous, **more}  # fmt: skip


def _point(step: str, signal: float, t: float, draw: Draw, **more: Any) -> File:
    shown = round(t + draw.gauss(0.0, 0.05), 1)
    given = {"settling_s": round(draw.uniform(35.0, 120.0), 1), "acceptance": "settled"} | more
    return {"step": step, "signal": round(signal, 2), "temperature_c": shown, **given}


def glass(draw: Draw, fault: str = "") -> File:
    """Three buffers; a fault is the number of buffers, what stands in which cup, or what ails the electrode."""
    t, off = draw.uniform(8.0, 32.0), draw.gauss(0.0, 0.03)
    slope, offset, iso = draw.uniform(96.5, 100.3), draw.uniform(-9.0, 9.0), draw.gauss(7.0, 0.15)
    if fault == "unknown temperature":
        t = draw.choice([draw.uniform(42.0, 48.0), draw.uniform(41.0, 44.0)])
    k = 8.314462 * (t + off + 273.15) * math.log(10.0) / 96.485332
    k_25 = 8.314462 * 298.15 * math.log(10.0) / 96.485332
    labels = [7.00, 4.01, 10.01] if draw.random() < 0.6 else [7.00, 4.01]
    cups = list(labels)
    if fault == "swapped":
        a, b = draw.sample(range(len(cups)), 2)
        cups[a], cups[b] = cups[b], cups[a]
    elif fault == "same buffer twice":
        a, b = draw.sample(range(len(cups)), 2)
        cups[a] = cups[b]
    elif fault == "another family":
        labels = cups = [7.00, 4.01, 10.01]
        cups = [7.00, 4.01, 9.18]
    crack = draw.uniform(-10.0, 20.0)
    last_slope = slope + draw.uniform(0.0, 0.25)
    if fault == "aged":
        slope -= severity(draw, 4.0, 25.0)

    def signal(cup: float) -> float:
        truth = _at(_BUFFERS[cup], t) + draw.gauss(0.0, 0.006)
        if fault == "cracked":
            return crack + draw.gauss(0.0, 1.0)
        return offset - slope / 100.0 * (k * (truth - iso) + k_25 * (iso - 7.0))

    slow = severity(draw, 330.0, 1_500.0) if fault == "slow" else None
    names = {7.00: "neutral", 4.01: "acid", 10.01: "alkaline"}
    family = {"standard": "ph-buffer", "family": "technical"}
    points = [
        _point(names[label], signal(cup), t, draw, lot=family | {"nominal": label},
               **({"settling_s": slow * draw.uniform(0.9, 1.1)} if slow else {}))
        for label, cup in zip(labels, cups, strict=True)
    ]  # fmt: skip
    previous = {"coefficients": {"offset": offset + draw.gauss(0.0, 0.6), "slope": last_slope},
                "age_days": draw.uniform(1.0, 7.0)}  # fmt: skip
    return _file("ph-combination", "ph-neutral-acid-alkaline", points, previous)


def cell(draw: Draw, fault: str = "") -> File:
    """A cell in one standard of potassium chloride."""
    t, nominal = draw.uniform(11.0, 29.0), draw.choice([1413.0, 12_880.0])
    label = nominal
    constant = draw.uniform(0.94, 1.06)
    before = constant * (1.0 + draw.gauss(0.0, 0.004))
    truth = _at(_KCL[nominal], t) * (1.0 + draw.gauss(0.0, 0.003))
    if fault == "swapped":
        label = 12_880.0 if nominal == 1413.0 else 1413.0
    elif fault == "evaporated":
        truth *= 1.0 + severity(draw, 0.05, 0.3)
    elif fault == "bubbles":
        truth *= 1.0 - severity(draw, 0.14, 0.5)
    elif fault == "covered":
        truth *= 1.0 - severity(draw, 0.05, 0.11)
    elif fault == "constant by ten":
        truth *= draw.choice([0.1, 10.0])
    elif fault == "compensated":
        t = draw.choice([draw.uniform(8.0, 19.0), draw.uniform(28.5, 30.0)])
        truth = _at(_KCL[nominal], t) / (1.0 + draw.uniform(1.9, 2.2) / 100.0 * (t - 25.0))
    lot = {"standard": "conductivity", "family": "kcl", "nominal": label}
    if fault == "unknown temperature":
        t = draw.uniform(8.0, 18.0)
        lot, truth = lot | {"nominal": 84.0}, 84.0 * (1.0 + 0.0191 * (t - 25.0))
    previous = {"coefficients": {"cell-constant": before}, "age_days": draw.uniform(1.0, 20.0)}
    return _file(
        "conductivity-1", "conductivity-one", [_point("standard", truth / constant, t, draw, lot=lot)], previous
    )


def tip(draw: Draw, fault: str = "") -> File:
    """An ammonium tip in two standards, a decade apart."""
    t = draw.uniform(18.0, 27.0)
    slope, e0 = draw.uniform(55.5, 59.0) * (t + 273.15) / 298.15, draw.uniform(120.0, 180.0)
    last = slope + draw.uniform(0.0, 0.4)
    values = {"high": 46.2, "low": 4.62}
    cups = dict(values)
    if fault == "swapped":
        cups = {"high": 4.62, "low": 46.2}
    elif fault == "same standard":
        cups["low"] = cups["high"]
    elif fault == "aged":
        slope *= 1.0 - severity(draw, 0.2, 0.6)
    slow = severity(draw, 700.0, 3_000.0) if fault == "dry" else None

    def signal(cup: float) -> float:
        return e0 + slope * math.log10(cup / 14.007e3) + draw.gauss(0.0, 0.25)

    points = [
        _point(step, signal(cups[step]), t, draw, lot={"standard": "ammonium", "nominal": label},
               settling_s=slow or draw.uniform(150.0, 320.0))
        for step, label in values.items()
    ]  # fmt: skip
    previous = {"coefficients": {"offset": e0 + draw.gauss(0.0, 2.0), "slope": last / 59.16 * 100.0}, "age_days": 0.5}
    return _file("ammonium", "ammonium-two", points, previous)


def _pressure(t: float, hpa: float) -> float:
    return (hpa - 6.112 * math.exp(17.62 * t / (243.12 + t))) * 0.2095


def membrane(draw: Draw, fault: str = "") -> File:
    """A galvanic membrane in saturated air, a few days after its last run."""
    t, altitude = draw.uniform(8.0, 30.0), draw.choice([5.0, 200.0, 630.0])
    if fault == "sea-level pressure":
        altitude = 630.0
    station = 1013.25 * (1.0 - 2.25577e-5 * altitude) ** 5.25588 + draw.uniform(-14.0, 8.0)
    last_c, days = t + draw.gauss(0.0, 4.0), draw.uniform(0.5, 7.5)
    per_c = draw.gauss(0.03, 0.002)
    gain = draw.uniform(80.0, 125.0)
    now = gain * (1.0 + draw.gauss(0.0, 0.003) - 0.001 * days)
    partial = _pressure(t, station)
    if fault == "dry air":
        partial = station * 0.2095 * (1.0 - draw.uniform(0.0, 0.1) * (1.0 - partial / station / 0.2095))
    elif fault == "worn":
        now *= 1.0 - severity(draw, 0.15, 0.5)
    elif fault == "not warmed up":
        now *= 1.0 + severity(draw, 0.15, 1.0)
    full = _pressure(25.0, 1013.25)
    signal = 0.4 + now * math.exp(per_c * (t - 25.0)) * partial / full
    # The last run took the permeability for what is usual, as this one does: what it found leans on how warm it was.
    seen = gain * math.exp((per_c - 0.03) * (last_c - 25.0)) * (1.0 + draw.gauss(0.0, 0.003))
    typed = station / (1.0 - 2.25577e-5 * 630.0) ** 5.25588 if fault == "sea-level pressure" else station
    place = {"pressure": {"typed": round(typed, 1), "unit": "hPa", "kind": "station", "altitude_m": altitude}}
    point = _point("air", signal, t, draw, pressure_hpa=round(typed, 1))
    previous = {"coefficients": {"zero": 0.4, "gain": seen}, "age_days": days, "temperature_c": last_c,
                "covariance": [[0.08, 0.0], [0.0, (0.004 * gain) ** 2]]}  # fmt: skip
    return _file("oxygen-galvanic", "membrane-air", [point], previous, conditions=place)


KINDS: Mapping[str, tuple[Callable[..., File], Mapping[str, tuple[str, ...]]]] = {
    "glass": (glass, {
        "swapped": ("buffers-swapped",), "same buffer twice": ("same-buffer-twice", "same-potential"),
        "cracked": ("same-potential",), "aged": ("slope", "changed-since-last"), "slow": ("electrode-slow",),
        "another family": ("another-family",), "unknown temperature": ("standard-temperature",),
    }),
    "cell": (cell, {
        "swapped": ("standard-swapped", "constant-by-ten"), "evaporated": ("standard-concentrated",),
        "bubbles": ("bubbles",), "covered": ("cell-covered",),
        "constant by ten": ("constant-by-ten", "standard-swapped"),
        "compensated": ("compensation",), "unknown temperature": ("standard-temperature",),
    }),
    "tip": (tip, {
        "swapped": ("standards-swapped",), "same standard": ("same-standard",), "aged": ("slope",),
        "dry": ("tip-not-hydrated",),
    }),
    "membrane": (membrane, {
        "dry air": ("air-not-saturated",), "worn": ("sensor-worn",), "not warmed up": ("not-warmed-up",),
        "sea-level pressure": ("pressure-reduced",),
    }),
}  # fmt: skip
"""By kind: what makes a file, and for each fault the codes of which one must stand first."""


def files(kind: str, fault: str, seed: int, count: int) -> Iterator[File]:
    """So many of them, from a seed."""
    make = KINDS[kind][0]
    for number in range(count):
        yield make(random.Random(f"{kind}/{fault}/{seed}/{number}"), fault)
