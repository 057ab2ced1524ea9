"""What the conductance of a cell shows: a wrong constant or standard, compensation, salt, bubbles, coating."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from brumel.core.findings import Finding, Level, beyond
from brumel.core.quantities.conductivity import (
    KCL_PERCENT_PER_C,
    KCL_STANDARDS_US_CM,
    REFERENCE_C,
    kcl_curves,
    linear_factor,
    natural_water_factor,
)
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Amount, Named, Of, Said, says
from brumel.core.sensing.conductivity.terms import Conductivity
from brumel.core.sensing.response import Origin, Response
from brumel.core.sensing.run import JudgedPoint, Run
from brumel.core.sensing.shows import Signs
from brumel.core.sensing.untested import beside_the_waters

_KNOWN_SHARE, _UNKNOWN_SHARE = 0.04, 0.12
"""So much off a cell's last constant, or its nominal one, is more than cells and bottles differ (common practice)."""
_UNFIT_SHARE = 0.06
_ALIKE = 0.06
"""So near, as a natural logarithm, a signal is taken for that of another standard or constant."""
_COMPENSATED = 0.012
_AWAY_FROM_25_C = 3.0
"""Nearer to the reference a compensation can't be told."""
_OWN_PERCENT_PER_C = (1.9, 2.2)
"""Coefficients that meters bring from the factory (common practice)."""
_METER_MINUTES = 10
_LABELLED = "specific-conductance"
"""What labels and waters are said in."""
_DRY = 0.2
_MANY_BUBBLES = 0.12
_BENDS, _BENDS_WHERE_LOW = 0.015, 0.008
"""A coated cell loses so much more of its signal in the higher of two standards, and more than their bottles may
differ; less tells it where both are low."""
_STRONGER = 3.0
_WEAK_US_CM = 200.0
_WHOLE_FROM = 100.0
"""From so many µS/cm on, an error is said in whole ones."""


@dataclass(frozen=True)
class _Seen:
    """A point with how many times its target the cell shows, by what is known of it."""

    point: JudgedPoint
    ratio: float
    by_nominal: float
    """The same by the nominal constant: a comparison with the last run alone ends no calibration, else the last one
    would stand for ever."""

    @property
    def off(self) -> Said:
        """How far it is off, in the point's own unit and in percent."""
        target, by = self.point.point.value, self.ratio - 1.0
        in_unit = Amount(by * target, quantity("conductivity").unit, 0 if target >= _WHOLE_FROM else 1, plus=True)
        return says("cell-off", at=self.point.label, off=in_unit, percent=Amount(by * 100.0, "%", 1, plus=True))


def cell_causes(run: Run) -> Iterator[Finding]:
    """Yield one cause for each standard that shows one; a bent pair is named once."""
    usual = Response.usual(run.response.principle)
    compared = run.previous is not None and not run.previous.tended
    known = run.previous.response if run.previous and compared else usual
    most = _KNOWN_SHARE if compared else _UNKNOWN_SHARE

    def ratio(by: Response, p: JudgedPoint) -> float:
        return float(by.value(p.point.signal, p.point.at) / p.point.value)

    seen = [_Seen(p, ratio(known, p), ratio(usual, p)) for p in run.points if p.point.value > 0]
    if (coated := _coated(seen, most)) is not None:
        yield coated
        return
    for number, s in enumerate(seen):
        if s.ratio <= 0 or not beyond(abs(s.ratio - 1.0), most):
            continue
        before = seen[number - 1].point if number else None
        yield (
            _beyond(s, run)
            or _mistaken(s.off, s.ratio, s.point.nominal or s.point.point.value, run.tolerances.redo_minutes)
            or _compensated(s)
            or (_high(s, before) if s.ratio > 1 else _low(s))
        )


def meter_causes(off: Said, ratio: float, value: float, temperature_c: float | None) -> Finding | None:
    """Say why a meter that brings what it shows to 25 °C by itself may show ``ratio`` times a standard's value.

    ``off`` says it in words. None where nothing is recognised.
    """
    t = REFERENCE_C if temperature_c is None else temperature_c
    solution, (linear, natural) = kcl_curves()["1413"], _factors_at(t)
    own = float(solution(t) / solution(REFERENCE_C))
    low, high = _own_coefficients(t)
    ways: dict[str, float | tuple[float, float]] = {
        "meter-coefficient": (low * own, high * own),
        "meter-natural": natural * own,
        "meter-none": own,
        "meter-twice": linear**2 * own,
    }
    way = _way(ways, ratio, t)
    if not way:
        return _mistaken(off, ratio, value, _METER_MINUTES)
    return Finding(
        "compensation",
        Level.UNFIT if beyond(abs(ratio - 1.0), _UNFIT_SHARE) else Level.DOUBTFUL,
        says("compensation", off=off, warm=Amount(t, "°C", 1), how=Named("compensation", way)),
        says("compensation.meter.then"),
        _METER_MINUTES,
    )


def cell_remarks(run: Run) -> Iterator[Finding]:
    """Yield the factor of each range; standards that leave the range of the waters planned untested."""
    yield from _factors(run)
    labels = [p.nominal for p in run.points if p.nominal]
    if run.waters is None or not (where := beside_the_waters(labels, run.waters)):
        return
    yield Finding(
        "standard-unlike-water",
        Level.DOUBTFUL,
        says(
            "standard-unlike-water",
            low=Of(_LABELLED, run.waters[0]),
            high=Of(_LABELLED, run.waters[1]),
            standards=tuple(p.label for p in run.points if p.nominal),
            where=Named("side", where),
        ),
        says("standard-unlike-water.then"),
        5,
    )


def _factors(run: Run) -> Iterator[Finding]:
    """Yield each range's factor, where two standards tell one each."""
    line, own = run.response, run.response.principle
    if not isinstance(own, Conductivity) or line.origin("bend") is not Origin.FITTED:
        return
    wet = sorted((p for p in run.points if p.point.value > 0), key=lambda p: p.point.value)
    constants = own.factors(line.by_key, [p.point.value for p in wet])
    about, bend = own.coefficient("cell-constant"), own.coefficient("bend").amount(line["bend"], plus=True)
    each = [says("factor-each-range.each", value=about.amount(k), at=p.label)
            for k, p in zip(constants, wet, strict=True)]  # fmt: skip
    yield Finding("factor-each-range", Level.SOUND, says("factor-each-range", each=tuple(each), bend=bend), minutes=0)


def _level(s: _Seen) -> Level:
    return Level.UNFIT if beyond(abs(s.by_nominal - 1.0), _UNKNOWN_SHARE) else Level.DOUBTFUL


def _beyond(s: _Seen, run: Run) -> Finding | None:
    """Return a standard stronger than what the cell is made for, in which it polarises."""
    if run.reach is None or s.ratio >= 1 or (s.point.nominal or 0.0) <= run.reach[1]:
        return None
    low, high = (Of(_LABELLED, end) for end in run.reach)
    return Finding(
        "cell-polarised",
        Level.UNFIT,
        says("cell-polarised", off=s.off, low=low, high=high),
        says("cell-polarised.then"),
        5,
    )


def _mistaken(off: Said, ratio: float, value: float, minutes: int) -> Finding | None:
    """Another constant than the meter is set to, or another standard than the label says: whichever is nearer."""
    constants = {"×10": 10.0, "÷10": 0.1}
    others = {f"{each:g}": each / value for each in KCL_STANDARDS_US_CM if abs(each / value - 1) > _ALIKE}
    name, factor = min((constants | others).items(), key=lambda entry: abs(math.log(ratio / entry[1])))
    if beyond(abs(math.log(ratio / factor)), _ALIKE):
        return None
    if name in constants:
        return Finding(
            "constant-by-ten",
            Level.UNFIT,
            says("constant-by-ten", off=off, by=name),
            says("constant-by-ten.then"),
            minutes,
        )
    return Finding(
        "standard-swapped",
        Level.UNFIT,
        says("standard-swapped", off=off, other=name),
        says("standard-swapped.then"),
        minutes,
    )


def _factors_at(temperature_c: float) -> tuple[float, float]:
    """Return what a compensation multiplies by: linear for potassium chloride, and for natural waters."""
    return (
        float(linear_factor(temperature_c, KCL_PERCENT_PER_C, REFERENCE_C)),
        float(natural_water_factor(temperature_c)),
    )


def _own_coefficients(temperature_c: float) -> tuple[float, float]:
    """Return what a meter's own coefficient, which may be any that meters have, multiplies by at least and at most."""
    ends = [float(linear_factor(temperature_c, percent, REFERENCE_C)) for percent in _OWN_PERCENT_PER_C]
    return min(ends), max(ends)


def _way(ways: Mapping[str, float | tuple[float, float]], ratio: float, temperature_c: float) -> str:
    """The compensation that gives a ratio, or any between two, by key; empty where none does or none can be told."""
    if not beyond(abs(temperature_c - REFERENCE_C), _AWAY_FROM_25_C):
        return ""

    def off(factor: float | tuple[float, float]) -> float:
        if not isinstance(factor, tuple):
            return abs(math.log(ratio / factor))
        low, high = factor  # what one way explains alone goes before what any of many would
        return abs(math.log(ratio / min(max(ratio, low), high))) + _COMPENSATED / 2.0

    far = {way: off(factor) for way, factor in ways.items() if np.isfinite(factor).all()}
    nearest = min(far, key=far.__getitem__, default="")
    return nearest if far.get(nearest, math.inf) <= _COMPENSATED else ""


def _compensated(s: _Seen) -> Finding | None:
    """A meter that compensates though it is said to be off, twice, or by a factor that is not potassium chloride's."""
    t = s.point.temperature_c
    linear, natural = _factors_at(t)
    ways: dict[str, float | tuple[float, float]] = {
        "linear": _own_coefficients(t),
        "natural": natural,
        "twice": linear**2,
        "undone": 1.0 / linear,
        "natural-on-chloride": natural / linear,
    }
    way = _way(ways, s.ratio, t)
    if not way:
        return None
    return Finding(
        "compensation",
        _level(s),
        says("compensation", off=s.off, warm=Amount(t, "°C", 1), how=Named("compensation", way)),
        says("compensation.then"),
        10,
    )


def _high(s: _Seen, before: JudgedPoint | None) -> Finding:
    target = s.point.point.value
    if before is not None and before.point.value > _STRONGER * target:
        share = (s.ratio - 1.0) * target / (before.point.value - target)
        return Finding(
            "salt-carried",
            _level(s),
            says("salt-carried", off=s.off, share=Amount(share * 100, "%", 1), before=before.label),
            says("salt-carried.then"),
            5,
        )
    drop = says("standard-concentrated.drop") if target < _WEAK_US_CM else None
    return Finding(
        "standard-concentrated",
        _level(s),
        says("standard-concentrated", off=s.off, drop=drop),
        says("standard-concentrated.then"),
        5,
    )


def _low(s: _Seen) -> Finding:
    lost = 1.0 - s.ratio
    if s.ratio < _DRY:
        return Finding(
            "not-covered",
            Level.UNFIT,
            says("not-covered", off=s.off),
            says("not-covered.then"),
            2,
        )
    if lost > _MANY_BUBBLES:
        return Finding(
            "bubbles",
            Level.UNFIT,
            says("bubbles", off=s.off),
            says("bubbles.then"),
            2,
        )
    return Finding(
        "cell-covered",
        _level(s),
        says("cell-covered", off=s.off),
        says("cell-covered.then"),
        20,
    )


def _coated(seen: list[_Seen], most: float) -> Finding | None:
    """Two standards of which the higher one loses more."""
    if len(seen) < 2:
        return None
    low, high = (f(seen, key=lambda s: s.point.point.value) for f in (min, max))
    bend = low.ratio - high.ratio
    u = math.hypot(*(s.point.point.u_value / s.point.point.value for s in (low, high)))
    least = _BENDS_WHERE_LOW if low.ratio < 1.0 - most else max(_BENDS, 2.0 * u)
    if not (bend > least and high.ratio < 1.0 and high.ratio > 1.0 - _MANY_BUBBLES and low.ratio < 1.0 + _KNOWN_SHARE):
        return None
    return Finding(
        "cell-coated",
        Level.UNFIT if bend > _UNFIT_SHARE else Level.DOUBTFUL,
        says("cell-coated", off=high.off, more=Amount(bend * 100, "%", 1), at=low.point.label),
        says("cell-coated.then"),
        20,
    )


SIGNS = Signs(cell_causes, cell_remarks, beside=beside_the_waters, of_meters={"specific-conductance": meter_causes})
