"""Figures of the core as they are, to five digits: settling, trends, plans, responses.

From this tool, 25 November 2026; they stand beside the checks against published values and simulations, and whoever
moves a constant or a sign sees it here.
``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_numbers`` writes them anew.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
from tests.glass import fitted, point
from tests.golden.golden import Golden, words
from tests.jobs import job
from tests.said import called
from tests.simulated import CALIBRATION_PH, READING_PH, RULES, Signal

from brumel.core.kit.trend import LifePoint, trend_of
from brumel.core.numbers.series import Series
from brumel.core.place.conditions import Conditions
from brumel.core.plan.problem import Problem
from brumel.core.plan.solve import best_plan, earliest_departure
from brumel.core.settling.judgement import judge_settling

START = datetime(2026, 1, 1, tzinfo=UTC)


TRACES: dict[str, Signal] = {
    "fresh": Signal(4.0, 120.0, 0.03), "aged": Signal(30.0, -80.0, 0.03), "slow": Signal(60.0, 150.0, 0.03),
    "still": Signal(5.0, 0.0, 0.02), "noisy": Signal(6.0, 40.0, 0.15), "too noisy": Signal(6.0, 5.0, 0.6),
    "display 0.1": Signal(12.0, 60.0, 0.03, step=0.1), "display 1": Signal(12.0, 60.0, 0.1, step=1.0),
    "two rates": Signal(8.0, 90.0, 0.03, slow_share=0.2, slower=6.0),
    "drifting": Signal(6.0, 30.0, 0.03, drift_per_s=0.02),
    "turning": Signal(20.0, 30.0, 0.02, drift_per_s=0.03), "seldom": Signal(15.0, 50.0, 0.03, spacing_s=3.0),
    "often": Signal(15.0, -50.0, 0.03, spacing_s=0.1), "no noise": Signal(10.0, 70.0, 0.0),
    "rounded slow": Signal(45.0, 9.0, 0.01, step=0.1, spacing_s=0.2),
}  # fmt: skip


def traces() -> Iterator[tuple[str, np.ndarray, np.ndarray, np.ndarray]]:
    for number, (name, signal) in enumerate(TRACES.items()):
        t, y = signal.drawn(np.random.default_rng(number), 420.0)
        yield name, t, y, np.full(t.shape, 21.0)
    t, y = Signal(5.0, 60.0, 0.03).drawn(np.random.default_rng(70), 300.0)
    gap = (t < 60) | (t > 78)
    yield "a gap", t[gap], y[gap], np.full(gap.sum(), 21.0)
    yield "a step", t, y + 4.0 * (t > 70), np.full(t.shape, 21.0)
    yield "wandering", t, y + 1.5 * np.sin(t / 9.0), np.full(t.shape, 21.0)
    yield "warming", t, y, 21.0 + 3.0 * np.exp(-t / 60.0)
    yield "a ramp", t, 0.02 * t + 0.001 * y, np.full(t.shape, 21.0)
    yield "a ramp after a gap", t[gap], 0.02 * t[gap] + 0.001 * y[gap], np.full(gap.sum(), 21.0)
    fall = 9.0 * np.exp(-t / 400.0) * (1.0 - np.exp(-t / 4.0))
    yield "rises, then falls", t, fall + 0.01 * y, np.full(t.shape, 21.0)
    yield "late", t, np.where(t < 15, 80.0, np.interp(t - 15, t, y)), np.full(t.shape, 21.0)


def settling() -> Iterator[str]:
    for name, t, y, c in traces():
        for key, looks in (("calibration", (26.0, 75.0, 200.0)), ("percent", (48.0,))):
            for until in looks:
                seen = t <= until
                j = judge_settling(Series.of(t[seen], y[seen], temperature_c=c[seen]), RULES[key])
                yield (
                    f"settling {name} {key} {until:g}: {j.state} {words(j.value)} {words(j.window)} {words(j.span)} "
                    f"{words(j.slope_per_window)} {words(j.temperature_span_c)} left {words(j.remaining_low_s)} "
                    f"{words(j.remaining_s)} {words(j.remaining_high_s)} over {words(j.left_over)} {words(j.band)} "
                    f"{words(j.approach)}"
                )


def trends() -> Iterator[str]:
    random = np.random.default_rng(3)
    series: dict[str, Callable[[int], float]] = {
        "falling": lambda n: 99.0 - 0.05 * n, "rising": lambda n: 2.0 + 0.3 * n, "flat": lambda n: 98.0,
        "out": lambda n: 94.0 - 0.01 * n,
        "bent": lambda n: 99.0 - 0.001 * n * n, "jump": lambda n: 98.0 + 3.0 * (n == 29),
    }  # fmt: skip
    for name, value in series.items():
        for noise in (0.0, 0.2):
            for every in (2.5,) if noise else (1.0,):
                points = [
                    LifePoint(START + timedelta(days=every * n), value(n) + noise * float(random.normal()))
                    for n in range(30)
                ]
                found = trend_of(points, (95.0, 102.0), START + timedelta(days=80, hours=7))
                assert found is not None
                yield f"trend {name} {noise} {every}: " + " ".join(
                    words(v) for v in (
                        found.per_day, found.low_per_day, found.high_per_day, found.begin.at, found.begin.value,
                        found.end.value, found.leaves_at, found.earliest, found.latest, found.already_out, found.moves,
                        found.control.low, found.control.centre, found.control.high, "; ".join(found.rules),
                    )
                )  # fmt: skip
    for count in (8, 9, 13, 21):
        found = trend_of(
            [
                LifePoint(START + timedelta(days=3.0 * n), 98.0 - 0.02 * n + float(random.normal()))
                for n in range(count)
            ],
            (95.0, 102.0), START + timedelta(days=80),
        )  # fmt: skip
        assert found is not None
        yield f"trend of {count}: {words([found.per_day, found.low_per_day, found.high_per_day])}"
    for count, every in ((7, 4.0), (8, 2.0), (8, 1.99)):
        points = [LifePoint(START + timedelta(days=every * n), 98.0 + n) for n in range(count)]
        yield f"trend of {count} every {every}: {trend_of(points, (0, 200), START) is None}"


def plans() -> Iterator[str]:
    days = {
        "two": Problem((job("A", (5, 30), (10, 0)), job("B", (5, 10), (8, 0), release=12)), 60),
        "three": Problem((job("A", (5, 30), (12, 0), weight=4), job("B", (3, 0), (6, 10), (2, 0), weight=2),
                          job("C", (4, 60), (4, 0), release=5)), 90),
        "stages": Problem((job("A", (5, 5), (10, 0), stage=1), job("B", (8, 0), (4, 0), stage=0)), 45),
        "meanwhile": Problem((job("A", (2, 40), (6, 0), (5, 0), meanwhile=1), job("B", (9, 0), (7, 0))), 60),
        "too short": Problem((job("A", (5, 30), (12, 0), weight=4), job("B", (5, 30), (12, 0), weight=1)), 20),
        "tight": Problem((job("A", (5, 0), weight=2), job("B", (6, 0), weight=3), job("C", (7, 0), weight=1)), 12),
    }  # fmt: skip
    for name, day in days.items():
        plan = best_plan(day)
        left_out, earliest = sorted(plan.left_out), earliest_departure(day)
        yield f"plan {name}: {sorted(plan.starts.items())} without {left_out} earliest {earliest}"


def responses() -> Iterator[str]:
    points = [
        point(7.02, 3.4, 20.0, bottle="n"),
        point(4.0, 175.1, 20.2),
        point(10.06, -170.9, 19.8),
        point(7.02, 3.1, 24.0),
    ]
    for count in (1, 4):
        line = fitted(points[:count])
        yield f"response {count}: {words(line.values)} {words(line.covariance)} {words(line.residuals)}"
        for mv, t, age, left in ((-40.0, 12.0, 0.0, 0.0), (150.0, 31.0, 3.0, 0.004)):
            budget = line.budget(mv, Conditions(t), age_days=age, left_over=left)
            parts = " ".join(f"{called(c)}={words(c.share)}" for c in budget.contributions)
            yield f"  {mv:g} at {t:g}: {words(line.value(mv, Conditions(t)))} u {words(budget.u)}: {parts}"
    for rule in (CALIBRATION_PH, READING_PH, RULES["percent"]):
        at = [rule.at(v, step) for v in (0.0, 150.0) for step in (0.0, 1.0)]
        yield f"rule {rule.name}: {words([(r.span, r.slope_per_window) for r in at])}"


def figures() -> Iterator[str]:
    for section in (settling, trends, plans, responses):
        yield f"# {section.__name__}"
        yield from section()


GOLDEN = Golden(Path(__file__).with_name("numbers.txt"), figures)


def test_figures_are_as_they_were() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
