"""Ammonium and nitrate tips: gap, temperatures, drift, activity and concentration. Limits: common practice."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from tests.calibration_files import HIGH, LOW, STEPS, run, signal
from tests.said import sentence

from brumel.core.calibrating.run_file import judge_file
from brumel.core.calibrating.tolerances_of_kinds import tolerances_for
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.quantities.ions import activity_coefficient
from brumel.core.quantities.ph import nernst_slope_mv
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.principles import as_read, derived_from, principle
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import look_at_signal
from brumel.core.sensing.tolerances import Tolerances
from brumel.core.shipped_rules import shipped
from brumel.core.uncertainty import Budget, Contribution
from brumel.core.words.catalogue import word


def codes(given: dict[str, Any]) -> list[str]:
    return [f["code"] for f in judge_file(given, shipped())["findings"] if f["level"] != "sound"]


@pytest.mark.parametrize("ion", ["ammonium", "nitrate"])
@pytest.mark.parametrize("method", STEPS)
def test_each_method_finds_what_was_put_in(ion: str, method: str) -> None:
    found = judge_file(run(method, ion=ion), shipped())
    by_key = {c["key"]: c for c in found["coefficients"]}
    assert found["level"] == "sound"
    assert by_key["slope"]["value"] == pytest.approx(96.0, abs=0.01)
    if method == "two":
        assert by_key["temperature"]["origin"] == "assumed"
    else:
        assert by_key["temperature"]["value"] == pytest.approx(0.2, abs=1e-6)
        assert by_key["temperature"]["origin"] == "fitted"
    gap = next(f["sentence"] for f in found["findings"] if f["code"] == "gap")
    mv = 0.96 * abs(float(nernst_slope_mv(22.0)))
    assert f"{mv:.1f} mV a decade, 96 % of theory" in gap
    assert gap.count("of theory") == (2 if method == "four" else 1)
    assert [m.code for m in shipped().procedures_of(f"{ion}-tip")] == [f"{ion}-{m}" for m in STEPS]


@pytest.mark.parametrize(
    ("percent", "level", "code"),
    # 50 to 65 mV a decade at 25 °C are sound, 45 to 50 and 65 to 68 doubtful: 84 to 110 and 76 to 115 % of theory.
    [(83.0, "doubtful", "slope"), (75.0, "unfit", "slope"), (112.0, "doubtful", "slope"), (118.0, "unfit", "slope")],
)
def test_a_gap_too_small_or_too_large(percent: float, level: str, code: str) -> None:
    found = judge_file(run(tip={"percent": percent}), shipped())
    first = found["findings"][0]
    assert (found["level"], first["code"]) == (level, code)
    assert ("aged" in first["remedy"]) == (percent < 84)
    assert ("Suspect a standard" in first["remedy"]) == (percent > 110)


def test_what_spoils_a_gap_is_named_before_it() -> None:
    apart = {"temperature_c": 22.8, "signal": signal(LOW, 22.8)}
    assert codes(run(low=apart)) == ["pair-temperatures"]
    assert codes(run(low={"temperature_c": 22.4})) == []  # 0.5 °C is a pair
    swapped = {"high": {"signal": signal(LOW, 22.0)}, "low": {"signal": signal(HIGH, 22.0)}}
    assert codes(run(**swapped))[0] == "standards-swapped"
    assert codes(run(low={"signal": signal(HIGH, 22.0) - 0.2}))[0] == "same-standard"
    assert codes(run(low={"signal": signal(HIGH, 22.0)})) == ["no-response"]
    slow = {"settling_s": 1500.0}
    assert codes(run(high=slow, low=slow))[0] == "tip-not-hydrated"
    assert judge_file(run(high=slow), shipped())["findings"][0]["level"] == "doubtful"
    assert codes(run(high={"settling_s": 300.0})) == []


@pytest.mark.parametrize(("ion", "ratio"), [("ammonium", 18.04 / 14.007), ("nitrate", 62.00 / 14.007)])
def test_a_label_as_the_ion_entered_as_n_is_recognised(ion: str, ratio: float) -> None:
    """Molar masses: N 14.007, NH₄⁺ 18.04, NO₃⁻ 62.00: both standards are weaker than was entered, by as much."""
    charge = 1 if ion == "ammonium" else -1
    last = {"coefficients": {"offset": 145.0, "slope": 96.0}, "age_days": 1.0}
    weaker = {s: {"signal": signal(v / ratio, 22.0, charge=charge, drift=0.0) - 5.0} for s, v in
              (("high", HIGH), ("low", LOW))}  # fmt: skip
    given = run(ion=ion, previous=last, **weaker)
    first = judge_file(given, shipped())["findings"][0]
    assert (first["code"], "as the ion, and was entered as N" in first["sentence"]) == ("as-the-ion", True)


def test_activity_is_read_as_concentration_through_the_conductivity() -> None:
    """Davies: γ 0.911 at 500 and 0.882 at 1 000 µS/cm (Russell's factor); concentration = activity / γ."""
    assert [round(float(activity_coefficient(c, 1)), 3) for c in (500.0, 1000.0)] == [0.911, 0.882]
    budget = Budget.of([Contribution("line", 0.2, "mg/L", 1.0)])
    at = Conditions(20.0, conductivity_us_cm=1000.0, u_conductivity=10.0)
    for key, head in (("ammonium-tip", "ammonium-n"), ("nitrate-tip", "nitrate-n")):
        (found,) = derived_from(principle(key), 8.82, budget, at, Compensation())
        assert (found.quantity, round(found.value, 2)) == (head, 10.0)
        assert found.budget.u == pytest.approx(math.hypot(0.2 / 0.882, 0.06), rel=0.1)
        assert "γ at 1000 µS/cm = 0.882" in str(word(found.working[0]))
        assert derived_from(principle(key), 8.82, budget, Conditions(20.0), Compensation()) == []
        assert as_read(principle(key), head, np.array([8.82]), at, Compensation()) == pytest.approx([10.0], abs=0.01)


def test_the_first_run_of_a_tip_says_nothing_of_a_wrong_cup_and_the_next_does() -> None:
    """A tip's potential is its own: nothing is known of it before its first run."""
    own, at, limits = (
        principle("ammonium-tip"),
        Conditions(22.0),
        Tolerances.of(tolerances_for(shipped(), "ammonium-tip", "ammonium") | {"holds_days": [0.5, 1.0]}),
    )
    usual = Response.usual(own)
    first = look_at_signal(signal(HIGH, 22.0), at, HIGH, usual, limits, [])
    assert (first.unlike, sentence(first)) == (False, "This standard should give about +93 mV, ±200 mV.")
    known = fit(own, [Point(v, signal(v, 22.0), at, 0.01 * v, 0.5) for v in (HIGH, LOW)])
    assert not look_at_signal(signal(HIGH, 22.0), at, HIGH, known, limits, []).unlike
    swapped = look_at_signal(signal(LOW, 22.0), at, HIGH, known, limits, [("the low standard", LOW)])
    assert (swapped.unlike, "It looks like the low standard" in sentence(swapped)) == (True, True)


@pytest.mark.parametrize(("apart", "named"), [(3.8, True), (4.2, False)])
def test_both_standards_must_have_moved_alike(apart: float, named: bool) -> None:
    """Within 2 mV to either side: two tips differ by as much in a day (rule of this product)."""
    ratio, last = 18.04 / 14.007, {"coefficients": {"offset": 145.0, "slope": 96.0}, "age_days": 1.0}
    weaker = {s: {"signal": signal(v / ratio, 22.0, drift=0.0) - 5.0 + by} for s, v, by in
              (("high", HIGH, apart / 2), ("low", LOW, -apart / 2))}  # fmt: skip
    assert ("as-the-ion" in codes(run(previous=last, **weaker))) is named
