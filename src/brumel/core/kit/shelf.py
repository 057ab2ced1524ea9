"""Whether a lot may still serve: in date, not open too long, not empty."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from enum import StrEnum

from brumel.core.findings import Finding, Level, worst_first
from brumel.core.said import Amount, Count, Named, says
from brumel.core.tables import read_once, table
from brumel.core.wording import day_words, grouped

CUP_ML = 30.0
"""Standard in a cup that covers bulb and junction, mL (common practice)."""

SOON_DAYS = 30
"""What expires or runs out within so many days is on the shopping list (rule of this product)."""
USE_DAYS = 60
"""The present use is the mean over so many days (rule of this product)."""


class Pack(StrEnum):
    """What a lot comes in: a bottle is counted in mL, sachets and tablets in pieces, each used once."""

    BOTTLE = "bottle"
    SACHETS = "sachets"
    TABLETS = "tablets"

    @property
    def unit(self) -> str:
        """What its content is counted in."""
        return "mL" if self is Pack.BOTTLE else str(self)


@dataclass(frozen=True)
class Standard:
    """A kind of thing on the shelf."""

    key: str
    name: str
    open_life_days: int
    unit: str = ""
    caution: str = ""
    short: str = "standard"
    """What a technician calls one in a sentence."""
    decimals: int = 0
    families: Mapping[str, str] = field(default_factory=dict)
    """Families by key, where there are several."""
    needs_value: bool = False
    worth_by: str = "label"
    """How its value at a temperature is looked up (:func:`brumel.core.standards.targets.target`)."""

    def value_words(self, nominal: float) -> str:
        """Return a label's value as people read it.

        Examples
        --------
        >>> standards()["ph-buffer"].value_words(4.005), standards()["orp"].value_words(220.0)
        ('4.005', '220 mV')
        >>> standards()["conductivity"].value_words(9_999.0), standards()["conductivity"].value_words(10_000.0)
        ('9999 µS/cm', '10\u202f000 µS/cm')
        """
        digits = self.decimals if round(nominal, self.decimals) == nominal else 3
        words = f"{nominal:.{digits}f}" if nominal < 10_000 else grouped(nominal)
        return f"{words} {self.unit}" if self.unit and self.unit != "pH" else words


@dataclass(frozen=True)
class LotFacts:
    """What is known of a lot; ``left`` is counted in ``unit``, mL or pieces, and None where nobody counts."""

    expires_on: date
    opened_on: date | None
    open_life_days: int
    left: float | None
    discarded_on: date | None = None
    unit: str = "mL"

    def days_expired(self, on: date) -> int:
        """Return days past its expiry; 0 where in date."""
        return max((on - self.expires_on).days, 0)

    def days_over_open(self, on: date) -> int:
        """Return days past its open life; 0 where unopened or within."""
        return max((on - self.open_until).days, 0)

    @property
    def opens(self) -> bool:
        """Whether it is opened once and kept open: a bottle. A sachet or tablet is opened when it is used."""
        return self.unit == "mL"

    @property
    def least(self) -> float:
        """What one point takes at least: a cup, or one piece."""
        return CUP_ML if self.opens else 1.0

    @property
    def open_until(self) -> date:
        """The last day of its open life; without end where it is closed."""
        return self.opened(self.opened_on) if self.opened_on is not None else date.max

    def opened(self, on: date) -> date:
        """Return the last day of its open life, were it opened that day."""
        return on + timedelta(days=self.open_life_days) if self.opens else date.max

    @property
    def good_until(self) -> date:
        """The last day that it serves: its expiry, or the end of its open life."""
        return min(self.expires_on, self.open_until)


@read_once
def standards() -> Mapping[str, Standard]:
    """Return all kinds of things on the shelf, by key."""
    return {key: Standard(key, **entry) for key, entry in table("kit", "standards.toml").items()}


def judge_lot(lot: LotFacts, today: date) -> list[Finding]:
    """Return what speaks against using a lot today, worst first; empty where nothing does.

    Examples
    --------
    >>> facts = LotFacts(date(2026, 12, 1), date(2026, 1, 1), 90, 400.0)
    >>> [f.code for f in judge_lot(facts, date(2026, 5, 1))]
    ['lot-open-too-long']
    """
    found = []
    if lot.discarded_on is not None:
        day = day_words(lot.discarded_on, today)
        found.append(Finding("discarded", Level.UNFIT, says("discarded", day=day)))
    found += out_of_date(lot.days_expired(today), lot.days_over_open(today))
    if 0 <= (left := (lot.expires_on - today).days) <= SOON_DAYS:
        said = says("expires-soon", days=Count(left, "day")) if left else says("expires-soon.today")
        found.append(Finding("expires-soon", Level.DOUBTFUL, said, says("expires-soon.then")))
    if lot.left is not None and lot.left < lot.least:
        found.append(Finding("empty", Level.UNFIT, says("empty", left=Amount(max(lot.left, 0), lot.unit, 0))))
    return worst_first(found)


def out_of_date(days_expired: int, days_over_open: int, lot: str = "", how: Named | None = None) -> list[Finding]:
    """Return what a lot past its expiry, or open longer than it keeps, is worth: on the shelf, in a list, in a verdict.

    ``lot`` is what it is called, and ``how`` what was done with it then, where that was not today.

    Examples
    --------
    >>> [(f.code, f.level.value) for f in out_of_date(3, 0)]
    [('lot-expired', 'unfit')]
    """
    return [
        Finding(code, Level.UNFIT,
                says(f"{code}.when", lot=lot, how=how, days=Count(days, "day")) if lot
                else says(code, days=Count(days, "day")),
                says(f"{code}.then"), 10)
        for code, days in (("lot-expired", days_expired), ("lot-open-too-long", days_over_open))
        if days > 0
    ]  # fmt: skip


def lasts_until(lots: Iterable[LotFacts], daily: float, today: date) -> date:
    """Return the last day that lots of one standard serve one after the other, at a daily use.

    Each ends when it is used up or out of date; an unopened bottle is opened when its turn comes, a sachet or tablet
    one by one. The one that would spoil first is used first.

    Examples
    --------
    >>> open_one = LotFacts(date(2026, 12, 1), date(2026, 1, 1), 365, 100.0)
    >>> spare = LotFacts(date(2026, 12, 1), None, 30, 900.0)
    >>> str(lasts_until([open_one, spare], 10.0, date(2026, 3, 1)))
    '2026-04-10'
    """
    day = today
    for lot in sorted(lots, key=lambda x: (x.opened_on is None, x.good_until)):
        spoils = min(lot.good_until, lot.opened(day)) if lot.opened_on is None and daily > 0 else lot.good_until
        used_up = spoils if lot.left is None or daily <= 0 else day + timedelta(days=int(max(lot.left, 0.0) / daily))
        day = max(day, min(spoils, used_up))
    return day
