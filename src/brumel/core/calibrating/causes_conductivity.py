"""What the conductance of a cell shows: a wrong constant or standard, compensation, salt, bubbles, coating."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from brumel.core.calibrating.run import JudgedPoint, Run
from brumel.core.calibrating.untested import beside_the_waters
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
from brumel.core.sensing.conductivity import Conductivity
from brumel.core.sensing.response import Origin, Response
from brumel.core.wording import grouped, signed, upper_first

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
_DRY = 0.2
_MANY_BUBBLES = 0.12
_BENDS, _BENDS_WHERE_LOW = 0.015, 0.008
"""A coated cell loses so much more of its signal in the higher of two standards, and more than their bottles may
differ; less tells it where both are low."""
_STRONGER = 3.0
_WEAK_US_CM = 200.0


@dataclass(frozen=True)
class _Seen:
    """A point with how many times its target the cell shows, by what is known of it."""

    point: JudgedPoint
    ratio: float
    by_nominal: float
    """The same by the nominal constant: a comparison with the last run alone ends no calibration, else the last one
    would stand for ever."""

    @property
    def off(self) -> str:
        """How far it is off, in the point's own unit and in percent."""
        about, target = quantity("conductivity"), self.point.point.value
        by = _apart((self.ratio - 1.0) * target, target)
        percent = signed((self.ratio - 1.0) * 100.0, 1, plus=True)
        return f"{upper_first(self.point.label)} is {by}{about.after} ({percent} %) off"


def _apart(off: float, target: float) -> str:
    """An error with its sign, its thousands apart where it has many."""
    words = signed(off, 0 if target >= 100 else 1, plus=True)
    return words if abs(off) < 10_000 else ("+" if off > 0 else "") + grouped(round(off))


def cell_causes(run: Run) -> Iterator[Finding]:
    """One cause for each standard that shows one; a bent pair is named once."""
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


def meter_causes(off: str, ratio: float, value: float, temperature_c: float | None) -> Finding | None:
    """Why a meter that brings what it shows to 25 °C by itself may show ``ratio`` times a standard's value.

    ``off`` says it in words. None where nothing is recognised.
    """
    t = REFERENCE_C if temperature_c is None else temperature_c
    solution, (linear, natural) = kcl_curves()["1413"], _factors_at(t)
    own = float(solution(t) / solution(REFERENCE_C))
    low, high = _own_coefficients(t)
    ways: dict[str, float | tuple[float, float]] = {
        "as much as a coefficient of the meter's own, from 1.9 to 2.2 %/°C, gives on potassium chloride": (
            low * own,
            high * own,
        ),
        "as much as the factor for natural waters gives on potassium chloride": natural * own,
        "as if the meter did not compensate": own,
        "as if it compensated twice": linear**2 * own,
    }
    words = _way(ways, ratio, t)
    if not words:
        return _mistaken(off, ratio, value, _METER_MINUTES)
    return Finding(
        "compensation",
        Level.UNFIT if beyond(abs(ratio - 1.0), _UNFIT_SHARE) else Level.DOUBTFUL,
        f"{off} at {signed(t)} °C: {words}.",
        "Set the meter's compensation to linear with the coefficient of the standard, or bring the standard to 25 °C, "
        "and repeat.",
        _METER_MINUTES,
    )


def cell_remarks(run: Run) -> Iterator[Finding]:
    """The factor of each range; standards that leave the range of the waters planned untested."""
    yield from _factors(run)
    labels = [p.nominal for p in run.points if p.nominal]
    if run.waters is None or not (where := beside_the_waters(labels, run.waters)):
        return
    about = quantity("specific-conductance")
    yield Finding(
        "standard-unlike-water",
        Level.DOUBTFUL,
        f"The waters planned reach from {about.number(run.waters[0])} to {about.number(run.waters[1])}{about.after}; "
        f"{' and '.join(p.label for p in run.points if p.nominal)} lies {where} them and leaves their range untested.",
        "Take a standard a little above the water, within the range of the cell.",
        5,
    )


def _factors(run: Run) -> Iterator[Finding]:
    """Each range's factor, where two standards tell one each."""
    line, own = run.response, run.response.principle
    if not isinstance(own, Conductivity) or line.origin("bend") is not Origin.FITTED:
        return
    wet = sorted((p for p in run.points if p.point.value > 0), key=lambda p: p.point.value)
    constants = own.factors(line.by_key, [p.point.value for p in wet])
    each = [f"{own.coefficient('cell-constant').words(k)} at {p.label}" for k, p in zip(constants, wet, strict=True)]
    by = f"{own.coefficient('bend').words(line['bend'], plus=True)} a decade"
    yield Finding("factor-each-range", Level.SOUND, f"The constant of each range: {', '.join(each)} ({by}).", "", 0)


def _level(s: _Seen) -> Level:
    return Level.UNFIT if beyond(abs(s.by_nominal - 1.0), _UNKNOWN_SHARE) else Level.DOUBTFUL


def _beyond(s: _Seen, run: Run) -> Finding | None:
    """A standard stronger than what the cell is made for, in which it polarises."""
    if run.reach is None or s.ratio >= 1 or (s.point.nominal or 0.0) <= run.reach[1]:
        return None
    about = quantity("specific-conductance")
    return Finding(
        "cell-polarised",
        Level.UNFIT,
        f"{s.off}: this cell is made for {about.number(run.reach[0])} to {about.number(run.reach[1])}{about.after} and "
        "polarises beyond.",
        "Take a standard within its range, or a cell with a larger constant.",
        5,
    )


def _mistaken(off: str, ratio: float, value: float, minutes: int) -> Finding | None:
    """Another constant than the meter is set to, or another standard than the label says: whichever is nearer."""
    constants = {f"a constant wrong by ten ({'×10' if f > 1 else '÷10'})": f for f in (10.0, 0.1)}
    others = {f"the {each:g} standard": each / value for each in KCL_STANDARDS_US_CM if abs(each / value - 1) > _ALIKE}
    name, factor = min((constants | others).items(), key=lambda entry: abs(math.log(ratio / entry[1])))
    if beyond(abs(math.log(ratio / factor)), _ALIKE):
        return None
    if name in constants:
        return Finding(
            "constant-by-ten",
            Level.UNFIT,
            f"{off}: {name}. The cell constant set in the meter is not this cell's.",
            "Look at the K that the meter is set to and at what stands on the cell, set it right, repeat.",
            minutes,
        )
    return Finding(
        "standard-swapped",
        Level.UNFIT,
        f"{off}: that is what {name} gives, not the one that the label says.",
        "Read the label of the bottle in the cup, take the right one in a rinsed cup, repeat.",
        minutes,
    )


def _factors_at(temperature_c: float) -> tuple[float, float]:
    """What a compensation multiplies by: linear for potassium chloride, and for natural waters."""
    return (
        float(linear_factor(temperature_c, KCL_PERCENT_PER_C, REFERENCE_C)),
        float(natural_water_factor(temperature_c)),
    )


def _own_coefficients(temperature_c: float) -> tuple[float, float]:
    """What a meter's own coefficient, which may be any that meters have, multiplies by at least and at most."""
    ends = [float(linear_factor(temperature_c, percent, REFERENCE_C)) for percent in _OWN_PERCENT_PER_C]
    return min(ends), max(ends)


def _way(ways: Mapping[str, float | tuple[float, float]], ratio: float, temperature_c: float) -> str:
    """The compensation that gives a ratio, or any between two, in words; empty where none does or none can be told."""
    if not beyond(abs(temperature_c - REFERENCE_C), _AWAY_FROM_25_C):
        return ""

    def off(factor: float | tuple[float, float]) -> float:
        if not isinstance(factor, tuple):
            return abs(math.log(ratio / factor))
        low, high = factor  # what one way explains alone goes before what any of many would
        return abs(math.log(ratio / min(max(ratio, low), high))) + _COMPENSATED / 2.0

    far = {words: off(factor) for words, factor in ways.items() if np.isfinite(factor).all()}
    nearest = min(far, key=far.__getitem__, default="")
    return nearest if far.get(nearest, math.inf) <= _COMPENSATED else ""


def _compensated(s: _Seen) -> Finding | None:
    """A meter that compensates though it is said to be off, twice, or by a factor that is not potassium chloride's."""
    t = s.point.temperature_c
    linear, natural = _factors_at(t)
    ways: dict[str, float | tuple[float, float]] = {
        "the meter compensated to 25 °C although it was said to be off": _own_coefficients(t),
        "the meter compensated for natural waters although it was said to be off": natural,
        "it was compensated twice": linear**2,
        "a compensation was undone that the meter had not done": 1.0 / linear,
        "the factor for natural waters was put on potassium chloride": natural / linear,
    }
    words = _way(ways, s.ratio, t)
    if not words:
        return None
    return Finding(
        "compensation",
        _level(s),
        f"{s.off} at {signed(t)} °C: {words}.",
        "Switch the meter's compensation off, or say which it does, and repeat; or bring the standard to 25 °C.",
        10,
    )


def _high(s: _Seen, before: JudgedPoint | None) -> Finding:
    target = s.point.point.value
    if before is not None and before.point.value > _STRONGER * target:
        share = (s.ratio - 1.0) * target / (before.point.value - target)
        return Finding(
            "salt-carried",
            _level(s),
            f"{s.off}: as much as {share * 100:.1f} % of {before.label}, which the cell came from, carried over.",
            "Rinse twice, shake the cell dry, take fresh standard; begin with the weaker one.",
            5,
        )
    drop = " A drop of pH buffer is enough for it." if target < _WEAK_US_CM else ""
    return Finding(
        "standard-concentrated",
        _level(s),
        f"{s.off}: salt was carried in, or the standard has evaporated.{drop}",
        "Fresh standard from a closed bottle, in a cup rinsed with it; still high: water behind the cell's seal.",
        5,
    )


def _low(s: _Seen) -> Finding:
    lost = 1.0 - s.ratio
    if s.ratio < _DRY:
        return Finding(
            "not-covered",
            Level.UNFIT,
            f"{s.off}: the cell is hardly in the standard.",
            "Cover its vents, off walls and bottom, and swing it.",
            2,
        )
    if lost > _MANY_BUBBLES:
        return Finding(
            "bubbles",
            Level.UNFIT,
            f"{s.off}: bubbles in the cell, or its vents are not covered.",
            "Swing it four or five times, look for bubbles, cover the vents, take the point again.",
            2,
        )
    return Finding(
        "cell-covered",
        _level(s),
        f"{s.off}: a bubble in the cell, a wall near it, or a coating on it.",
        "Swing it and keep it off walls; still low: clean it with mild detergent and a soft brush, rinse, repeat.",
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
        f"{high.off}, {bend * 100:.1f} % more lost than in {low.point.label}: the cell is coated.",
        "Clean it with mild detergent and a soft brush, rinse, repeat both standards.",
        20,
    )
