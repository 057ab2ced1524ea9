"""The readings of one visit together: what follows from them, and what is missing to it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.findings import PRODUCT, Finding, Level, worst_first
from brumel.core.quantities.quantity import quantities, quantity
from brumel.core.reading.limits import is_stabilised
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs
from brumel.core.said import Named, Of, Said, Value, says
from brumel.core.tables import read_once, table
from brumel.core.uncertainty import Budget, Contribution

_LEAST_U = 1e-12
_SHORTEST = ("salinity", "dissolved-solids", "stabiliser", "temperature")
"""Quantities with a shorter way than to read them: the catalogue says which."""


@dataclass(frozen=True)
class Taken:
    """One value of a visit: its standard uncertainty in its unit, and the record that it comes from."""

    quantity: str
    value: float
    u: float
    qualifier: str = ""
    record: str = ""
    """Key of its reading."""
    shares: tuple[str, ...] = ()
    """Standards and calibrations behind it: two that share one are correlated."""


Visit = Mapping[str, Taken]
"""What is known on a visit at one depth, by quantity."""


@dataclass(frozen=True)
class Follows:
    """A quantity that can be worked out from several readings (``follows.toml`` says what each field is)."""

    quantity: str
    inputs: Mapping[str, str]
    calculation: str = ""
    output: str = ""
    optional: Mapping[str, str] = field(default_factory=dict)
    difference: str = ""
    asked_by: tuple[str, ...] = ()
    senseless: str = ""

    def __post_init__(self) -> None:
        known = {*self.inputs.values(), *self.optional.values(), *self.asked_by, self.quantity} <= quantities().keys()
        if not known or bool(self.calculation) == bool(self.difference) or self.senseless not in {"", *_SENSELESS}:
            raise CoreError(f"What follows as {self.quantity} names what is not known: see follows.toml.")

    def does_not_apply(self, seen: Visit) -> Said | None:
        """Say why it has no sense in this water; nothing where it has."""
        return _SENSELESS[self.senseless](seen) if self.senseless else None

    @property
    def main(self) -> str:
        """The quantity that it is another form of: where that was read, nobody need read it."""
        return next(iter(self.inputs.values()))


@dataclass(frozen=True)
class Worked:
    """A quantity that follows from a visit's readings, with its budget, working and what it rests on."""

    quantity: str
    value: float
    budget: Budget
    unit: str
    working: tuple[Value, ...]
    basis: tuple[str, ...]
    qualifier: str = ""
    """``<`` or ``>`` where it follows from a value below or above what could be seen."""


def rests_on(bases: Sequence[tuple[Value, Level]]) -> list[Finding]:
    """That a worked-out value rests on readings that are not sound: it is worth no more than the worst of them.

    Examples
    --------
    >>> from brumel.core.said import Of
    >>> [f.code for f in rests_on([(Of("ph", 8.9), Level.DOUBTFUL), (Of("temperature", 28.1), Level.SOUND)])]
    ['basis-doubtful']
    """
    return worst_first(
        Finding(
            "basis-doubtful" if level is Level.DOUBTFUL else "basis-unfit",
            level,
            says("basis-judged", what=value, level=Named("level", str(level))),
            says("basis-judged.then"),
            10,
            PRODUCT,
        )
        for value, level in bases
        if level is not Level.SOUND
    )


@dataclass(frozen=True)
class Missing:
    """A quantity that can't be worked out, and the shortest way to have it: so many values are to be had first."""

    quantity: str
    says: Said
    applies: bool = True
    """False where it has no sense here, whatever is read."""
    lacks: int = 0


def not_with_stabiliser(seen: Visit) -> Said | None:
    """Say why a share of hypochlorous acid has no sense in a water; nothing where it has."""
    if is_stabilised((t.quantity, t.value, t.qualifier) for t in seen.values()):
        return says("senseless.stabiliser")
    salinity = seen.get("salinity")
    if salinity is not None and salinity.value > 5:
        return says("senseless.sea-salt")
    return None


_SENSELESS: Mapping[str, Callable[[Visit], Said | None]] = {"stabiliser-or-sea-salt": not_with_stabiliser}


@read_once
def follows() -> Mapping[str, Follows]:
    """Return what follows from several readings, by quantity, in the order in which it is worked out."""
    entries = table("reading", "follows.toml").items()
    return {key: Follows(key, **entry | {"asked_by": tuple(entry.get("asked_by", ()))}) for key, entry in entries}


def asked_by(read: Iterable[str]) -> set[str]:
    """Return what a water wants worked out that asks for these quantities.

    Examples
    --------
    >>> asked_by(["ph", "hardness"])
    {'saturation-index'}
    """
    asking = set(read)
    return {key for key, way in follows().items() if asking & set(way.asked_by)}


def worked_out(seen: Visit) -> list[Worked]:
    """Return all that follows from several readings of a visit at one depth; what does not apply is left out.

    Examples
    --------
    >>> seen = {k: Taken(k, mg_l, 0.05) for k, mg_l in (("free-chlorine", 1.5), ("total-chlorine", 1.9))}
    >>> [(w.quantity, round(w.value, 2), round(w.budget.u, 3)) for w in worked_out(seen)]
    [('combined-chlorine', 0.4, 0.071)]
    """
    known, found = dict(seen), dict[str, Worked]()
    for key, way in follows().items():
        if key in seen or way.does_not_apply(known) or not set(way.inputs.values()) <= known.keys():
            continue
        if (one := (_worked if way.calculation else _difference)(way, known)) is not None:
            behind = (found[name].basis if name in found else (name,) for name in one.basis)
            found[key] = replace(one, basis=tuple(dict.fromkeys(b for names in behind for b in names if b)))
            known[key] = Taken(key, one.value, one.budget.u, one.qualifier)
    return list(found.values())


def _worked(way: Follows, seen: Visit) -> Worked | None:
    wanted = {**way.inputs, **{name: key for name, key in way.optional.items() if key in seen}}
    given: dict[str, Any] = {name: seen[key].value for name, key in wanted.items()}
    given |= {f"{name}_u": max(seen[key].u, _LEAST_U) for name, key in wanted.items()}
    said = {name: round(seen[key].value, quantity(key).decimals) for name, key in wanted.items()}
    try:
        answer = calculate(way.calculation, given, said=said)
    except InvalidInputs:
        return None
    about, budget = quantity(way.quantity), answer.budgets[way.output]
    slopes = {c.key: c.sensitivity for c in budget.contributions}
    sides = {_side(seen[key].qualifier, slopes.get(name, 0.0)) for name, key in wanted.items()} - {""}
    if len(sides) > 1:
        return None
    basis = tuple(seen[key].record or key for key in wanted.values())
    return Worked(
        way.quantity, float(answer.outputs[way.output]), _named(budget, wanted), about.unit, tuple(answer.working),
        basis, "".join(sides),
    )  # fmt: skip


_OTHER_SIDE = {"": "", "<": ">", ">": "<"}


def _side(qualifier: str, slope: float) -> str:
    """On which side of what is worked out its true value lies, where an input lies below or above what could be seen.

    Examples
    --------
    >>> _side("<", 0.04), _side("<", -1.0), _side("", 2.0)
    ('<', '>', '')
    """
    return _OTHER_SIDE[qualifier] if slope < 0 else qualifier


def _named(budget: Budget, wanted: Mapping[str, str]) -> Budget:
    """Return a budget whose inputs are called as people call them."""
    return Budget.of(
        [replace(c, key=f"reading.{key}", of=quantity(key).name) if (key := wanted.get(c.key)) else c
         for c in budget.contributions]
    )  # fmt: skip


def _difference(way: Follows, seen: Visit) -> Worked | None:
    """Work out the first less the second: it needs no calculation of its own."""
    unit = quantity(way.quantity).unit
    first, second = (seen[key] for key in way.inputs.values())
    sides = {_side(first.qualifier, 1.0), _side(second.qualifier, -1.0)} - {""}
    if len(sides) > 1:
        return None
    shares = [Contribution(f"reading.{t.quantity}", t.u, unit, s, quantity(t.quantity).name)
              for t, s in ((first, 1.0), (second, -1.0))]  # fmt: skip
    value, side = first.value - second.value, "".join(sides)
    terms = {name: Of(key, seen[key].value, seen[key].qualifier) for name, key in way.inputs.items()}
    said = says(way.difference, **terms, **{way.output: Of(way.quantity, value, side)})
    basis = tuple(t.record or t.quantity for t in (first, second))
    return Worked(way.quantity, value, Budget.of(shares), unit, (said,), basis, side)


def missing(seen: Visit, wanted: Sequence[str]) -> list[Missing]:
    """Return what of the wanted quantities can't be worked out yet, each with the shortest way to have it.

    Examples
    --------
    >>> seen = {"ph": Taken("ph", 7.4, 0.01), "temperature": Taken("temperature", 27.0, 0.1)}
    >>> missing(seen, ["hypochlorous-share"])[0].says.values["ways"][0].key
    'way.stabiliser'
    """
    found, contrary, ways_to = [], _contrary(seen), follows()
    for way in ways_to.values():
        if way.quantity not in wanted or way.quantity in seen:
            continue
        name = quantity(way.quantity).name
        if why := way.does_not_apply(seen):
            found.append(Missing(way.quantity, says("missing.senseless", of=name, why=why), applies=False))
            continue
        if way.quantity in contrary:
            said = says("missing.contrary", of=name, both=contrary[way.quantity])
            found.append(Missing(way.quantity, said, lacks=len(contrary[way.quantity])))
            continue
        lacking = [k for k in way.inputs.values() if k not in seen and not (k in ways_to and ways_to[k].main in seen)]
        if lacking:
            ways = tuple(says(f"way.{k}") if k in _SHORTEST else says("read", of=quantity(k).name) for k in lacking)
            found.append(Missing(way.quantity, says("missing.read", of=name, ways=ways), lacks=len(lacking)))
    return found


def _contrary(seen: Visit) -> dict[str, tuple[Of, ...]]:
    """Find what two bounds to opposite sides leave untold, with those bounds, by quantity."""
    worked = {w.quantity for w in worked_out(seen)}
    found: dict[str, tuple[Of, ...]] = {}
    for way in follows().values():
        bounds = [key for key in way.inputs.values() if key in seen and seen[key].qualifier]
        if len(bounds) > 1 and way.quantity not in worked and set(way.inputs.values()) <= seen.keys():
            found[way.quantity] = tuple(Of(key, seen[key].value, seen[key].qualifier, exact=True) for key in bounds)
    return found


def missing_everywhere(spots: Sequence[Visit], wanted: Sequence[str]) -> list[Missing]:
    """Return what could be worked out at none of several spots, each with the shortest way to have it at one.

    Examples
    --------
    >>> top = {"ph": Taken("ph", 7.4, 0.01), "temperature": Taken("temperature", 27.0, 0.1)}
    >>> [m.lacks for m in missing_everywhere([{}, top, {}], ["hypochlorous-share"])]
    [1]
    """
    each = [{m.quantity: m for m in missing(seen, wanted)} for seen in spots]
    return [
        min((found[key] for found in each), key=lambda m: m.lacks)
        for key in (each[0] if each else ())
        if all(key in found for found in each)
    ]
