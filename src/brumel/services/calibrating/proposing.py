"""What a run is proposed with: what was taken last, unless the verdict would find it wanting for the waters planned."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from sqlalchemy.orm import Session

from brumel.core.calibrating.procedure import Procedure
from brumel.core.calibrating.tolerances_of_kinds import tolerances_for
from brumel.core.kit.kinds import ProbeKind
from brumel.core.kit.shelf import standards
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Named
from brumel.core.sensing.principles import signs_of
from brumel.core.sensing.run import Use
from brumel.core.sensing.untested import beside_the_waters, not_between
from brumel.core.wording import lower_first
from brumel.core.words.catalogue import word
from brumel.services.calibrating.shown import lot_findings
from brumel.services.house.rules import in_force
from brumel.services.shelf import lot_words
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reference import Lot
from brumel.store.queries import shelf as shelf_queries


@dataclass(frozen=True)
class LotChoice:
    """A lot to choose, with what speaks against it."""

    lot: Lot
    label: str
    caution: str


@dataclass(frozen=True)
class Aimed:
    """What standards are wanted for: within the reach of the probe, and a little above its usual waters."""

    reach: tuple[float, float] | None
    waters: tuple[float, float] | None

    def beyond(self, nominal: float | None) -> bool:
        """Say whether a standard lies beyond what the probe is made for."""
        return bool(self.reach and nominal and not self.reach[0] <= nominal <= self.reach[1])

    def unlike(self, nominal: float | None) -> list[str]:
        """That a standard leaves the range of the usual waters untested."""
        where = beside_the_waters([nominal], self.waters) if self.reach and self.waters and nominal else ""
        return [f"{word(Named('side', where))} the waters that it reads: leaves their range untested"] if where else []

    def away(self, nominal: float | None) -> float:
        """Say how far a standard is from what is wanted: next above the waters comes first, then what lies below."""
        if not (self.reach and self.waters and nominal and nominal > 0):
            return 0.0
        steps = math.log(nominal / self.waters[1])
        return steps if steps >= 0 else 10.0 - steps


def lots_for(session: Session, wanted: Collection[str], today: date, aim: Aimed) -> dict[str, list[LotChoice]]:
    """List the standing lots of each role, what is wanted first."""
    found: dict[str, list[LotChoice]] = {}
    standing = [x for x in shelf_queries.lots(session) if x.discarded_on is None]
    for key in (k for k in in_force().roles if k in wanted):
        role = in_force().roles[key]
        lots = [x for x in standing if role.admits(x.standard, x.nominal, x.family)]
        choices = [
            LotChoice(x, lot_words.label_value(x) or standards()[x.standard].short, _caution(x, today, aim))
            for x in lots
        ]
        choices.sort(
            key=lambda c: (bool(c.caution), aim.away(c.lot.nominal), c.lot.opened_on is None, c.lot.expires_on)
        )
        found[key] = choices
    return found


@dataclass(frozen=True)
class Proposed:
    """What the form of a new run begins with, by field, and why that is not what was taken last."""

    fields: Mapping[str, str]
    instead: str = ""


def proposal(
    kind: ProbeKind,
    methods: Sequence[Procedure],
    lots: Mapping[str, Sequence[LotChoice]],
    last: Mapping[str, str],
    waters: tuple[float, float] | None,
) -> Proposed:
    """Propose the procedure and lots of last time, else the first that leave none of the planned waters untested."""
    ordered = sorted(methods, key=lambda m: m.code != last.get("method"))
    if not ordered:
        return Proposed(last)
    tried = [_Tried(kind, m, _picked(m, lots, last, waters), waters) for m in ordered]
    first = tried[0]
    found = next((t for t in tried if not t.wanting and (t is first or t.method.adjusted)), None)
    if found is first:
        return Proposed({**last, **first.fields})
    words = f"{first.method.name} with {first.labels} is found wanting: {first.wanting}"
    if found is None:
        return Proposed({**last, **first.fields}, f"{words} No procedure with what stands on the shelf does better.")
    return Proposed({**last, **found.fields}, f"{words} So {found.method.name} with {found.labels} is proposed.")


@dataclass(frozen=True)
class _Tried:
    """A procedure with a lot for each role, and what it leaves untested of the waters."""

    kind: ProbeKind
    method: Procedure
    lots: Mapping[str, LotChoice | None]
    waters: tuple[float, float] | None

    @property
    def fields(self) -> dict[str, str]:
        chosen = {f"lot_{role}": str(c.lot.id) for role, c in self.lots.items() if c is not None}
        return {"method": self.method.code, **chosen}

    @property
    def labels(self) -> str:
        return ", ".join(c.label for c in self.lots.values() if c is not None) or "nothing from the shelf"

    @property
    def wanting(self) -> str:
        """What its verdict would say of the waters; empty where it finds nothing wanting, or knows none."""
        if self.waters is None:
            return ""
        missing = [role for role, c in self.lots.items() if c is None]
        if missing:
            return f"the shelf has no {', '.join(missing)} standard."
        waters, labels = self.waters, list(self._labels())
        brackets = tolerances_for(in_force(), self.method.principle, self.kind.key)["brackets"]
        adjusted = [s.role for s in self.method.steps_for(waters, in_force()) if s.role and s.use is not Use.CHECK]
        between = [n for role, n in labels if role in adjusted] if brackets else []
        where = not_between(between, waters) or signs_of(self.method.principle).beside([n for _, n in labels], waters)
        about = quantity(self.kind.quantity)
        planned = f"the waters planned reach from {about.number(waters[0])} to {about.number(waters[1])}{about.after}"
        return f"{planned}, and it lies {where} them." if where else ""

    def _labels(self) -> Iterator[tuple[str, float]]:
        for role, c in self.lots.items():
            if c is not None and c.lot.nominal:
                yield role, c.lot.nominal


def _picked(
    method: Procedure,
    lots: Mapping[str, Sequence[LotChoice]],
    last: Mapping[str, str],
    waters: tuple[float, float] | None,
) -> dict[str, LotChoice | None]:
    """The lot of each role: that of last time while nothing speaks against it, else the one that stands first."""
    found: dict[str, LotChoice | None] = {}
    for role in dict.fromkeys(s.role for s in method.steps_for(waters, in_force()) if s.role):
        offered = lots.get(role, ())
        again = (c for c in offered if str(c.lot.id) == last.get(f"lot_{role}") and not c.caution)
        found[role] = next(again, next(iter(offered), None))
    return found


def as_last(run: CalibrationRun | None) -> dict[str, str]:
    """Return what the probe was calibrated with last: method, rinse, and the lot of each role."""
    if run is None:
        return {}
    lots = {f"lot_{s['role']}": run.lots[s["key"]] for s in run.method["steps"] if s["key"] in run.lots}
    return {"method": run.method_code, "rinse": run.rinse, **lots}


def _caution(lot: Lot, today: date, aim: Aimed) -> str:
    beyond = ["beyond what this probe is made for"] if aim.beyond(lot.nominal) else aim.unlike(lot.nominal)
    return " ".join([*beyond, *(f"{f.level}: {lower_first(str(word(f.says)))}" for f in lot_findings(lot, today))])
