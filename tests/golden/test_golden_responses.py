"""What the response of each principle reads, with every share of its uncertainty and its working, to five digits.

As of 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_responses`` writes it anew.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
from tests.exact_points import exact, fullest_methods, moved
from tests.golden.golden import Golden, words
from tests.said import called
from tests.simulated_bench import KINDS

from brumel.core.calibrating.judging import judge
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.response import Response
from brumel.core.shipped_rules import shipped
from brumel.core.words.catalogue import word

PLACES = (
    Conditions(22.0, "ag-agcl-3m", 1004.0, conductivity_us_cm=600.0, u_conductivity=6.0),
    Conditions(6.0, "calomel-saturated", 938.0, salinity=12.0, conductivity_us_cm=200.0, u_conductivity=2.0),
    Conditions(33.0, "ag-agcl-3m", 1018.0, conductivity_us_cm=1400.0, u_conductivity=14.0),
)  # fmt: skip
SHARES = (0.6, 1.0, 1.3)
"""Signals, as shares of that of the run's last point; one at each place."""


def lines() -> Iterator[tuple[str, str, Response, float]]:
    """Of each principle the usual response, and one through points a little off it; with the last point's signal."""
    for code, frozen, usual, points in fullest_methods():
        for number in range(len(points)):
            points = moved(points, number, 0.01 * (-1) ** number)
        fitted, _ = judge(frozen, points, None, rules=shipped())
        last = points[-1].point.signal
        yield code, "usual", usual, last
        if fitted is not None:
            yield code, "fitted", fitted, last


def told() -> Iterator[str]:
    """All of it."""
    for code, name, line, last in lines():
        own = line.principle
        yield f"{code} {name}: {words(line.values)} {words(line.covariance)} {words(line.residuals)}"
        for at, share in zip(PLACES, SHARES, strict=True):
            signal = last * share
            value = float(line.value(signal, at))
            budget = line.budget(signal, at, age_days=2.0, left_over=0.01)
            shares = " ".join(f"{called(c)}={words(c.share)}" for c in budget.contributions)
            yield f"  {words(signal)} at {at.temperature_c:g}: {words(value)} u {words(budget.u)}: {shares}"
        working = own.working(last, float(line.value(last, PLACES[1])), PLACES[1], line.by_key)
        yield f"  by: {' | '.join(str(word(line)) for line in working)}"
        degrees = words([line.signal_per_degree(line.value(last, at), at) for at in PLACES])
        still = words([own.still_s((last, 0.5 * last, tau), PLACES[0]) for tau in (20.0, 90.0, 900.0)])
        drift = words([own.drift(float(line.value(last, PLACES[0])), days) for days in (0.0, 1.0, 30.0)])
        warmed = words(own.warmed_by(np.array([1.0, 7.0, 100.0])))
        yield f"  a degree {degrees} still {still} drift {drift} warmed {warmed} u {words(own.u_of(last))}"
        yield f"  apart {words(own.apart(np.array([2.0, 5.0, 20.0])))} carried {words(own.carried(None, 1.02))}"


GOLDEN = Golden(Path(__file__).with_name("responses.txt"), told)


def test_every_response_reads_as_it_did() -> None:
    assert GOLDEN.now == GOLDEN.then


def test_a_place_without_salts_reads_the_same_oxygen() -> None:
    """What is pinned hangs on the place only where the principle says so: percent of saturation knows no salt."""
    found = exact(KINDS["membrane"], "membrane-air")
    assert found is not None
    _, line, points = found
    fresh, salt = PLACES[0], replace(PLACES[0], salinity=30.0)
    assert line.value(points[0].point.signal, fresh) == line.value(points[0].point.signal, salt)


if __name__ == "__main__":
    GOLDEN.write()
