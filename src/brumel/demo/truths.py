"""How the probes of Hallow Reach really respond through the year: they age, are coated, torn, set wrong, renewed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import cached_property

from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Response

DAYS = 365
_A_DAY, _A_DAY_S = timedelta(days=1), 86_400.0


def weekday_ago(now: datetime, days: int, weekday: int | None = None) -> int:
    """So many days ago, or a little more: a working day, or the one that is named (0: Monday)."""
    while (day := (now - days * _A_DAY).weekday()) > 4 or (weekday is not None and day != weekday):
        days += 1
    return days


@dataclass(frozen=True)
class Truths:
    """All of them, at any time of the year before."""

    noon: datetime
    """Of this day, local: all is so many days before it."""
    principles: Mapping[str, Principle]

    @cached_property
    def cleaned(self) -> int:
        """So many days ago a coated cell was found, and cleaned at noon."""
        return weekday_ago(self.noon, 129)

    @cached_property
    def set_wrong(self) -> int:
        """So many days ago a constant was set wrong in the morning."""
        return weekday_ago(self.noon, 65)

    @cached_property
    def torn(self) -> int:
        """So many days ago A-DO's membrane was torn in the morning, and changed at noon."""
        return weekday_ago(self.noon, 118)

    @cached_property
    def renewed(self) -> Mapping[str, tuple[int, ...]]:
        """So many days ago a part of a probe was renewed at noon."""
        return {"A-DO": (366, 291, 216, self.torn, 44), "B-DO": (366, 225), "B-NH4": (370, 262, 151)}

    @cached_property
    def touched(self) -> int:
        """So many days ago a chlorine tablet was touched by fingers before the cross-check."""
        return weekday_ago(self.noon, 33)

    @cached_property
    def acid_stood(self) -> int:
        """So many days ago the electrode that doses acid failed its check: a Monday, and the acid stood for hours."""
        return weekday_ago(self.noon, 54, 0)

    @cached_property
    def at_sea_level(self) -> int:
        """So many days ago a weather report's pressure was taken for that of the upland spring: a Wednesday."""
        return weekday_ago(self.noon, 30, 2)

    @cached_property
    def dawn(self) -> int:
        """So many days ago the shrimp pond nearly ran out of oxygen before sunrise."""
        return weekday_ago(self.noon, 9)

    @cached_property
    def compared(self) -> int:
        """So many days ago the pool's photometer was compared with the laboratory."""
        return weekday_ago(self.noon, 20)

    @cached_property
    def compensating(self) -> range:
        """So many days ago B-meter compensated by itself and was said to be off; found the day after."""
        last = weekday_ago(self.noon, 47)
        return range(last, last + 12)

    def before(self, days: float) -> datetime:
        """Return a moment so many days before noon."""
        return self.noon - days * _A_DAY

    def tended(self, label: str, since: datetime, until: datetime) -> str:
        """Return what was done to a probe between two moments, that may have changed how it responds."""
        done = {
            "A-EC": (("cleaned", self.cleaned),),
            "G-pH": (("cleaned", self.acid_stood + 4 / 24),),
            "A-DO": tuple(("membrane changed", ago) for ago in self.renewed["A-DO"]),
            "B-DO": tuple(("cap changed", ago) for ago in self.renewed["B-DO"]),
            "B-NH4": tuple(("tip changed", ago) for ago in self.renewed["B-NH4"]),
        }.get(label, ())
        return next((what for what, ago in done if since < self.before(ago) <= until), "")

    def response(self, label: str, at: datetime) -> Response:
        """Say how a probe really responds at a time."""
        passed = max(1.0 - self._days(at) / DAYS, 0.0)
        values = {
            "A-pH": (2.4 + 0.8 * passed, 98.9 - 0.3 * passed),
            "B-pH": (-4.0 - 12.5 * passed, 98.8 - 6.4 * passed**1.6),
            "C-pH": (1.1, 99.4),
            "B-ORP": (3.0 + 6.0 * passed, 1.0),
            "A-EC": (0.1, (1.0 - self._coating(at)) / (1.004 + 0.012 * passed), 0.3),
            "B-EC": (0.1, (10.0 if self._is_set_wrong(at) else 1.0) / (10.02 + 0.4 * passed), -0.2),
            "A-T": (0.06, 1.0),
            "B-Cl": (0.004, 0.72 if self._is_touched(at) else 1.012),
            "G-pH": self._doses(at),
            "G-EC": (0.05, 1.0 / (1.01 + 0.01 * passed), 0.2),
            "B-NH4": (171.0 + 0.04 * self._age("B-NH4", at), 97.0 - 0.105 * self._age("B-NH4", at), 0.2),
            "A-DO": self._membrane(at),
            "B-DO": (18.05, 38.4 * (1.0 - 0.14 * self._age("B-DO", at) / 365.0)),
        }[label]
        return replace(Response.usual(self.principles[label]), values=values)

    def _days(self, at: datetime) -> float:
        return (self.noon - at).total_seconds() / _A_DAY_S

    def _age(self, label: str, at: datetime) -> float:
        """Return days since a part was renewed last."""
        days = self._days(at)
        return min((ago - days for ago in self.renewed[label] if ago >= days), default=0.0)

    def _coating(self, at: datetime) -> float:
        """What A-EC has lost to a coating that grew in the nutrient reservoir until it was found and cleaned off."""
        days = self._days(at) - self.cleaned
        return max(0.0, 0.095 * (1.0 - days / 60.0)) if 0.0 < days < 60.0 else 0.0

    def _is_set_wrong(self, at: datetime) -> bool:
        """Say whether B-EC was read with the constant of another cell set in its meter."""
        return 0.0 <= self._days(at) - self.set_wrong < 0.5

    def _is_touched(self, at: datetime) -> bool:
        """Say whether the tablet of that morning was the touched one; the next was not."""
        began = self.before(self.touched) - timedelta(hours=4, minutes=55)
        return began - timedelta(minutes=30) < at < began + timedelta(minutes=30)

    def _doses(self, at: datetime) -> tuple[float, float]:
        """Offset and slope of G-pH: soiled until it was cleaned on one day."""
        days = self._days(at) - self.acid_stood
        passed = max(1.0 - self._days(at) / DAYS, 0.0)
        return (-5.0 - 2.0 * passed, 86.5 if 4 / 24 < days < 0.6 else 97.9 - 1.4 * passed)

    def _membrane(self, at: datetime) -> tuple[float, float]:
        """Zero and gain of A-DO: a membrane loses as it ages; a torn one lets everything through."""
        torn = self.torn <= self._days(at) < self.torn + 0.5
        gain = 103.0 * (1.0 - 0.13 * self._age("A-DO", at) / 75.0)
        return (9.4, 1.3 * gain) if torn else (0.55, gain)
