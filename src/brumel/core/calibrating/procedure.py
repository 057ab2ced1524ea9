"""Methods, roles of standards and rinse regimes: the data, and the typed model that reads them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from brumel.core.calibrating.tolerances_of_kinds import tolerances_for
from brumel.core.errors import CoreError
from brumel.core.kit.shelf import CUP_ML
from brumel.core.place.conditions import Conditions
from brumel.core.sensing.fit import Weights
from brumel.core.sensing.principle import Ask, Deviation, Principle
from brumel.core.sensing.run import Came, Use
from brumel.core.standards.targets import Bottle, Target, target
from brumel.core.tables import table, tables_in

if TYPE_CHECKING:
    from brumel.core.rules import Rules


class StepKind(StrEnum):
    """What a step is; the bench has a part for each."""

    CUP = "cup"
    ZERO = "zero"
    AIR = "air"
    COMPARE = "compare"
    WAIT = "wait"
    PAUSE = "pause"
    HAND_BACK = "hand-back"

    @property
    def has_point(self) -> bool:
        """Whether a point is taken at it; the others are done when somebody says so."""
        return self not in _DONE_WORDS

    @property
    def words(self) -> str:
        """What is to be done where a method says nothing of its own; empty where a point is taken."""
        return _DONE_WORDS.get(self, "")


_DONE_WORDS = {
    StepKind.WAIT: "Wait.",
    StepKind.PAUSE: "Pause what this probe steers before it leaves the water.",
    StepKind.HAND_BACK: "Put the probe back into its water, then hand back what it steers.",
}
"""Steps that are done when somebody says so (common practice)."""


CLEANING = "clean"
"""The step of a check back at which the probe is cleaned."""


def _told(step: Step, words: str) -> str:
    return f"{words} {step.words}".rstrip()


@dataclass(frozen=True)
class Role:
    """What a step's standard is for: which standards of which values it takes."""

    key: str
    standard: str = ""
    low: float = float("-inf")
    high: float = float("inf")
    low_included: bool = True
    high_included: bool = True
    middle: float | None = None
    lower: str = ""
    higher: str = ""
    families: tuple[str, ...] = ()
    """Of which families its standard must be; any that no other role names where it names none."""
    others: tuple[str, ...] = ()
    """Families that other roles name for themselves."""

    def admits(self, standard: str, nominal: float | None, family: str = "") -> bool:
        """Say whether a lot of this standard, nominal value and family can serve.

        Examples
        --------
        >>> from brumel.core.shipped_rules import shipped
        >>> roles = shipped().roles
        >>> roles["neutral"].admits("ph-buffer", 8.0), roles["acid"].admits("ph-buffer", 6.0)
        (True, False)
        >>> roles["acid"].admits("ph-buffer", 4.0, "combined"), roles["combined-ph"].admits("ph-buffer", 4.0)
        (False, False)
        """
        if standard != self.standard or family in self.others or (self.families and family not in self.families):
            return False
        if nominal is None:
            return self.low == float("-inf") and self.high == float("inf")
        above = nominal >= self.low if self.low_included else nominal > self.low
        return above and (nominal <= self.high if self.high_included else nominal < self.high)

    def resolved(self, waters: tuple[float, float] | None) -> str:
        """Return the role meant, once the day's waters are known; without waters a side is the higher one.

        Examples
        --------
        >>> from brumel.core.shipped_rules import shipped
        >>> roles = shipped().roles
        >>> roles["water-side"].resolved((7.7, 8.4)), roles["opposite-side"].resolved((7.7, 8.4))
        ('alkaline', 'acid')
        """
        if self.middle is None:
            return self.key
        return self.lower if waters is not None and sum(waters) / 2 < self.middle else self.higher


def read_roles() -> Mapping[str, Role]:
    """Read all roles by key."""

    def role(key: str, entry: dict[str, Any]) -> Role:
        return Role(
            key,
            entry.get("standard", ""),
            entry.get("from", entry.get("above", float("-inf"))),
            entry.get("to", entry.get("below", float("inf"))),
            "above" not in entry,
            "below" not in entry,
            entry.get("middle"),
            entry.get("lower", ""),
            entry.get("higher", ""),
            (own := tuple(entry.get("families", ()))),
            tuple(f for f in named if f not in own),
        )

    entries = table("calibrating", "roles.toml")
    named = {f for entry in entries.values() for f in entry.get("families", ())}
    return {key: role(key, entry) for key, entry in entries.items()}


@dataclass(frozen=True)
class Step:
    """One step of a method."""

    key: str
    role: str = ""
    kind: StepKind = StepKind.CUP
    use: Use = Use.ADJUST
    minutes: float = 0.0
    seconds: int = 0
    """How long it is counted down at the step."""
    words: str = ""
    label: str = ""
    """What its standard is called where no lot says so: dry air."""
    target: float | None = None
    """What that is, in the quantity's unit."""
    target_u: float = 0.0
    """Its standard uncertainty."""
    beside_u: float = 0.0
    """Standard uncertainty of how far what two compared instruments stand in differs, each time anew."""
    of_waters: bool = False
    """Whether its standard is as warm as the waters, not as the room."""
    came: Came | None = None
    """In a check back: whether the probe is read as it came, or cleaned."""

    @property
    def adjusts(self) -> bool:
        """Whether a point is taken at it that the line is adjusted to."""
        return self.kind.has_point and self.use is Use.ADJUST

    @classmethod
    def of(cls, data: Mapping[str, Any]) -> Step:
        """Return a step from plain data."""
        kind, use = StepKind(data.get("kind", "cup")), Use(data.get("use", "adjust"))
        came = Came(data["came"]) if data.get("came") else None
        return cls(**dict(data) | {"kind": kind, "use": use, "came": came})

    def asks(self, own: Principle) -> tuple[Ask, ...]:
        """Return what is asked at it: what the principle asks at such a step, and how the probe travelled."""
        travelled = (Ask("stored-on-the-way"),) if self.came is Came.AS_IT_CAME else ()
        return (*travelled, *own.asks.get(self.kind, ()))

    def aim(self, bottle: Bottle | None, at: Conditions) -> Target:
        """Return what its standard is at these conditions: the bottle's value, else what the method says of it."""
        if bottle is not None and self.kind is not StepKind.COMPARE:  # a reagent is no standard
            return target(bottle, at)
        if self.target is None:
            raise CoreError(f"The step {self.key} has no standard: its method must say what it is.")
        of_pressure = self.target * at.u_pressure_hpa / float(at.pressure_hpa)
        return Target(self.target, math.hypot(self.target_u, of_pressure), known=True)


SHARED_CUP = "cup-shared"
"""A point that was taken so took no standard of its own."""


def read_deviations() -> Mapping[str, Deviation]:
    """Read all that may be done otherwise, by key."""
    return {d["key"]: Deviation(**d) for d in table("calibrating", "rinses.toml")["deviations"]}


@dataclass(frozen=True)
class Rinse:
    """One regime of rinsing between solutions.

    ``standard_share`` is how much of a cup of the coming standard goes into the rinse; ``is`` names the deviations
    that the regime itself is.
    """

    key: str
    name: str
    words: str
    standard_share: float
    is_: tuple[str, ...] = ()

    @property
    def ml_per_point(self) -> float:
        """Standard that one point takes, mL: a cup, and the rinse before it.

        Examples
        --------
        >>> from brumel.core.shipped_rules import shipped
        >>> [round(r.ml_per_point) for r in shipped().rinses.values()]
        [30, 30, 45, 38]
        """
        return ml_per_point(self.standard_share)


def ml_per_point(standard_share: float) -> float:
    """Return standard that a point takes where so much of a cup goes into the rinse before it, mL."""
    return CUP_ML * (1.0 + standard_share)


@dataclass(frozen=True)
class Procedure:
    """A way to calibrate, as data: a procedure on the screen."""

    code: str
    version: int
    principle: str
    name: str
    why: str
    used_for: str
    source: str
    steps: tuple[Step, ...]
    order: int = 99
    weights: Weights = Weights.EQUAL
    cautions: tuple[str, ...] = field(default=())
    leaves_open: str = ""
    """What a run of it does not tell, as the end of a sentence; empty where it tells what it should."""

    def steps_for(self, waters: tuple[float, float] | None, rules: Rules) -> tuple[Step, ...]:
        """Return the steps, once the day's waters are known."""
        return tuple(replace(s, role=rules.roles[s.role].resolved(waters) if s.role else "") for s in self.steps)

    def steering(self, what: str) -> Procedure:
        """This method for a probe that steers something: paused before, handed back after a check that adjusts nothing.

        Where the method has no check, its first standard that is not a zero is taken once more as one.
        """
        if not what or any(s.kind is StepKind.PAUSE for s in self.steps):
            return self
        points = [s for s in self.steps if s.kind.has_point]
        full = [s for s in points if s.kind is not StepKind.ZERO and s.target != 0.0]
        checks = [] if points[-1].use is Use.CHECK else [replace(full[0], key=f"{full[0].key}-check", use=Use.CHECK)]
        pause = Step("pause", kind=StepKind.PAUSE, words=f"Pause {what} before the probe leaves the water.")
        back = Step("hand-back", kind=StepKind.HAND_BACK, words=f"Put the probe back into its water, hand {what} back.")
        return replace(self, steps=(pause, *self.steps, *checks, back))

    @property
    def can_check_back(self) -> bool:
        """Say whether it adjusts nothing, and asks for no second instrument: what is compared is looked at once."""
        return not self.adjusted and all(s.kind is not StepKind.COMPARE for s in self.steps)

    @property
    def checks_back(self) -> bool:
        """Say whether a probe is read in it as it came from a round, and again cleaned."""
        return any(s.came for s in self.steps)

    def checking_back(self) -> Procedure:
        """This check for a probe that comes back from a round: each standard as it came, cleaning, each once more.

        Source: common practice; Wagner et al. 2006, USGS TM 1–D3, for the order of dirt and drift.
        """
        words, points = table("calibrating", "check_back.toml"), [s for s in self.steps if s.kind.has_point]
        came = [
            replace(s, key=f"{s.key}-came", came=Came.AS_IT_CAME, words=_told(s, words["as_it_came"])) for s in points
        ]
        again = [
            replace(s, key=f"{s.key}-cleaned", came=Came.CLEANED, words=_told(s, words["cleaned"])) for s in points
        ]
        return replace(
            self, code=f"{self.code}-back", order=self.order + words["order"],
            name=words["name"], why=words["why"], used_for=words["used_for"],
            steps=(*came, Step(CLEANING, kind=StepKind.WAIT, words=words["clean"], label=words["cleaning"]), *again),
        )  # fmt: skip

    def needs_waters(self, rules: Rules) -> bool:
        """Say whether a step depends on the day's waters."""
        return any(s.role and rules.roles[s.role].middle is not None for s in self.steps)

    @property
    def adjusted(self) -> int:
        """How many points it adjusts to."""
        return sum(s.adjusts for s in self.steps)

    def frozen(
        self,
        rules: Rules,
        *,
        waters: tuple[float, float] | None,
        rinse: Rinse,
        kind: str,
        holds_days: Sequence[float],
        settings: Mapping[str, float] | None = None,
        first: Mapping[str, float] | None = None,
        conditions: Mapping[str, Any] | None = None,
        steers: str = "",
        out_of_order: Sequence[str] = (),
    ) -> dict[str, Any]:
        """Return the method as it is kept with a run: plain data, sides resolved, tolerances and rinse included whole.

        ``first`` are the coefficients of the first run since a part was changed, ``conditions`` what was asked of the
        place, ``steers`` what its probe steers, ``out_of_order`` what was calibrated before it and should come after.
        """
        data = asdict(self)
        data["steps"] = [asdict(s) for s in self.steering(steers).steps_for(waters, rules)]
        data["steers"] = steers
        data["out_of_order"] = list(out_of_order)
        data["tolerances"] = tolerances_for(rules, self.principle, kind, first) | {"holds_days": list(holds_days)}
        data["rinse"] = asdict(rinse)
        own = rules.kind(kind)
        data["usual"] = dict(own.usual)
        data["settings"] = dict(settings or {})
        data["conditions"] = dict(conditions or {})
        data["reach"] = list(own.suits[own.quantity]) if own.quantity in own.suits else None
        return data


def read_procedures() -> Mapping[str, Procedure]:
    """Read all methods by code, each principle's default first."""
    found = [_method(one) for data in tables_in("calibrating", "procedures") for one in _each(data)]
    found += [m.checking_back() for m in found if m.can_check_back]
    return {m.code: m for m in sorted(found, key=lambda m: (m.principle, m.order))}


def read_rinses() -> Mapping[str, Rinse]:
    """Read the rinse regimes by key, the default first."""
    return {r["key"]: rinse_from(r) for r in table("calibrating", "rinses.toml")["rinses"]}


def rinse_from(data: Mapping[str, Any]) -> Rinse:
    """Return a rinse regime from plain data: as shipped, or as frozen into a run."""
    is_ = tuple(data.get("is", data.get("is_", ())))
    return Rinse(data["key"], data["name"], data["words"], data["standard_share"], is_)


def steps_of(frozen: Mapping[str, Any]) -> list[Step]:
    """Return the steps of a method as it was frozen into a run."""
    return [Step.of(s) for s in frozen["steps"]]


def _each(data: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """Yield a procedure for each entry of the table that it is for, by its key; itself where it names no table."""
    named = data.pop("each_of", None)
    names = None if named is None else list(table(*named.split(":")))
    if names is None:
        yield data
        return

    def filled(part: Any, name: str) -> Any:
        match part:
            case str():
                return part.replace("{each}", name)
            case list():
                return [filled(one, name) for one in part]
            case dict():
                return {key: filled(one, name) for key, one in part.items()}
        return part

    for name in names:
        yield filled(data, name)


def _method(data: dict[str, Any]) -> Procedure:
    steps = tuple(Step.of(s) for s in data.pop("steps"))
    weights = Weights(data.pop("weights", "equal"))
    return Procedure(steps=steps, weights=weights, cautions=tuple(data.pop("cautions", ())), **data)
