"""What the signal of an ion tip shows: its two standards at one temperature, and the gap of a decade between them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from brumel.core.findings import Finding, Level, beyond
from brumel.core.said import Amount, Said, says
from brumel.core.sensing.ion_tip.terms import IonTip
from brumel.core.sensing.run import JudgedPoint, Run
from brumel.core.sensing.shows import Signs, Stood

PAIR_C = 0.5
"""Two standards farther apart in temperature make no pair (common practice)."""
_APART_C = 5.0
"""Farther apart they are not meant to be one: the one is as warm as the waters."""
_MOVED_MV = 4.0
"""Two points that moved together by this much differ by more than tips do in a day."""
_ALIKE_MV = 2.0


@dataclass(frozen=True)
class PairOfStandards:
    """Two standards at one temperature, a number of decades apart."""

    high: JudgedPoint
    low: JudgedPoint
    own: IonTip

    @property
    def decades(self) -> float:
        """How far apart the activities are."""
        return math.log10(self.high.point.value / self.low.point.value)

    @property
    def gap_mv(self) -> float:
        """The gap of a decade, positive where the signal goes the way of the ion's charge."""
        return self.own.ion.charge * (self.high.point.signal - self.low.point.signal) / self.decades

    @property
    def percent(self) -> float:
        """The gap in percent of theory at the pair's temperature."""
        theory = abs(float(self.own.per_decade(self.high.point.at))) * 100.0
        return self.gap_mv / theory * 100.0

    @property
    def apart_c(self) -> float:
        """How far apart they are in temperature."""
        return abs(self.high.temperature_c - self.low.temperature_c)

    @property
    def said(self) -> Said:
        """As a worksheet has it."""
        return says(
            "pair", high=self.high.label, low=self.low.label, warm=Amount(self.high.temperature_c, "°C", 1),
            gap=Amount(self.gap_mv, "mV", 1), percent=Amount(self.percent, "%", 0),
        )  # fmt: skip


def pairs_of(run: Run) -> list[PairOfStandards]:
    """Return the pairs of a run: each high standard with the low one that is nearest to it in temperature."""
    own = run.response.principle
    if not isinstance(own, IonTip):
        return []
    wet = [p for p in run.points if p.point.value > 0]
    found = []
    for high in wet:
        lower = [p for p in wet if p.point.value < high.point.value]
        low = min(lower, key=lambda p: abs(p.temperature_c - high.temperature_c), default=None)
        if low is not None and not beyond(abs(low.temperature_c - high.temperature_c), _APART_C):
            found.append(PairOfStandards(high, low, own))
    return found


def pair_apart(taken: Sequence[Stood], now: Stood) -> Said | None:
    """Say that a standard is not as warm as the one that it makes a pair with; nothing where it is.

    Examples
    --------
    >>> pair_apart([(46.2, 22.0)], (4.62, 22.9)).key
    'pair-apart'
    >>> pair_apart([(46.2, 22.0)], (4.62, 22.5)), pair_apart([(46.2, 22.0), (4.62, 22.0)], (46.2, 8.0))
    (None, None)
    """
    value, warm_c = now
    others = [c for other, c in taken if other != value and not beyond(abs(c - warm_c), _APART_C)]
    near = min(others, key=lambda c: abs(c - warm_c), default=warm_c)
    if not beyond(abs(near - warm_c), PAIR_C):
        return None
    now_c, before_c, within = Amount(warm_c, "°C", 1), Amount(near, "°C", 1), Amount(PAIR_C, "°C")
    return says("pair-apart", now=now_c, before=before_c, within=within)


def ion_causes(run: Run) -> Iterator[Finding]:
    """Temperatures apart and standards mistaken before the gap that they spoil; a tip that was not hydrated."""
    minutes, same = run.tolerances.redo_minutes, 100.0 * run.tolerances.same_signal_share
    for pair in pairs_of(run):
        if abs(pair.percent) < same:
            yield Finding(
                "same-standard",
                Level.UNFIT,
                says("same-standard", pair=pair.said),
                says("same-standard.then"),
                minutes,
            )
        elif pair.percent < 0:
            yield Finding(
                "standards-swapped",
                Level.UNFIT,
                says("standards-swapped", pair=pair.said),
                says("standards-swapped.then"),
                minutes,
            )
        elif beyond(pair.apart_c, PAIR_C):
            yield Finding(
                "pair-temperatures",
                Level.DOUBTFUL,
                says("pair-temperatures", high=pair.high.label, high_at=Amount(pair.high.temperature_c, "°C", 1),
                     low=pair.low.label, low_at=Amount(pair.low.temperature_c, "°C", 1), within=Amount(PAIR_C, "°C")),
                says("pair-temperatures.then"),
                30,
            )  # fmt: skip
    yield from _not_hydrated(run)
    yield from _as_the_ion(run)


def ion_remarks(run: Run) -> Iterator[Finding]:
    """Yield the spans, as the worksheet has them; that both pairs disagree."""
    pairs = [p for p in pairs_of(run) if beyond(p.percent, 100.0 * run.tolerances.same_signal_share)]
    if pairs:
        yield Finding("gap", Level.SOUND, says("gap", pairs=tuple(p.said for p in pairs)), minutes=0)


def _not_hydrated(run: Run) -> Iterator[Finding]:
    own = run.response.principle
    if not isinstance(own, IonTip):
        return
    slow = [(p.label, p.settling_s) for p in run.points
            if p.settling_s is not None and p.settling_s > own.ion.hydrated_s]  # fmt: skip
    if not slow:
        return
    took = Amount(max(seconds for _, seconds in slow) / 60.0, "min", 0)
    yield Finding(
        "tip-not-hydrated",
        Level.UNFIT if len(slow) > 1 else Level.DOUBTFUL,
        says("tip-not-hydrated", which=tuple(label for label, _ in slow), took=took),
        says("tip-not-hydrated.then", hydrate=Amount(own.ion.hydration_h, "hours")),
        round(60.0 * own.ion.hydration_h),
    )


def _as_the_ion(run: Run) -> Iterator[Finding]:
    """Yield both points moved together by what "as the ion" differs from "as N"."""
    own, last = run.response.principle, run.previous
    if last is None or last.tended or not isinstance(own, IonTip) or len(run.points) < 2:
        return
    moved = [p.point.signal - float(last.response.signal(p.point.value, p.point.at)) for p in run.points]
    if abs(mean := float(np.mean(moved))) < _MOVED_MV or beyond(float(np.ptp(moved)), 2 * _ALIKE_MV):
        return
    decade = float(own.per_decade(run.points[0].point.at)) * last.response["slope"]
    if (ratio := own.ion.as_ion) == 1.0:
        return
    for factor, how in ((1 / ratio, "as-ion"), (ratio, "as-element")):
        if not beyond(abs(mean - decade * math.log10(factor)), _ALIKE_MV):
            yield Finding(
                "as-the-ion",
                Level.UNFIT,
                says("as-the-ion", off=Amount(mean, "mV", 1, plus=True), how=says(how, element=own.ion.element)),
                says("as-the-ion.then", element=own.ion.element),
                run.tolerances.redo_minutes,
            )


SIGNS = Signs(ion_causes, ion_remarks, apart=pair_apart)
