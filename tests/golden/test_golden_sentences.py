"""What each finding says, once at each level, with its remedy and minutes: in runs of every principle, and on visits.

Points on the usual response are moved one or two at a time, under more than one condition of the place, until
everything that can be found has been; a visit's readings likewise. Whoever moves a figure of a sentence sees it here.
Words of this tool, 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_sentences`` writes
them anew.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations, product
from pathlib import Path
from typing import Any

import numpy as np
from tests.exact_points import Points, every_method, moved, warmed, with_signal
from tests.golden.golden import Golden
from tests.said import remedy, sentence, source
from tests.taken import SEA, seen

from brumel.core.calibrating.judging import judge
from brumel.core.findings import Finding, Level
from brumel.core.kit.accuracy import Accuracy
from brumel.core.kit.instruments import Measures
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import Compensation
from brumel.core.quantities.quantity import quantities, quantity
from brumel.core.reading.contrary import judge_together
from brumel.core.reading.given_value import PlainValue, judge_plain
from brumel.core.reading.jump import jump
from brumel.core.reading.together import Taken
from brumel.core.sensing.run import JudgedPoint, PreviousRun
from brumel.core.shipped_rules import shipped

SHARES = (0.004, 0.02, 0.05, 0.09, 0.15, 0.4, 0.95, 9.0)
TWICE = (8.12, -0.9)
"""The next standard's conductivity instead of its own; a cell constant wrong by ten."""
WARMER_C = (-16.0, -7.0, -1.2, 1.2, 7.0, 14.0)
COMPENSATED = ((-7.0, 0.236), (-7.0, 0.528), (-7.0, -0.191), (14.0, -0.174), (14.0, 0.21))
"""How much warmer, and by what share a meter that compensates, or does so twice, is off then."""
PLACES: tuple[dict[str, Any], ...] = (
    {"conditions": Surroundings(water_c=9.0).plain, "leaves_open": "the offset"},
    {"out_of_order": ("pH was calibrated before it, and carries salt",), "reach": (1.0, 900.0)},
)
WATERS = ((0.2, 2.0), (9_000.0, 42_000.0))


def spoilt(points: Points) -> Iterator[Points]:
    """One point off, then two; one warmer or colder; one that took long, or did not settle; one out of date."""
    yield points
    numbers = range(len(points))
    for n, share, sign in product(numbers, SHARES, (-1.0, 1.0)):
        if share < 1.0 or sign > 0:
            yield moved(points, n, sign * share)
    for (one, other), share, part in product(combinations(numbers, 2), SHARES[2:-2], (-0.5, 0.6, 0.95)):
        yield moved(moved(points, one, -share), other, -share * part)
        yield moved(moved(points, other, -share), one, -share * part)
        yield exchanged(points, one, other)
    first = points[0].point.signal
    yield [with_signal(p, first + 0.02 * (p.point.signal - first)) for p in points]
    yield from at_other_temperatures(points)
    for n, share in product(numbers, TWICE):
        yield moved(points, n, share)
    for n, (by_c, share) in product(numbers, COMPENSATED):
        yield moved(warmed(points, n, by_c), n, share)
    for n, share in product(numbers, SHARES):
        yield moved(points[::-1], n, share)
    for n in numbers:
        for how in (
            {"settling_s": 1200.0}, {"settling_s": None}, {"expired_days": 3}, {"over_open_days": 41},
            {"deviations": (shipped().deviations["rinse-skipped"].said,)}, {"target_known": False},
            {"family": "primary"},
        ):  # fmt: skip
            yield changed(points, n, **how)
        yield changed(moved(points, n, 0.3), n, settling_s=1200.0)
        yield points[: n + 1]


def changed(points: Points, number: int, **how: Any) -> Points:
    """One point, otherwise."""
    return [replace(p, **how) if n == number else p for n, p in enumerate(points)]


def scaled(p: JudgedPoint, nominal: float) -> JudgedPoint:
    """The point in a weaker standard, as exactly."""
    by, was = nominal / (p.nominal or nominal), p.point
    mine = {"value": was.value, "signal": was.signal, "u_value": was.u_value, "u_signal": was.u_signal}
    return replace(p, nominal=nominal, point=replace(was, **{key: by * value for key, value in mine.items()}))


def exchanged(points: Points, one: int, other: int) -> Points:
    """Two bottles taken for each other."""
    to = {one: other, other: one}
    return [with_signal(p, points[to.get(n, n)].point.signal) for n, p in enumerate(points)]


def at_other_temperatures(points: Points) -> Iterator[Points]:
    """One point that was warmer or colder than the others."""
    for number, by in product(range(len(points)), WARMER_C):
        yield warmed(points, number, by)


def of_runs() -> Iterator[tuple[str, Finding]]:
    """What is found in runs, each with its principle."""
    for _, frozen, response, points in every_method():
        last, tended = PreviousRun(response, 3.0), PreviousRun(response, 400.0, "a new part was fitted")
        runs = [
            *((frozen, found, before, None) for found, before in product(spoilt(points), (None, last))),
            *((frozen, moved(points, n, share), tended, None) for n, share in product(range(len(points)), SHARES)),
            *((frozen | place, found, last, None)
              for found, place in product([points, *at_other_temperatures(points)], PLACES)),
            *((frozen | PLACES[1], moved(points, n, -share), None, None)
              for n, share in product(range(len(points)), SHARES[:-1])),
            *((frozen, points, tended, waters) for waters in WATERS),
        ]  # fmt: skip
        if frozen["principle"] == "conductivity":
            weak = [scaled(p, 84.0) for p in points[-1:]]
            runs += [(frozen, moved(weak, 0, sign * share), None, None) for share in SHARES for sign in (-1.0, 1.0)]
        yield from ((frozen["principle"], f) for run in runs for f in judge(*run, rules=shipped())[1])


def of_visits() -> Iterator[Finding]:
    """What is found in readings beside each other, and in one value as it was typed."""
    around = {"temperature": 21.0, "salinity": 31.0, "station-pressure": 930.0, "oxygen-saturation": 88.0}
    for mg_l in (4.0, 5.2, 5.6, 6.0, 6.7, 7.3, 8.0, 9.0):
        yield from judge_together(taken(around | {"oxygen": mg_l}), SEA, shipped())
    for shown in (10.0, 30.5, 31.5, 35.0):
        salts = taken({"temperature": 21.0, "salinity": shown})
        yield from judge_together(salts | {"conductivity": Taken("conductivity", 44_000.0, 300.0)}, SEA, shipped())
    for free, combined in ((1.2, -0.03), (1.2, -0.4), (0.2, 0.1)):
        chlorine = {"free-chlorine": free, "combined-chlorine": combined, "ph": 7.4, "temperature": 27.0}
        yield from judge_together(taken(chlorine), Compensation(), shipped(), asks_hocl=True)
    odd = {"oxygen-saturation": 160.0, "orp": -180.0, "temperature": 2.0, "free-chlorine": 0.8}
    yield from judge_together(taken(odd), Compensation(), shipped())
    for about in quantities().values():
        low, high = about.plausible
        for value, measures, expected in (
            (low, Measures(), None), (high, Measures(), (low, (low + high) / 2)),
            (high + (high - low), Measures(), None),
            ((low + high) / 2, Measures(low, (2 * low + high) / 3, Accuracy(percent_of_reading=2.0)), None),
        ):  # fmt: skip
            yield from judge_plain(PlainValue(about, value, "", "P-1", measures, expected))
    usual = np.array([7.4, 7.5, 7.45, 7.38, 7.42, 7.47, 7.44])
    for value in (8.1, 6.2):
        yield from jump(quantity("ph"), value, 0.02, usual)


def taken(values: dict[str, float]) -> dict[str, Taken]:
    return seen(**{key.replace("-", "_"): value for key, value in values.items()})


def sentences() -> Iterator[str]:
    """Each code's first finding of each level and length, by code; what only follows another is no case."""
    found: dict[tuple[str, Level, int], tuple[str, Finding]] = {}
    for where, f in (*of_runs(), *(("visit", f) for f in of_visits())):
        if not remedy(f).startswith("It follows"):
            found.setdefault((f.code, f.level, f.minutes or 0), (where, f))
    for (code, level, _), (where, f) in sorted(found.items()):
        yield f"{where} {code} {level} | {sentence(f)} | {remedy(f)} | {f.minutes} | {source(f)}"


GOLDEN = Golden(Path(__file__).with_name("sentences.txt"), sentences)


def test_every_sentence_says_what_it_did() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
