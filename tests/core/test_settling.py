"""The settling rule: stable only when it is, and called what it is when it is not."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.settled_models import KINDS, tried
from tests.simulated import CALIBRATION_PH, READING_PH, Signal, interval_kept, judged, signals
from tests.two_rates import ROWS, Row, held

from brumel.core.numbers.series import Series
from brumel.core.settling import troubles
from brumel.core.settling.approach import fit_approach
from brumel.core.settling.judgement import judge_settling
from brumel.core.settling.rules import SettlingRule, display_step
from brumel.core.settling.troubles import Settling
from brumel.core.settling.windows import first_window, held_window, window_at
from brumel.core.shipped_rules import shipped

ONE_RATE = replace(CALIBRATION_PH, slow_percent=(0.0, 0.0))
"""Of which it is known that no slow part stands behind the approach."""
RULE = CALIBRATION_PH


def judge(values, times=None, temperatures=None, until=None):  # type: ignore[no-untyped-def]
    t = np.arange(len(values)) * 0.2 if times is None else times
    c = np.full(len(t), 21.5) if temperatures is None else temperatures
    keep = slice(None) if until is None else t <= until
    return judge_settling(Series.of(t[keep], np.asarray(values)[keep], temperature_c=c[keep]), RULE)


@given(st.integers(0, 10_000), st.floats(2.0, 9.0), st.floats(-200.0, 200.0))
@settings(max_examples=25)
def test_never_stable_while_the_end_is_far(seed: int, tau: float, height: float) -> None:
    t = np.arange(0, 200, 0.2)
    y = 10 + height * np.exp(-t / tau) + np.random.default_rng(seed).normal(0, 0.02, t.shape)
    for until in (12.0, 31.0, 45.0, 80.0, 150.0):
        found = judge(y, t, until=until)
        if found.stable:
            assert found.value == pytest.approx(10.0, abs=0.3)
    assert judge(y, t).stable


@given(st.floats(4.0, 12.0), st.floats(30.0, 300.0), st.integers(0, 1000))
@settings(max_examples=12)
def test_time_left_is_kept(tau: float, height: float, seed: int) -> None:
    t = np.arange(0, 400, 0.2)
    y = height * np.exp(-t / tau) + np.random.default_rng(seed).normal(0, 0.02, t.shape)
    said = judge(y, t, until=20.0)
    assert said.state is Settling.SETTLING
    assert said.remaining_s is not None
    first = next(u for u in np.arange(20, 400, 2.0) if judge(y, t, until=u).stable)
    assert first - 20 == pytest.approx(said.remaining_s, abs=max(6.0, 0.2 * said.remaining_s))


@pytest.mark.parametrize(
    ("noise", "step", "least"),
    [(0.0, 0.0, 0.97), (0.03, 0.0, 0.90), (0.05, 0.0, 0.80), (0.03, 0.1, 0.90), (0.1, 1.0, 0.86)],
)
def test_the_interval_of_the_time_left_holds(noise: float, step: float, least: float) -> None:
    """94 in 100 by its making; 60 looks leave room for chance. ``./brumel bench truth`` looks a thousand times."""
    kept = interval_kept(signals(np.random.default_rng(5), noise, step), 11, 20)
    assert kept.looks == 60
    assert kept.share >= least
    assert kept.open_end < 0.05


@pytest.mark.parametrize("spacing_s", [0.2, 0.5, 1.0])
def test_without_noise_the_moment_is_told_to_the_sample(spacing_s: float) -> None:
    random = np.random.default_rng(8)
    for tau in random.uniform(5.0, 50.0, 6):
        signal = Signal(tau, random.uniform(60.0, 200.0), 0.0, spacing_s=spacing_s)
        t, y = signal.drawn(random, 900.0)
        first = first_window(Series.of(t, y, temperature_c=np.full(t.shape, 21.0)), RULE.at(0.0))
        assert first is not None
        now = t <= 0.5 * first.times[1]
        said, left = judged(t[now], y[now], ONE_RATE), first.times[1] - t[now][-1]
        assert said.remaining_low_s is not None
        assert said.remaining_high_s is not None
        assert said.remaining_low_s <= left <= said.remaining_high_s
        assert said.remaining_high_s - said.remaining_low_s <= 2 * spacing_s + 1e-9


@pytest.mark.parametrize("tau", [3.0, 7.7, 21.3, 60.0])
def test_one_rate_without_noise_is_found_as_it_is(tau: float) -> None:
    t = np.arange(0.0, 90.0, 0.5)
    fit = fit_approach(t, 12.3 + 150.0 * np.exp(-t / tau))
    assert fit is not None
    assert fit.tau_s == pytest.approx(tau, rel=3e-4)
    assert fit.end == pytest.approx(12.3, abs=0.02)
    assert fit.scatter < 0.01


def test_a_slow_tail_is_told_only_later() -> None:
    """The interval then holds about half of the time: it is not pretended to hold oftener."""
    kept = interval_kept(signals(np.random.default_rng(5), 0.03, 0.0, slow_share=0.3), 11, 12)
    assert 0.4 < kept.share < 0.9


@pytest.mark.parametrize("seed", range(6))
def test_a_drift_against_the_approach_is_named_where_it_turns(seed: int) -> None:
    """At its turning point the trace stands still, 1 to 4 mV from where the electrode would have gone."""
    random = np.random.default_rng(seed)
    tau, off = random.uniform(15, 60), random.uniform(1.0, 4.0)
    signal = Signal(tau, -150.0, 0.03, spacing_s=0.5, drift_per_s=-off / tau)
    t, y = signal.drawn(random, 900.0)
    turn = tau * np.log(150.0 / off)
    states = {judged(t[t <= u], y[t <= u]).state for u in np.arange(turn - 10, turn + 25, 5.0)}
    assert Settling.STABLE not in states
    assert Settling.TURNED in states or Settling.DRIFTING in states


@pytest.mark.parametrize("seed", range(6))
def test_an_approach_alone_is_never_called_a_turn(seed: int) -> None:
    random = np.random.default_rng(seed)
    for share in (0.0, 0.3):
        signal = Signal(
            random.uniform(4, 60), random.uniform(-200, 200), 0.03, spacing_s=1.0, slow_share=share, slower=3.0
        )
        t, y = signal.drawn(random, 600.0)
        for until in random.uniform(20, 600, 6):
            assert judged(t[t <= until], y[t <= until]).state is not Settling.TURNED


@pytest.mark.parametrize(
    ("noise", "step", "allowed"),
    [
        (0.03, 0.0, {Settling.STABLE}),
        (0.05, 0.0, {Settling.STABLE}),
        (0.08, 0.0, {Settling.STABLE, Settling.NOISY, Settling.SETTLING}),
        (0.2, 0.0, {Settling.NOISY}),
        (0.03, 1.0, {Settling.STABLE}),
        (0.1, 1.0, {Settling.STABLE}),
        (0.05, 0.1, {Settling.STABLE}),
    ],
)
def test_a_still_trace_is_stable_or_noisy_and_never_wanders(noise: float, step: float, allowed: set[Settling]) -> None:
    random = np.random.default_rng(2)
    for spacing in (0.2, 1.0):
        for _ in range(5):
            signal = Signal(5.0, 0.0, noise, step, spacing, end=float(random.uniform(-200, 200)))
            t, y = signal.drawn(random, 200.0)
            for until in (60.0, 120.0, 199.0):
                assert judged(t[t <= until], y[t <= until]).state in allowed


def test_a_rule_knows_the_display_it_judges() -> None:
    flicker = np.where(np.arange(80) % 3 == 0, 177.0, 178.0)
    t = np.arange(80) * 1.0
    assert judge(flicker, t).stable
    assert judge_settling(Series.of(t, flicker, temperature_c=np.zeros(80)), RULE, resolution=1.0).stable
    assert not judge_settling(Series.of(t, flicker, temperature_c=np.zeros(80)), RULE, resolution=0.1).stable
    coarse = RULE.at(0.0, 1.0)
    assert (coarse.span, coarse.slope_per_window, coarse.window_s) == (1.0, 0.5, 30.0)
    assert RULE.at(0.0, 0.1) == RULE
    assert [display_step(np.array(v)) for v in ([1.0, 2.0], [1.1, 2.0], [1.01, 2.0], [1.001, 2.0], [1.23456, 2.0])] == [
        1.0, 0.1, 0.01, 0.001, 0.0,
    ]  # fmt: skip


def test_a_difference_on_the_bound_is_within_it_however_floats_round() -> None:
    y = np.where(np.arange(100) % 2 == 0, 177.2, 177.5)  # their difference is 0.30000000000001137
    assert judge(y, np.arange(100) * 0.5).stable


@pytest.mark.parametrize(("tau", "at"), [(5.0, 65.0), (20.0, 150.0), (60.0, 330.0)])
def test_what_is_left_of_the_approach_is_its_distance_from_the_end(tau: float, at: float) -> None:
    t = np.arange(0, at, 0.5)
    y = 10.0 + 150.0 * np.exp(-t / tau) + np.random.default_rng(1).normal(0, 0.02, t.shape)
    found = judged(t, y, ONE_RATE)
    assert found.left_over == pytest.approx(abs(found.value - 10.0), abs=0.07)
    # Behind it there may be a slow part: more may be left, and never less.
    assert judged(t, y).left_over > found.left_over


def test_stable_at_is_the_end_of_the_first_window_that_kept_the_rule() -> None:
    t = np.arange(0, 200, 0.5)
    y = 100.0 * np.exp(-t / 8.0)
    trace = Series.of(t, y, temperature_c=np.zeros(t.size))
    first = first_window(trace, RULE)
    assert first is not None
    before = t < first.times[1]
    assert judge(y, t, until=first.times[1]).stable
    assert not judge(y[before], t[before]).stable
    assert first_window(Series.of(t[:40], y[:40], temperature_c=np.zeros(40)), RULE) is None


@pytest.mark.parametrize(("newest", "holds"), [(0.34, True), (0.36, False)])
def test_a_window_that_kept_the_rule_holds_until_a_sample_lies_a_span_from_it(newest: float, holds: bool) -> None:
    """Its mean is 0.05 mV, the span 0.3: the newest breaks its own window, and beyond 0.35 the one before."""
    y = np.tile([0.0, 0.1], 60)
    y[-1] = newest
    t = 1000.0 + np.arange(y.size)
    trace = Series.of(t, y, temperature_c=np.zeros(y.size))
    assert not window_at(trace, y.size - 1, RULE).keeps_rule
    held = held_window(trace, RULE)
    assert (held.times[1] if held else None) == (t[-2] if holds else None)


def test_a_clock_that_does_not_begin_at_nought_changes_nothing() -> None:
    t = np.arange(0, 200, 0.5)
    y, warmth = 100.0 * np.exp(-t / 8.0), np.zeros(t.size)
    first, later = (first_window(Series.of(t + by, y, temperature_c=warmth), RULE) for by in (0.0, 1000.0))
    assert first is not None
    assert later is not None
    assert later.times == tuple(1000.0 + end for end in first.times)
    for until in (20, 60, 140, 400):
        at_nought, shifted = (
            judge_settling(Series.of(t[:until] + by, y[:until], temperature_c=warmth[:until]), RULE)
            for by in (0.0, 1000.0)
        )
        assert (shifted.state, shifted.remaining_s) == (at_nought.state, at_nought.remaining_s)
        assert shifted.left_over == pytest.approx(at_nought.left_over)


@pytest.mark.parametrize("rule", shipped().settling.values(), ids=shipped().settling)
def test_every_rule_finds_its_first_window_where_it_is_called_stable(rule: SettlingRule) -> None:
    """Rules that go by percent of the value too: a first window is found by the rule as it is at that value."""
    t = np.arange(0.0, 400.0)
    y, warmth = 100.0 + 60.0 * np.exp(-t / 15.0), np.full(t.size, 21.0)
    first = first_window(Series.of(t, y, temperature_c=warmth), rule)
    assert first is not None
    seen = t <= first.times[1]
    assert judge_settling(Series.of(t[seen], y[seen], temperature_c=warmth[seen]), rule).stable
    assert not judge_settling(Series.of(t[seen][:-2], y[seen][:-2], temperature_c=warmth[seen][:-2]), rule).stable


def test_what_is_left_is_told_by_the_longest_part_that_one_rate_explains() -> None:
    """Oxygen in mg/L first rises as the probe cools: its last quarter alone is too short to say much."""
    t = np.arange(0.0, 125.0, 1.5)
    noise = np.random.default_rng(2).normal(0.0, 0.004, t.shape)
    y = 9.0 - 2.2 * np.exp(-t / 26.0) + 1.6 * np.exp(-t / 9.0) + noise
    found = judge_settling(
        Series.of(t, y, temperature_c=np.full(t.size, 15.0)), shipped().settled("oxygen", calibrating=False)
    )
    assert found.stable
    assert abs(found.value - 9.0) < 2.0 * found.left_over < 5.0 * abs(found.value - 9.0)


def test_irregular_samples_are_judged_but_not_across_a_gap() -> None:
    t = np.sort(np.random.default_rng(3).uniform(0, 60, 60))
    assert judge(np.full(60, 5.0), t).stable
    with_gap = np.concatenate([np.arange(0, 20, 0.5), np.arange(35, 60, 0.5)])
    assert not judge(np.full(with_gap.size, 5.0), with_gap).stable


def test_a_stable_window_is_held_until_a_sample_contradicts_it() -> None:
    t = np.arange(0, 100, 0.5)
    y = np.where(t < 60, 0.0, 0.25)  # a shift within the rule's span, whose slope breaks the rule for a while
    y[t == 60.0] = -0.2
    held = judge(y, t, until=62.0)
    assert held.stable
    assert held.window == (30.0, 60.0)
    assert held.value == pytest.approx(0.0, abs=0.01)
    assert not judge(np.where(t == 60.0, -0.31, y), t, until=62.0).stable  # further than a span from the held value
    warmer = np.where(t >= 60.0, 21.61, 21.5)
    assert not judge(y, t, temperatures=warmer, until=62.0).stable
    once_noisy = np.where((t > 60) & (t % 5 == 0), -0.2, y)
    assert not judge(once_noisy, t, until=95.0).stable  # not for longer than one window


BINARY = SettlingRule("binary", "mV", 0.5, 32.0, 0.25, temperature_span_c=0.125, minimum_s=32.0)
"""A rule whose bounds are exact in binary, so that a trace can lie on them."""
A_BIT = 2.0**-10


def to_and_fro(height: float, count: int = 65) -> np.ndarray:
    return np.where(np.arange(count) % 2 == 0, 0.0, height)


@pytest.mark.parametrize(
    ("y", "temperature", "stable"),
    [
        (to_and_fro(0.5), to_and_fro(0.125), True),
        (to_and_fro(0.5 + A_BIT), to_and_fro(0.0), False),
        (to_and_fro(0.0), to_and_fro(0.125 + A_BIT), False),
        (np.arange(65) * 0.249 / 32, to_and_fro(0.0), True),
        (np.arange(65) * 0.251 / 32, to_and_fro(0.0), False),
        (-np.arange(65) * 0.251 / 32, to_and_fro(0.0), False),
        (np.append(to_and_fro(0.0, 64), 0.5 + A_BIT), to_and_fro(0.0), False),
        (to_and_fro(0.0, 33), to_and_fro(0.0, 33), True),
        (to_and_fro(0.0, 32), to_and_fro(0.0, 32), False),
    ],
    ids=[
        "on the bounds",
        "span",
        "temperature",
        "slow rise",
        "rise",
        "fall",
        "newest",
        "just long enough",
        "too short",
    ],
)
def test_all_bounds_are_included_and_each_counts(y: np.ndarray, temperature: np.ndarray, stable: bool) -> None:
    found = judge_settling(Series.of(np.arange(y.size), y, temperature_c=temperature), BINARY)
    assert found.stable is stable
    if stable:
        assert found.band == pytest.approx((found.value - 0.25, found.value + 0.25))
        assert found.window == (y.size - 33, y.size - 1)


@pytest.mark.parametrize(("gap", "stable"), [(10.5, True), (10.75, False)])
def test_a_gap_of_a_third_of_the_window_is_the_most(gap: float, stable: bool) -> None:
    t = np.concatenate([np.arange(21), 20.0 + gap + np.arange(6)])
    assert judge_settling(Series.of(t, np.zeros(t.size), temperature_c=np.zeros(t.size)), BINARY).stable is stable


@pytest.mark.parametrize(("since", "left"), [(0, 32.0), (6, 26.0), (20, 12.0)])
def test_after_a_gap_a_whole_window_is_still_to_come(since: int, left: float) -> None:
    """A gap longer than what is held: no time left is said that an unbroken window does not need."""
    t = np.concatenate([np.arange(65), 64.0 + 40.0 + np.arange(since + 1)])
    found = judge_settling(Series.of(t, np.full(t.size, 5.0), temperature_c=np.zeros(t.size)), BINARY)
    assert found.state is Settling.SETTLING
    assert found.remaining_s == pytest.approx(left)
    assert found.remaining_low_s is not None
    assert found.remaining_low_s >= left


@pytest.mark.parametrize("seed", range(4))
def test_a_still_trace_is_not_in_trouble_after_a_gap(seed: int) -> None:
    t = np.concatenate([np.arange(0, 100, 0.2), np.arange(140, 175, 0.2)])
    y = 2.4 + np.random.default_rng(seed).normal(0, 0.03, t.shape)
    for until in np.arange(140.0, 175.0, 0.6):
        found = judge(y, t, until=until)
        assert found.state in (Settling.SETTLING, Settling.STABLE), (until, found.says)
    assert judge(y, t).stable


def test_the_rules_are_those_of_the_trade() -> None:
    """A calibration point: 0.3 mV over 30 s; a reading: pH 0.02 over 30 s; temperature 0.1 °C (common practice)."""
    for rule, span in ((CALIBRATION_PH, 0.3), (READING_PH, 0.02)):
        assert (rule.span, rule.window_s, rule.minimum_s, rule.temperature_span_c) == (span, 30.0, 30.0, 0.1)
        assert rule.slope_per_window < span


@pytest.mark.parametrize(("silence", "stable"), [(25.0, True), (31.0, False)])
def test_a_silence_ends_what_is_held_after_a_window(silence: float, stable: bool) -> None:
    t = np.concatenate([np.arange(0, 40, 0.5), [39.5 + silence]])
    assert judge(np.full(t.size, 5.0), t).stable is stable


def test_troubles_have_names() -> None:
    t = np.arange(0, 120, 0.2)
    noise = np.random.default_rng(1).normal(0, 0.03, t.shape)
    assert judge(0.05 * t + noise).state is Settling.DRIFTING
    assert judge(0.5 * np.sin(t * np.pi / 2) + noise).state is Settling.RINGING
    assert judge(np.cumsum(noise * 3)).state is Settling.WANDERING
    assert judge(np.where(t > 105, 5.0, 0.0) + noise).state is Settling.STEPPED


@pytest.mark.parametrize(
    ("last", "warm", "stable"), [(0.5, 0.125, True), (0.5, 0.25, False), (0.625, 0.125, False), (0.5, 0.0, True)]
)
def test_what_held_holds_until_a_sample_lies_beyond_its_bounds(last: float, warm: float, stable: bool) -> None:
    """The newest window is too wide by its last sample; bounds are included."""
    y, temperature = np.zeros(60), np.full(60, 20.0)
    y[[-6, -5, -1]], temperature[-1] = (-0.25, 0.25, last), 20.0 + warm
    assert judge_settling(Series.of(np.arange(60.0), y, temperature_c=temperature), BINARY).stable == stable


def test_a_drifting_temperature_holds_it_back() -> None:
    t = np.arange(0, 60, 0.5)
    found = judge(np.full(t.size, 5.0), t, temperatures=20 + 0.01 * t)
    assert not found.stable
    assert found.says.key == "settling.warming"


def test_nothing_yet() -> None:
    assert judge(np.array([])).state is Settling.EMPTY
    assert judge(np.array([1.0, 1.0])).state is Settling.STARTING
    with pytest.raises(ValueError, match="one length"):
        judge_settling(Series.of([1.0], [1.0, 2.0], temperature_c=[20.0]), RULE)


@given(
    st.floats(20.0, 300.0), st.floats(2.0, 10.0), st.floats(1.0, 5.0), st.floats(0.0, 0.5), st.floats(0.0, 2.0),
    st.floats(0.0, 0.15), st.sampled_from([0.2, 0.5, 1.0]), st.integers(0, 1000),
)  # fmt: skip
@settings(max_examples=60)
def test_a_healthy_electrode_is_not_called_in_trouble(
    height: float, tau: float, slower: float, share: float, late: float, jitter: float, step: float, seed: int
) -> None:
    """No electrode is one exponential, it goes in a little late, and no line tells a sample's time exactly."""
    random = np.random.default_rng(seed)
    t = np.arange(0, 150, step)
    since = np.maximum(t - late, 0.0)
    y = height * ((1 - share) * np.exp(-since / tau) + share * np.exp(-since / (slower * tau)))
    y += random.normal(0, 0.03, t.shape)
    told = np.sort(t + random.uniform(0, jitter, t.shape))
    for until in (10.5, 13.0, 17.0, 25.0, 33.0, 45.0, 60.0, 90.0, 149.0):
        found = judge(y, told, until=until)
        assert found.state in (Settling.SETTLING, Settling.STABLE, Settling.STARTING), (until, found.says)


@pytest.mark.parametrize("severity", [1.5, 3.0, 10.0])
@pytest.mark.parametrize("seed", range(5))
def test_troubles_are_named_behind_a_healthy_approach(severity: float, seed: int) -> None:
    """Each as strong as so many spans of the rule; two at once are still trouble."""
    random = np.random.default_rng(seed)
    t = np.arange(0, 150, 0.2)
    healthy = random.uniform(-200, 200) * np.exp(-t / random.uniform(2, 6)) + random.normal(0, 0.03, t.shape)
    size = severity * RULE.span
    step = np.where(t > random.uniform(60, 110), size, 0.0)
    ring = size / 2 * np.sin(2 * np.pi * t / random.uniform(2.5, 4.0))
    walk = np.cumsum(random.normal(0, size / 10, t.shape))
    drift = size / RULE.window_s * t
    after_the_step = float(t[step > 0][0]) + 8.0
    assert judge(healthy + step, t, until=after_the_step).state is Settling.STEPPED
    assert judge(healthy + ring, t).state is Settling.RINGING
    assert judge(healthy + walk, t).state in (Settling.WANDERING, Settling.RINGING)
    assert judge(healthy + drift, t).state is Settling.DRIFTING
    both = judge(healthy + drift + walk, t).state
    assert both in (Settling.WANDERING, Settling.RINGING, Settling.DRIFTING)


@pytest.mark.parametrize("name", KINDS)
def test_the_rule_on_the_models_of_the_bench(name: str) -> None:
    """Of 500 dips of each, by ``./brumel bench truth``, none was false; a few here."""
    found = tried(name, 3, 6)
    assert (found.false_stable, found.false_not_stable) == (0.0, 0.0)
    assert found.left_held >= 0.85


def test_the_time_left_waits_for_the_temperature() -> None:
    """A cell's signal is still at once, what warms is the liquid in it."""
    t = np.arange(0.0, 25.0, 0.5)
    warmth = 25.0 - 4.0 * np.exp(-t / 20.0)
    found = judge_settling(Series.of(t, np.full(t.shape, 12.0), temperature_c=warmth), CALIBRATION_PH)
    assert found.says.key == "settling.warming" or found.remaining_s is not None
    assert found.remaining_low_s is not None
    assert found.remaining_low_s > 20.0


@pytest.mark.parametrize(("swings", "rings"), [(2, False), (3, True), (9, True)])
def test_fewer_than_three_swings_are_no_ringing(swings: int, rings: bool) -> None:
    swing = np.sin(2 * np.pi * swings * np.arange(64) / 64)
    assert troubles._rings(swing) is rings


@pytest.mark.parametrize(("samples", "length_s", "told"), [(16, 100.0, True), (15, 100.0, False), (60, 30.0, True),
                                                           (60, 29.5, False)])  # fmt: skip
def test_a_turn_is_told_from_sixteen_samples_and_a_window_on(samples: int, length_s: float, told: bool) -> None:
    t = np.linspace(0.0, length_s, samples)
    y = 40.0 * np.exp(-t / (0.15 * length_s)) + 3.0 * t / length_s
    assert troubles.turns_round(t, y, RULE) is told


@pytest.mark.parametrize("row", ROWS[:10:3] + ROWS[-5:-3], ids=lambda row: row.words)
def test_with_two_rates_u_and_the_time_left_hold(row: Row) -> None:
    """U covered 45 to 85 %, intervals held 42 to 86; ``./brumel bench truth-settling`` prints all rows."""
    found = held(row, 3, 60)
    assert found.u >= 0.83
    assert found.left >= 0.75


def test_after_a_stir_the_judgement_begins_anew() -> None:
    t = np.arange(0.0, 300.0, 1.0)
    y = 177.0 + 120.0 * np.exp(-t / 6.0)
    y += np.where(t >= 90.0, 6.0 * np.exp(-np.maximum(t - 90.0, 0.0) / 30.0), 0.0)
    y += np.random.default_rng(2).normal(0.0, 0.03, t.shape)
    assert judged(t[t < 90], y[t < 90]).stable
    after = judged(t[t <= 110], y[t <= 110])
    assert not after.stable
    assert after.approach is not None
    assert after.approach[2] == pytest.approx(30.0, rel=0.35)  # of the stir, not of the dip
    assert judged(t, y).stable
