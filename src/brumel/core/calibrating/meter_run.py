"""A calibration that a meter keeps: judged by what it showed in its standards, and by what it reports."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from brumel.core.findings import Bounds, Finding, Level, unless_sound, worst_first
from brumel.core.kit.kinds import Check, Reported
from brumel.core.kit.shelf import out_of_date
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.said import Amount, Named, Of, Value, says
from brumel.core.sensing.principles import of_meters
from brumel.core.sensing.within import Within
from brumel.core.uncertainty import Contribution, resolution_u

_MINUTES = 30
"""So long it takes to set a meter right."""


@dataclass(frozen=True)
class KeptPoint:
    """What a meter showed in one standard, in the unit of the check's quantity.

    Attributes
    ----------
    label
        What the standard is called.
    target, target_known, target_u
        Its value at its temperature, whether that is known, and its standard uncertainty (k = 1).
    before, after
        As found and as left; None where it was not looked.
    expired_days, over_open_days
        Days that its lot was past its time.
    temperature_c
        The standard's temperature, where it was noted.
    """

    check: Check
    label: str
    target: float
    target_known: bool = True
    before: float | None = None
    after: float | None = None
    expired_days: int = 0
    over_open_days: int = 0
    target_u: float = 0.0
    temperature_c: float | None = None

    @property
    def shown(self) -> float | None:
        """What the meter showed last: as left, else as found."""
        return self.before if self.after is None else self.after

    def off(self, shown: float) -> float:
        """Say how far a shown value is off the target, in the unit."""
        return shown - self.target

    @property
    def within(self) -> Within:
        """How far it may be off."""
        return Within(self.check.sound, self.check.doubtful, self.check.percent, self.check.least)

    def level(self, shown: float) -> Level:
        """Return the level of a shown value."""
        return self.within.level(self.off(shown), self.target)


def checks_of(frozen: Mapping[str, Any]) -> dict[str, Check]:
    """Return the checks of such a run by key, as its kind had them then."""
    return {c["key"]: Check(**c) for c in frozen["checks"]}


def reports_of(frozen: Mapping[str, Any]) -> dict[str, Reported]:
    """Return what a meter may have reported by key, as its kind had it then."""
    return {r["key"]: Reported(**{**r, "bounds": Bounds(**r["bounds"])}) for r in frozen.get("reports", ())}


def serving(points: Sequence[KeptPoint], key: str) -> tuple[KeptPoint, ...]:
    """Return the points that tell how far a meter's values of a quantity are off."""
    return tuple(p for p in points if p.target_known and p.check.quantity == key and p.shown is not None)


def of_last_check(points: Sequence[KeptPoint], about: Quantity, value: float) -> list[Contribution]:
    """Standard uncertainties (k = 1) of a value that a meter shows, from the :func:`serving` points of its last check.

    What it was off at most counts as limits, and so does what it may have moved since while still called sound (rule
    of this product).

    Examples
    --------
    >>> check = Check("neutral", "Neutral buffer", "ph", 0.05, 0.07, "")
    >>> found = of_last_check([KeptPoint(check, "7.00", 7.0, before=7.03, target_u=0.01)], quantity("ph"), 7.4)
    >>> [(c.key, round(c.share, 4)) for c in found]  # doctest: +NORMALIZE_WHITESPACE
    [('off-in-check', 0.0173), ('moved-since-check', 0.0289), ('standards-of-check', 0.01), ('resolution', 0.0029)]
    """
    unit, limits = about.stated_in, math.sqrt(3.0)
    off = max(p.within.in_unit(p.within.scaled(p.off(p.shown), p.target), value) for p in points if p.shown is not None)
    moved = max(p.within.in_unit(p.within.bounds(p.target).sound_high, value) for p in points)
    return [
        Contribution("off-in-check", off / limits, unit, 1.0),
        Contribution("moved-since-check", moved / limits, unit, 1.0),
        Contribution("standards-of-check", max(p.target_u for p in points), unit, 1.0),
        Contribution("resolution", resolution_u(10.0**-about.decimals), unit, 1.0),
    ]


def judge_kept(points: Sequence[KeptPoint], reported: Sequence[tuple[Reported, float]]) -> list[Finding]:
    """Return all findings of a calibration that a meter keeps, worst first.

    As left decides where it was looked at; as found then tells of the readings before.
    """
    found = [f for p in points for f in _point(p)]
    return worst_first([*(_coefficient(about, value) for about, value in reported), *found])


def _coefficient(about: Reported, value: float) -> Finding:
    level, digits = about.bounds.level(value), about.digits
    value_of, low, high = (
        Amount(v, about.unit, digits) for v in (value, about.bounds.sound_low, about.bounds.sound_high)
    )
    said = says("reported", name=about.name, value=value_of, low=low, high=high)
    return Finding(about.key, level, said, *unless_sound(level, about.remedy, _MINUTES))


def _cause(point: KeptPoint) -> Finding | None:
    shown, tells = point.shown, of_meters(point.check.quantity)
    if tells is None or shown is None or not point.target_known or min(shown, point.target) <= 0:
        return None
    if point.level(shown) is Level.SOUND:
        return None
    return tells(
        says("meter-off", at=point.label, **_off(point, shown)), shown / point.target, point.target, point.temperature_c
    )


def _point(point: KeptPoint) -> Iterator[Finding]:
    if (cause := _cause(point)) is not None:
        yield cause
    if point.before is not None:
        level = point.level(point.before)
        if point.after is not None and level is not Level.SOUND:
            yield Finding(
                "as-found",
                Level.SOUND,
                says("as-found.adjusted", at=point.label, **_off(point, point.before)),
                says("as-found.adjusted.then"),
                10,
            )
        else:
            yield _shown("as-found", point, point.before, level)
    if point.after is not None:
        yield _shown("as-left", point, point.after, point.level(point.after))
    if not point.target_known:
        yield Finding(
            "standard-temperature",
            Level.DOUBTFUL,
            says("standard-temperature.meter", at=point.label),
            says("standard-temperature.meter.then"),
            20,
        )
    yield from out_of_date(point.expired_days, point.over_open_days, point.label, Named("taken", "used"))


def _shown(code: str, point: KeptPoint, shown: float, level: Level) -> Finding:
    sound = point.within.sound_end(point.target, quantity(point.check.quantity))
    said = says(code, at=point.label, sound=sound, **_off(point, shown))
    return Finding(code, level, said, *unless_sound(level, point.check.remedy, _MINUTES))


def _off(point: KeptPoint, shown: float) -> dict[str, Value]:
    """Give what the meter showed, and how far that is off."""
    about = quantity(point.check.quantity)
    off = point.within.off(point.off(shown), point.target, about)
    return {"shown": Of(about.key, shown), "off": off}
