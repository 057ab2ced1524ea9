"""Laws that hold for any input, where figures would say only what is: budgets, limits, pressures, checks of a meter."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from tests.calculated import good
from tests.exact_points import AT, Points, every_method, fullest_methods, moved

from brumel.core.calibrating.judging import judge
from brumel.core.calibrating.meter_run import KeptPoint, judge_kept
from brumel.core.findings import Level, verdict
from brumel.core.kit.kinds import Check
from brumel.core.place.station_pressure import Pressure
from brumel.core.quantities.pressure import UNITS_HPA
from brumel.core.reading.limits import Keeps, Limit, keeps
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs, Number, calculations
from brumel.core.sensing.response import LEFT_OVER, LINE, SIGNAL, TEMPERATURE, Response
from brumel.core.shipped_rules import shipped

DOES_NOT_APPLY = {("hypochlorous-fraction", "cyanuric_acid_mg_l"), ("hypochlorous-fraction", "salinity")}
"""Inputs that are nought or the calculation is refused."""
NUMBERS = [
    (name, i.name)
    for name, chosen in calculations().items()
    for i in chosen.inputs
    if isinstance(i, Number) and not i.allowed and not i.scalar and (name, i.name) not in DOES_NOT_APPLY
]
FEW = settings(max_examples=20)
FULLEST = {found[1]["principle"]: found for found in fullest_methods()}
CHECKS = {c.key: c for kind in shipped().kinds.values() for c in kind.checks}
PRINCIPLES = pytest.mark.parametrize("principle", FULLEST)
Worked = dict[str, Any]


def worked(name: str, inputs: dict[str, Any]) -> Worked:
    """Its outputs; nothing, where the inputs can't be taken."""
    try:
        return calculate(name, inputs).outputs
    except InvalidInputs:
        return {}


@pytest.mark.parametrize(("name", "of"), NUMBERS)
@FEW
@given(share=st.floats(0.03, 0.97))
def test_what_an_input_adds_is_its_u_by_the_slope(name: str, of: str, share: float) -> None:
    """JCGM 100:2008, 5.1.2: the slope told by a secant of another width than the program's, anywhere in the range."""
    i = next(i for i in calculations()[name].inputs if i.name == of)
    assert isinstance(i, Number)
    usual = good(name).get(of, i.default)
    usual = usual if isinstance(usual, int | float) and usual else min(i.high, 20.0) / 2
    value = max(usual * (0.5 + share), i.low + 1e-6)
    inputs, step = good(name) | {of: value}, 2e-4 * max(abs(value), 0.01)
    inherent = calculations()[name].inherent
    middle = worked(name, inputs | {f"{of}_u": 0.01 * abs(value) + 1e-3})
    below, above = (worked(name, inputs | {of: value + by}) for by in (-step, step))
    assume(middle and below and above)
    for key, u in ((k.removesuffix("_u"), u) for k, u in middle.items() if k.endswith("_u")):
        left, right = (above[key] - middle[key]) / step, (middle[key] - below[key]) / step
        if not math.isclose(left, right, rel_tol=0.05, abs_tol=1e-9):
            continue  # a bend lies within the secant: the slope is told on one side of it
        own = math.hypot(*(u for _, u in inherent.get(key, ())))
        expected = math.hypot((0.01 * abs(value) + 1e-3) * (left + right) / 2, own)
        assert u == pytest.approx(expected, rel=0.02, abs=1e-7), key


def off_by(principle: str, by: float) -> tuple[Response, float]:
    """A response through points that are a little off, and the last point's signal."""
    _, frozen, _, points = FULLEST[principle]
    for n in range(len(points)):
        points = moved(points, n, by * (-1) ** n)
    found, _ = judge(frozen, points, None, rules=shipped())
    assert found is not None
    return found, points[-1].point.signal


@PRINCIPLES
@FEW
@given(by=st.floats(-0.02, 0.02), share=st.floats(0.5, 1.4), t=st.floats(2.0, 35.0))
def test_each_share_of_a_readings_u_is_its_cause_by_the_slope(
    principle: str, by: float, share: float, t: float
) -> None:
    """JCGM 100:2008, first order, each slope by a difference: of coefficients together, signal and temperature."""
    line, last = off_by(principle, by)
    signal, at = last * share, replace(AT, temperature_c=t)
    value = line.value(signal, at)
    assume(math.isfinite(value) and abs(line.values[line.principle.value_term]) > 0)
    budget = line.budget(signal, at, age_days=1.0, left_over=0.02)
    shares = {c.key: c.share for c in budget.contributions}
    assert math.hypot(*shares.values()) == pytest.approx(budget.u)

    def slope(index: int) -> float:
        step = 1e-5 * max(abs(line.values[index]), 1e-2)
        ends = ([v + s * (n == index) for n, v in enumerate(line.values)] for s in (-step, step))
        low, high = (replace(line, values=tuple(values)).value(signal, at) for values in ends)
        return float(high - low) / (2 * step)

    slopes = np.array([slope(n) for n in range(len(line.values))])
    of_the_line = math.sqrt(max(slopes @ np.array(line.covariance) @ slopes, 0.0))
    assert shares[LINE] == pytest.approx(of_the_line, rel=0.02, abs=1e-9)
    step = 1e-5 * max(abs(signal), 1.0)
    by_signal = (line.value(signal + step, at) - line.value(signal - step, at)) / (2 * step)
    assert shares[SIGNAL] == pytest.approx(abs(by_signal) * line.principle.u_of(signal), rel=0.01)
    by_degree = (line.value(signal, at.warmer(0.05)) - line.value(signal, at.warmer(-0.05))) / 0.1
    assert shares[TEMPERATURE] == pytest.approx(abs(by_degree) * at.u_temperature_c, rel=0.06, abs=2e-4 * abs(value))
    assert shares[LEFT_OVER] == pytest.approx(0.02)


@PRINCIPLES
@FEW
@given(share=st.floats(0.5, 1.4), t=st.floats(2.0, 35.0), days=st.floats(0.0, 30.0))
def test_a_reading_is_never_surer_for_being_later(principle: str, share: float, t: float, days: float) -> None:
    line, last = off_by(principle, 0.01)
    at = replace(AT, temperature_c=t)
    now, later = (line.budget(last * share, at, age_days=d).u for d in (days, days + 1.0))
    assume(math.isfinite(now))
    assert later >= now


@PRINCIPLES
def test_u_of_a_coefficient_falls_as_the_points_get_surer(principle: str) -> None:
    """Half the u of every point, at most the same u of every coefficient."""
    _, frozen, _, points = FULLEST[principle]
    surer = [replace(p, point=replace(p.point, u_value=p.point.u_value / 2, u_signal=p.point.u_signal / 2))
             for p in points]  # fmt: skip
    one, other = judge(frozen, points, None, rules=shipped())[0], judge(frozen, surer, None, rules=shipped())[0]
    assert one is not None
    assert other is not None
    for was, now in zip(np.diag(one.covariance), np.diag(other.covariance), strict=True):
        assert now <= was * (1 + 1e-9)


@pytest.mark.parametrize("code", [found[0] for found in every_method()])
def test_points_on_the_usual_line_are_sound_by_every_procedure(code: str) -> None:
    """Nothing is wrong with them: no fault may be made of them, in any order of taking them."""
    _, frozen, _, points = next(found for found in every_method() if found[0] == code)
    for order in (points, points[::-1]):
        assert verdict(judge(frozen, order, None, rules=shipped())[1]) is Level.SOUND or len(points) < 2


@PRINCIPLES
@FEW
@given(by=st.floats(-0.3, 0.3), data=st.data())
def test_what_is_done_badly_never_makes_a_run_better(principle: str, by: float, data: st.DataObject) -> None:
    _, frozen, _, points = FULLEST[principle]
    n = data.draw(st.integers(0, len(points) - 1))
    off = moved(points, n, by)
    worse: Points = list(off)
    worse[n] = replace(off[n], **data.draw(st.sampled_from([
        {"expired_days": 3}, {"over_open_days": 20}, {"target_known": False},
        {"deviations": (shipped().deviations["rinse-skipped"].said,)},
    ])))  # fmt: skip
    before, after = (verdict(judge(frozen, found, None, rules=shipped())[1]) for found in (off, worse))
    order = [Level.SOUND, Level.DOUBTFUL, Level.UNFIT]
    assert order.index(after) >= order.index(before)


ENDS = st.floats(-100.0, 100.0)


@given(low=ENDS, wide=st.floats(0.1, 50.0), act=st.floats(0.0, 10.0), value=ENDS, u=st.floats(0.0, 20.0))
def test_a_limit_turned_round_judges_what_is_turned_round_alike(
    low: float, wide: float, act: float, value: float, u: float
) -> None:
    high = low + wide
    one = Limit("orp", low, high, low - act, high + act)
    other = Limit("orp", -high, -low, -high - act, -low + act)
    assert keeps(one, value, u).keeps is keeps(other, -value, u).keeps


@given(low=ENDS, wide=st.floats(0.1, 50.0), value=ENDS, u=st.floats(0.0, 20.0), more=st.floats(0.0, 20.0))
def test_who_knows_less_never_says_that_a_limit_is_kept_or_broken(
    low: float, wide: float, value: float, u: float, more: float
) -> None:
    """With a wider U what is near stays near; what is within or beyond may become near, and nothing else."""
    limit = Limit("orp", low, low + wide)
    assume(abs(value - low) > 1e-6 and abs(value - low - wide) > 1e-6)
    narrow, wider = keeps(limit, value, u).keeps, keeps(limit, value, u + more).keeps
    assert wider in {narrow, Keeps.NEAR}
    assert (keeps(limit, value, 0.0).keeps is Keeps.BEYOND) == (value < low or value > low + wide)


@given(hpa=st.floats(450.0, 1090.0), kind=st.sampled_from(["station", "sea-level"]), m=st.floats(0.0, 1500.0))
def test_a_pressure_is_one_in_every_unit(hpa: float, kind: str, m: float) -> None:
    typed = [Pressure(hpa / per, unit, kind, m).hpa for unit, per in UNITS_HPA.items()]
    assert typed == pytest.approx([typed[0]] * len(typed), rel=1e-12)


@pytest.mark.parametrize("check", CHECKS.values(), ids=CHECKS)
@FEW
@given(target=st.floats(5.0, 20_000.0), share=st.floats(0.0, 3.0), sign=st.sampled_from([-1.0, 1.0]))
def test_a_meter_is_judged_by_how_far_it_was_off_and_to_either_side_alike(
    check: Check, target: float, share: float, sign: float
) -> None:
    """As found within the sound bound: sound; within the doubtful one: doubtful; else unfit."""
    bound = max(check.sound * target / 100.0, check.least) if check.percent else check.sound
    wide = max(check.doubtful * target / 100.0, check.least) if check.percent else check.doubtful
    off = share * bound
    assume(all(abs(off - end) > 1e-6 * target for end in (bound, wide)))
    found = judge_kept([KeptPoint(check, "the standard", target, before=target + sign * off, target_u=0.0)], [])
    level = Level.SOUND if off < bound else Level.DOUBTFUL if off < wide else Level.UNFIT
    assert next(f.level for f in found if f.code == "as-found") is level
