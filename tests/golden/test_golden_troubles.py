"""Where a trace is called something else: how much of a trouble it takes until it is named, for three rules.

A trace that settles is spoilt in one way, more and more, and it is pinned where its state changes. Figures of this
tool, 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_troubles`` writes them anew.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from tests.golden.changes import changes
from tests.golden.golden import Golden
from tests.simulated import RULES, Signal

from brumel.core.numbers.series import Series
from brumel.core.settling.judgement import Judgement, judge_settling
from brumel.core.settling.rules import SettlingRule

AMOUNTS = [float(by) for by in np.geomspace(0.02, 60.0, 15)]
"""In spans that the rule allows, or in seconds."""
END_S = 110.0
Array = np.ndarray
Trace = tuple[Array, Array, Array]
"""Times, s; values; temperatures, °C."""


def drawn(signal: Signal, until_s: float = END_S) -> Trace:
    t, y = signal.drawn(np.random.default_rng(4), until_s)
    return t, y, np.full(t.shape, 21.0)


def noise(t: Array, seed: int = 9) -> Array:
    return np.random.default_rng(seed).normal(size=t.size)


def added(what: Callable[[Array], Array], *, coarse: bool = False) -> Callable[[float, float], Trace]:
    """A settled trace with so many spans of this on it; the display may be as coarse as can still be stable."""

    def spoilt(by: float, span: float) -> Trace:
        t, y, c = drawn(Signal(5.0, 60.0, 0.03))
        y = y + by * span * what(t)
        step = 10.0 ** np.floor(np.log10(span))
        return t, np.round(y / step) * step if coarse else y, c

    return spoilt


def judged(t: Array, y: Array, temperature_c: Array, rule: SettlingRule) -> Judgement:
    return judge_settling(Series.of(t, y, temperature_c=temperature_c), rule)


def without(by: float, span: float) -> Trace:
    """So many seconds without a sample, a while before the end."""
    t, y, c = drawn(Signal(5.0, 60.0, 0.03))
    kept = (t < 90.0 - by) | (t > 90.0)
    return t[kept], y[kept], c[kept]


def shown_in_steps(by: float, span: float) -> Trace:
    t, y, c = drawn(Signal(12.0, 60.0, 0.03))
    return t, np.round(y / (by * span)) * by * span, c


def warming(by: float, span: float) -> Trace:
    t, y, c = drawn(Signal(5.0, 60.0, 0.03))
    return t, y, c + by * np.exp(-t / 60.0)


SPOILT: dict[str, Callable[[float, float], Trace]] = {
    "a step": added(lambda t: t > 98.0),
    "two steps": added(lambda t: 1.0 * (t > 95.0) - 0.4 * (t > 102.0)),
    "a spike": added(lambda t: np.abs(t - 100.0) < 0.3),
    "ringing": added(lambda t: np.sin(t * 2.1)),
    "ringing slowly": added(lambda t: np.sin(t * 0.9)),
    "ringing in noise": added(lambda t: np.sin(t * 2.1) + 0.75 * noise(t)),
    "ringing in more noise": added(lambda t: np.sin(t * 2.1) + 1.1 * noise(t)),
    "two tones": added(lambda t: np.sin(t * 2.1) + 0.8 * np.sin(t * 0.8)),
    "swaying": added(lambda t: np.sin(t / 9.0)),
    "swaying slowly": added(lambda t: np.sin(t / 25.0)),
    "walking": added(lambda t: np.cumsum(noise(t)) / 8.0),
    "noise": added(noise),
    "drift": added(lambda t: t / 30.0),
    "drift and noise": added(lambda t: t / 30.0 + 0.2 * noise(t)),
    "drift that slows": added(lambda t: -40.0 * np.exp(-t / 80.0)),
    "turning round": added(lambda t: np.maximum(t - 70.0, 0.0) / 30.0),
    "a gap": without,
    "a step on a coarse display": added(lambda t: t > 98.0, coarse=True),
    "ringing on a coarse display": added(lambda t: np.sin(t * 2.1), coarse=True),
    "swaying on a coarse display": added(lambda t: np.sin(t / 9.0), coarse=True),
    "walking on a coarse display": added(lambda t: np.cumsum(noise(t)) / 8.0, coarse=True),
    "noise on a coarse display": added(noise, coarse=True),
    "drift on a coarse display": added(lambda t: t / 30.0, coarse=True),
    "turning on a coarse display": added(lambda t: np.maximum(t - 70.0, 0.0) / 30.0, coarse=True),
    "coarse steps": shown_in_steps,
    "warming": warming,
    "slow": lambda by, span: drawn(Signal(2.0 * by + 1.0, 60.0, 0.03)),
    "slow and coarse": lambda by, span: drawn(Signal(2.0 * by + 1.0, 60.0, 0.03, step=0.1)),
    "short": lambda by, span: drawn(Signal(5.0, 60.0, 0.03), 2.0 + by),
    "seldom": lambda by, span: drawn(Signal(5.0, 0.5, 0.03, spacing_s=max(0.3 * by, 0.2))),
}


def troubles() -> Iterator[str]:
    """All of them, a line each."""
    for name, spoil in SPOILT.items():
        for key, rule in RULES.items():

            def said(by: float, spoil: Callable[[float, float], Trace] = spoil, rule: SettlingRule = rule) -> str:
                return str(judged(*spoil(by, rule.span), rule).state)

            yield f"{key} | {name} | {'; '.join(changes(said, AMOUNTS))}"


GOLDEN = Golden(Path(__file__).with_name("troubles.txt"), troubles)


def test_every_trouble_is_named_from_where_it_was() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
