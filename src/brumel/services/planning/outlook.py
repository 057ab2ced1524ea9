"""What will run out or go out of date: at the present use, and given the rounds planned."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

from brumel.core.findings import Level
from brumel.core.kit.shelf import SOON_DAYS, lasts_until
from brumel.core.wording import counted, day_words
from brumel.core.words.catalogue import word
from brumel.services.cached.remembered import cached
from brumel.services.clock import Clock
from brumel.services.planning.rounds import PlannedRounds
from brumel.services.shelf.bottles import label_of
from brumel.services.shelf.lots import LotEntry, Shelf
from brumel.store.database import Database


@dataclass(frozen=True)
class Wanted:
    """One line of the shopping list: what, why, and how much of it is needed."""

    what: str
    why: str
    level: Level


@dataclass(frozen=True)
class Outlook:
    """Use cases that look ahead on the shelf."""

    clock: Clock
    shelf: Shelf
    rounds: PlannedRounds

    @property
    def database(self) -> Database:
        """Where what is recorded is counted."""
        return self.shelf.database

    @cached
    def shopping(self) -> Sequence[Wanted]:
        """Return what to order: what is gone, what will not last a month, and what the rounds planned lack."""
        use, today = self.shelf.daily_use(), self.clock.today()
        groups: dict[tuple[str, str, float | None], list[LotEntry]] = defaultdict(list)
        for e in self.shelf.entries():
            groups[e.lot.standard, e.lot.family, e.lot.nominal].append(e)
        found = list(self.lacking())
        named = tuple(w.what for w in found)
        for group in groups.values():
            what = label_of(group[0].lot)
            if not what.startswith(named) and (why := _why(group, sum(use.get(e.lot.id, 0.0) for e in group), today)):
                found.append(Wanted(what, *why))
        return found

    @cached
    def lacking(self, until: datetime | None = None) -> Sequence[Wanted]:
        """Standards of which the rounds planned need more than there is, or that they need and nobody has.

        With ``until``, of the rounds that leave until then.
        """
        needed: dict[str, float] = defaultdict(float)
        have: dict[str, float | None] = {}
        last: dict[str, date] = {}
        units: dict[str, str] = {}
        for planned in (r for r in self.rounds.ahead() if until is None or r.departure <= until):
            for standard in self.rounds.planning.needs(planned):
                what = label_of(standard.lots[0].lot) if standard.lots else standard.need.what
                needed[what] += standard.need.amount
                lefts = [e.facts.left for e in standard.lots]
                have[what] = None if any(x is None for x in lefts) else sum(x or 0.0 for x in lefts)
                last[what] = self.clock.local(planned.departure).date()
                units[what] = standard.need.unit
        found = []
        for what, amount in needed.items():
            there = have[what]
            if there is not None and there < amount:
                left = f"{there:.0f} {units[what]} are left" if there else "there is none"
                by = self.clock.day_said(last[what])
                why = f"The rounds planned until {by} take {amount:.0f} {units[what]}; {left}."
                found.append(Wanted(what, why, Level.UNFIT))
        return found


def _why(group: list[LotEntry], daily: float, today: date) -> tuple[str, Level] | None:
    """Say why lots of one standard should be ordered; None where they need not."""
    usable = [e for e in group if e.level is not Level.UNFIT]
    if not usable:
        return f"No lot serves any more. {word(group[0].findings[0].says)}", Level.UNFIT
    end = lasts_until((e.facts for e in usable), daily, today)
    days = (end - today).days
    if days > SOON_DAYS:
        return None
    unit = usable[0].facts.unit
    at_use = f" at {daily:.0f} {unit} a day" if daily >= 0.5 else ""
    return f"What there is lasts {counted(days, 'more day')}{at_use}, until {day_words(end, today)}.", Level.DOUBTFUL
