"""The kinds of probes: what each is asked before use, what care does to it, where it may be kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.findings import Bounds, Finding, Level
from brumel.core.kit.care import AboutCare, Care, part_changes
from brumel.core.said import says, verbatim
from brumel.core.tables import table


@dataclass(frozen=True)
class Wait:
    """After a care event the probe is not ready for so long.

    ``least_off_minutes`` holds for power coming back: the longest time without power that still asks for this wait.
    """

    after: Care
    minutes: float
    then: str
    least_off_minutes: float = 0.0


@dataclass(frozen=True)
class BadStorage:
    """A liquid that a probe must not be kept in, and what puts it right."""

    liquid: str
    remedy: str
    minutes: float


@dataclass(frozen=True)
class Question:
    """One question of the inspection before use; "no" leads to the remedy, and to the care that is its action."""

    key: str
    ask: str
    remedy: str
    action: Care | None


@dataclass(frozen=True)
class Planned:
    """What the planner needs to know: hands-on minutes, how much it matters, what the task is called."""

    minutes: int = 0
    weight: int = 1
    task: str = "calibrate"
    weekly_cleaning: bool = False


@dataclass(frozen=True)
class Standards:
    """Which standards go along, and how the planner finds them (:mod:`brumel.core.plan.needs`)."""

    how: str
    of: str
    sold: tuple[float, ...] = ()


@dataclass(frozen=True)
class Reported:
    """A coefficient that a meter reports of a calibration that it keeps, with the bounds it is judged by."""

    key: str
    name: str
    unit: str
    bounds: Bounds
    digits: int
    remedy: str


@dataclass(frozen=True)
class Check:
    """A point of a calibration that a meter keeps: what it shows in a standard, before and after it adjusts.

    ``target`` is None where the standard's lot says it, or, without a standard, where a reference beside it shows it.
    ``percent``: the bounds are in percent of the target, but ``least`` in the unit where that is more.
    """

    key: str
    name: str
    quantity: str
    sound: float
    doubtful: float
    remedy: str
    standard: str = ""
    target: float | None = None
    percent: bool = False
    least: float = 0.0


@dataclass(frozen=True)
class ProbeKind:
    """One kind of probe."""

    key: str
    name: str
    quantity: str
    """What it is taken along for, by key."""
    principle: str
    """How it senses, by key; empty where its signal is not calibrated here yet."""
    parts: tuple[str, ...]
    storage_good: tuple[str, ...]
    storage_stopgap: tuple[str, ...]
    storage_bad: tuple[BadStorage, ...]
    voids: frozenset[Care]
    waits: tuple[Wait, ...]
    inspection: tuple[Question, ...]
    reported: tuple[Reported, ...]
    checks: tuple[Check, ...]
    holds_days: tuple[float, float] | None
    """How long a calibration holds soundly, and at most, days; None where there is none to hold."""
    caution: str
    suits: Mapping[str, tuple[float, float]]
    """The waters that it is made for: by quantity, from where to where."""
    plan: Planned = Planned()
    standards: Standards | None = None
    own_reference: bool = False
    leans_on: tuple[str, ...] = ()
    """Quantities whose probes in the same kit are calibrated before it, by key."""
    shares_reference_of: str = ""
    """The quantity of the probe of the same kit whose reference electrode it shares; empty where it has its own."""
    usual: Mapping[str, float] = field(default_factory=dict)
    """What its coefficients usually are, by key, where it differs from its principle."""
    steers: str = ""
    """What a probe of the kind steers, as the end of a sentence: ``the acid dosing``; empty where nothing."""
    knows: Mapping[str, AboutCare] = field(default_factory=dict, repr=False)
    """All words of care by key, its own among them."""

    @property
    def care(self) -> tuple[Care, ...]:
        """The care events that this kind knows, in the order of a log's form."""
        own = {w.after for w in self.waits} | self.voids | {c for p in self.parts if (c := self.part_change(p))}
        if self.powered:
            own |= {*self.power_lost, Care.POWER_BACK}
        if self.steers:
            own |= {Care(key) for key, about in self.knows.items() if about.of_steering}
        always = [Care(key) for key, about in self.knows.items() if about.always]
        further = [
            Care(k) for k, about in self.knows.items() if k in own and not about.always and not about.never_logged
        ]
        return (*always, *further)

    @property
    def waited_after(self) -> tuple[Care, ...]:
        """The care events whose wait, or want of one, a probe's leaflet may say otherwise."""
        after = {w.after for w in self.waits}
        return tuple(c for c in self.care if c in after or self.knows[c].leaflet)

    @property
    def powered(self) -> bool:
        """Whether it polarises only while it has power."""
        return any(w.after == Care.POWER_BACK for w in self.waits)

    @cached_property
    def power_lost(self) -> frozenset[Care]:
        """The care words that take the power from it."""
        return frozenset(Care(key) for key, about in self.knows.items() if about.takes_power)

    def part_change(self, part: str) -> Care | None:
        """Return the care event by which a part is changed; None where it never is."""
        return self._part_changes.get(part)

    @cached_property
    def _part_changes(self) -> Mapping[str, Care]:
        return part_changes(self.knows)

    def wait_after(self, care: Care, minutes_without_power: float = float("inf")) -> Wait | None:
        """The longest wait that a care event starts; for power coming back it depends on how long it was away."""
        found = [
            w
            for w in self.waits
            if w.after == care and (care != Care.POWER_BACK or w.least_off_minutes <= minutes_without_power)
        ]
        return max(found, key=lambda w: w.minutes, default=None)

    def with_waits(self, own: Mapping[str, float]) -> ProbeKind:
        """Return this kind with a probe's own waits, minutes by care event: its leaflet prevails over common practice.

        Examples
        --------
        >>> from brumel.core.shipped_rules import shipped
        >>> slow = shipped().kind("oxygen-galvanic").with_waits({"membrane-changed": 360})
        >>> slow.wait_after(Care("membrane-changed")).minutes
        360
        """
        if not own:
            return self
        kept = [w for w in self.waits if w.after not in own]
        added = [Wait(Care(c), m, "as its leaflet asks") for c, m in own.items() if m > 0]
        return replace(self, waits=(*kept, *added))

    def steering(self, what: str) -> ProbeKind:
        """Return this kind for a probe that steers something of its own."""
        return replace(self, steers=what) if what else self

    @property
    def storage(self) -> tuple[str, ...]:
        """Where it may stand, the good first; the bad are listed too, for they happen."""
        return (*self.storage_good, *self.storage_stopgap, *(b.liquid for b in self.storage_bad))

    def bad_storage(self, liquid: str) -> BadStorage | None:
        """Say why a liquid is wrong for this kind; None where it is not."""
        return next((b for b in self.storage_bad if b.liquid == liquid), None)


def read_kinds(care: Mapping[str, AboutCare]) -> Mapping[str, ProbeKind]:
    """Read all kinds of probes, by key, with the words of care that there are."""
    data = table("kit", "kinds.toml")
    return {key: _kind(key, _inherited(data, entry), care) for key, entry in data.items()}


def storage_finding(kind: ProbeKind, liquid: str) -> Finding | None:
    """Return what is wrong with keeping a probe of this kind in a liquid, on the spot.

    Examples
    --------
    >>> from brumel.core.shipped_rules import shipped
    >>> storage_finding(shipped().kind("ph-combination"), "deionised or distilled water").level.value
    'unfit'
    >>> storage_finding(shipped().kind("ph-combination"), "storage solution") is None
    True
    """
    bad = kind.bad_storage(liquid)
    if bad is not None:
        said = says("wrong-storage", kind=kind.name, liquid=liquid)
        return Finding("wrong-storage", Level.UNFIT, said, verbatim(bad.remedy), int(bad.minutes))
    if liquid in kind.storage_stopgap:
        good = says("stopgap-storage.then", good=tuple(kind.storage_good))
        return Finding("stopgap-storage", Level.DOUBTFUL, says("stopgap-storage", liquid=liquid), good)
    return None


def _inherited(data: Mapping[str, Any], entry: dict[str, Any]) -> dict[str, Any]:
    parent = entry.get("same_as")
    return {**data[parent], **entry} if parent else entry


def _care(key: str, known: Mapping[str, AboutCare]) -> Care:
    """Return a word of care; refuses one that there is not."""
    if key not in known:
        raise CoreError(f"No care has the name {key!r}; known are {', '.join(known)}.")
    return Care(key)


def _standards(entry: Mapping[str, Any] | None) -> Standards | None:
    return None if entry is None else Standards(entry["how"], entry["of"], tuple(entry.get("sold", ())))


def _kind(key: str, entry: Mapping[str, Any], care: Mapping[str, AboutCare]) -> ProbeKind:
    return ProbeKind(
        key=key,
        name=entry["name"],
        quantity=entry["quantity"],
        principle=entry.get("principle", ""),
        parts=tuple(entry["parts"]),
        storage_good=tuple(entry["storage_good"]),
        storage_stopgap=tuple(entry["storage_stopgap"]),
        storage_bad=tuple(BadStorage(b["in"], b["remedy"], b["minutes"]) for b in entry["storage_bad"]),
        voids=frozenset(_care(v, care) for v in entry["voids"]),
        waits=tuple(
            Wait(_care(w["after"], care), w["minutes"], w["then"], w.get("least_off_minutes", 0.0))
            for w in entry["waits"]
        ),
        inspection=tuple(
            Question(q["key"], q["ask"], q["no"], _care(q["action"], care) if "action" in q else None)
            for q in entry["inspection"]
        ),
        leans_on=tuple(entry.get("leans_on", ())),
        shares_reference_of=entry.get("shares_reference_of", ""),
        reported=tuple(
            Reported(q["key"], q["name"], q["unit"], Bounds(*q["bounds"]), q["digits"], q["remedy"])
            for q in entry.get("reports", ())
        ),
        checks=tuple(Check(**c) for c in entry.get("checks", ())),
        holds_days=tuple(entry["holds_days"]) if "holds_days" in entry else None,
        caution=entry.get("caution", ""),
        suits={key: (low, high) for key, (low, high) in entry.get("suits", {}).items()},
        plan=Planned(**entry.get("plan", {})),
        standards=_standards(entry.get("standards")),
        own_reference=entry.get("own_reference", False),
        usual=entry.get("usual", {}),
        steers=entry.get("steers", ""),
        knows=care,
    )
