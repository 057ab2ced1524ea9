"""The readings of one visit beside each other: what can't be together, what follows, what is missing."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from brumel.core.findings import Finding, Level, beyond, worst_first
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.limits import is_stabilised
from brumel.core.reading.water import Compensation
from brumel.core.reckoning.answers import Answer, calculate
from brumel.core.reckoning.definition import InvalidInputs
from brumel.core.tables import kept, table
from brumel.core.uncertainty import Budget, Contribution
from brumel.core.wording import upper_first

_HOUSE = "rule of this product"
_LEAST_U = 1e-12
_LEAST_PERCENT = 10.0
"""Below, a hundredth of a mg/L decides."""
_U_SATURATION = 0.02
"""Saturation changes by so much of itself a degree."""
_U_SALT = 0.006
"""And by so much of itself for each of salinity (25 °C: 12 % at 20)."""
_U_FRESH = 0.5
_USUAL_HPA, _U_USUAL_HPA = 980.0, 30.0
"""Station pressure where nobody gave it, from the sea to some 800 m (rule of this product)."""
_TELLS = 0.02
"""A correction that changes less, or lies so far off, is not told from a bad reading (rule of this product)."""


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
    """What can be worked out from several readings: a calculation of the registry, and what it takes.

    ``optional`` inputs are taken where they were read; ``factor`` brings an output to the quantity's unit.
    """

    quantity: str
    calculation: str
    output: str
    inputs: Mapping[str, str]
    optional: Mapping[str, str]
    why_not: Callable[[Visit], str] | None = None
    """Why it does not apply to this water; empty where it does."""

    def does_not_apply(self, seen: Visit) -> str:
        """Why it does not; empty where it does."""
        return self.why_not(seen) if self.why_not else ""


@dataclass(frozen=True)
class Worked:
    """A quantity that follows from a visit's readings, with its budget, working and what it rests on."""

    quantity: str
    value: float
    budget: Budget
    unit: str
    working: tuple[str, ...]
    basis: tuple[str, ...]
    qualifier: str = ""
    """``<`` or ``>`` where it follows from a value below or above what could be seen."""


def rests_on(bases: Sequence[tuple[str, Level]]) -> list[Finding]:
    """That a worked-out value rests on readings that are not sound: it is worth no more than the worst of them.

    Examples
    --------
    >>> rests_on([("pH 8.90", Level.DOUBTFUL), ("t 28.1 °C", Level.SOUND)])[0].sentence
    'It is worked out from pH 8.90, which is doubtful.'
    """
    return worst_first(
        Finding(
            "basis-doubtful" if level is Level.DOUBTFUL else "basis-unfit",
            level,
            f"It is worked out from {words}, which is {level}.",
            "See to that reading; what rests on it is worked out anew.",
            10,
            _HOUSE,
        )
        for words, level in bases
        if level is not Level.SOUND
    )


@dataclass(frozen=True)
class Missing:
    """A quantity that can't be worked out, and the shortest way to have it."""

    quantity: str
    sentence: str
    applies: bool = True
    """False where it has no sense here, whatever is read."""


def _not_with_stabiliser(seen: Visit) -> str:
    if is_stabilised((t.quantity, t.value, t.qualifier) for t in seen.values()):
        return (
            "does not apply with stabiliser: cyanuric acid holds most of the free chlorine. Judge free chlorine and "
            "stabiliser instead."
        )
    salinity = seen.get("salinity")
    if salinity is not None and salinity.value > 5:
        return "does not apply in sea salt: its bromide turns chlorine into hypobromous acid."
    return ""


_FOLLOWS = (
    Follows(
        "unionized-ammonia-n", "unionized-ammonia", "unionized_mg_l",
        {"tan_mg_l": "total-ammonia-n", "ph": "ph", "temperature_c": "temperature"}, {"salinity": "salinity"},
    ),
    Follows(
        "hypochlorous-share", "hypochlorous-fraction", "fraction_percent",
        {"ph": "ph", "temperature_c": "temperature", "cyanuric_acid_mg_l": "stabiliser"}, {"salinity": "salinity"},
        _not_with_stabiliser,
    ),
    Follows(
        "saturation-index", "saturation-index", "index",
        {"ph": "ph", "temperature_c": "temperature", "calcium_mg_l_caco3": "hardness",
         "alkalinity_mg_l_caco3": "alkalinity", "tds_mg_l": "dissolved-solids"},
        {"cyanuric_acid_mg_l": "stabiliser"},
    ),
    Follows(
        "density", "seawater-density", "density_kg_m3", {"salinity": "salinity", "temperature_c": "temperature"}, {},
    ),
)  # fmt: skip
"""What follows from several readings; what follows from one stands with it (:mod:`brumel.core.reading.derived`)."""
_INSTEAD: Mapping[str, str] = {"total-ammonia-n": "ammonium-n"}
"""What does as well: a tip sees the ion, and the total follows."""
_SHORTEST: Mapping[str, str] = {
    "salinity": "read the conductivity, with sea salt as the site's compensation",
    "dissolved-solids": "read the conductivity, with a factor of dissolved solids on the site's page, or type it",
    "stabiliser": "measure the stabiliser; none was ever added: type 0",
    "temperature": "type the temperature of the water",
}


def total_ammonia(seen: Visit) -> Worked | None:
    """Total ammonia from an ammonium tip, which sees only the ion."""
    if "total-ammonia-n" in seen or not {"ammonium-n", "ph", "temperature"} <= seen.keys():
        return None
    way = Follows(
        "total-ammonia-n", "ammonium-to-total", "tan_mg_l",
        {"ammonium_n_mg_l": "ammonium-n", "ph": "ph", "temperature_c": "temperature"}, {"salinity": "salinity"},
    )  # fmt: skip
    return _worked(way, seen)


def worked_out(seen: Visit) -> list[Worked]:
    """All that follows from several readings of a visit at one depth; what does not apply is left out.

    Examples
    --------
    >>> seen = {k: Taken(k, mg_l, 0.05) for k, mg_l in (("free-chlorine", 1.5), ("total-chlorine", 1.9))}
    >>> [(w.quantity, round(w.value, 2), round(w.budget.u, 3)) for w in worked_out(seen)]
    [('combined-chlorine', 0.4, 0.071)]
    """
    known, found = dict(seen), []
    for first in (total_ammonia(known), _combined(known)):
        if first is not None:
            found.append(first)
            known[first.quantity] = Taken(first.quantity, first.value, first.budget.u, first.qualifier)
    basis = {w.quantity: w.basis for w in found}
    for way in _FOLLOWS:
        if way.quantity in seen or way.does_not_apply(known):
            continue
        if (one := _worked(way, known)) is not None:
            named = tuple(dict.fromkeys(b for name in one.basis for b in basis.get(name, (name,)) if b))
            found.append(replace(one, basis=named))
    return found


def _worked(way: Follows, seen: Visit) -> Worked | None:
    wanted = {**way.inputs, **{name: key for name, key in way.optional.items() if key in seen}}
    if any(key not in seen for key in wanted.values()):
        return None
    given: dict[str, Any] = {name: seen[key].value for name, key in wanted.items()}
    given |= {f"{name}_u": max(seen[key].u, _LEAST_U) for name, key in wanted.items()}
    said = {name: round(seen[key].value, quantity(key).decimals) for name, key in wanted.items()}
    try:
        answer = calculate(way.calculation, given, said=said)
    except InvalidInputs:
        return None
    about, budget = quantity(way.quantity), answer.budgets[way.output]
    slopes = {c.name: c.sensitivity for c in budget.contributions}
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
    """A budget whose inputs are called as people call them."""
    named = {name: quantity(key).name for name, key in wanted.items()}
    return Budget.of([replace(c, name=named.get(c.name, c.name)) for c in budget.contributions])


def _combined(seen: Visit) -> Worked | None:
    """Combined chlorine: total less free; it has no calculation of its own, for it is a difference."""
    free, total = seen.get("free-chlorine"), seen.get("total-chlorine")
    if free is None or total is None or "combined-chlorine" in seen:
        return None
    sides = {_side(total.qualifier, 1.0), _side(free.qualifier, -1.0)} - {""}
    if len(sides) > 1:
        return None
    shares = [Contribution(quantity(t.quantity).name, t.u, "mg/L", s) for t, s in ((total, 1.0), (free, -1.0))]
    value = total.value - free.value
    side = "".join(sides)
    taken = f"total {total.qualifier}{total.value:.2f} − free {free.qualifier}{free.value:.2f}"
    words = f"{taken} = {side}{value:.2f} mg/L combined".replace("-", "−")
    return Worked("combined-chlorine", value, Budget.of(shares), "mg/L", (words,), (free.record, total.record), side)


def missing(seen: Visit, wanted: Sequence[str]) -> list[Missing]:
    """What of the wanted quantities can't be worked out yet, each with the shortest way to have it.

    Examples
    --------
    >>> seen = {"ph": Taken("ph", 7.4, 0.01), "temperature": Taken("temperature", 27.0, 0.1)}
    >>> missing(seen, ["hypochlorous-share"])[0].sentence
    'Hypochlorous share: measure the stabiliser; none was ever added: type 0.'
    """
    found, contrary = [], _contrary(seen)
    for way in _FOLLOWS:
        if way.quantity not in wanted or way.quantity in seen:
            continue
        name = upper_first(quantity(way.quantity).name)
        if why := way.does_not_apply(seen):
            found.append(Missing(way.quantity, f"{name} {why}", applies=False))
            continue
        if way.quantity in contrary:
            found.append(Missing(way.quantity, f"{name}: {contrary[way.quantity]}"))
            continue
        lacking = [k for k in way.inputs.values() if k not in seen and _INSTEAD.get(k) not in seen]
        if lacking:
            ways = "; ".join(_SHORTEST.get(k, f"read {quantity(k).name}") for k in lacking)
            found.append(Missing(way.quantity, f"{name}: {ways}."))
    return found


def _contrary(seen: Visit) -> dict[str, str]:
    """What can't be said because two of its values are bounds to opposite sides, with the sentence, by quantity."""
    worked, found = {w.quantity for w in worked_out(seen)}, {}
    for way in _FOLLOWS:
        bounds = [key for key in way.inputs.values() if key in seen and seen[key].qualifier]
        if len(bounds) > 1 and way.quantity not in worked and set(way.inputs.values()) <= seen.keys():
            both = " and ".join(quantity(key).exact_words(seen[key].value, seen[key].qualifier) for key in bounds)
            found[way.quantity] = f"{both} don't say on which side it lies; measure one of them in its range."
    return found


def missing_everywhere(spots: Sequence[Visit], wanted: Sequence[str]) -> list[Missing]:
    """What could be worked out at none of several spots, each with the shortest way to have it at one.

    Examples
    --------
    >>> top = {"ph": Taken("ph", 7.4, 0.01), "temperature": Taken("temperature", 27.0, 0.1)}
    >>> [m.sentence for m in missing_everywhere([{}, top, {}], ["hypochlorous-share"])]
    ['Hypochlorous share: measure the stabiliser; none was ever added: type 0.']
    """
    each = [{m.quantity: m for m in missing(seen, wanted)} for seen in spots]
    return [
        min((found[key] for found in each), key=lambda m: len(m.sentence))
        for key in (each[0] if each else ())
        if all(key in found for found in each)
    ]


@dataclass(frozen=True)
class Pair:
    """Conditions that can't hold together."""

    key: str
    bounds: tuple[tuple[str, float | None, float | None], ...]
    words: str
    remedy: str
    source: str

    def holds(self, seen: Visit) -> bool:
        """Whether all of them do."""
        return all(
            key in seen
            and (above is None or (seen[key].value > above and seen[key].qualifier != "<"))
            and (below is None or (seen[key].value < below and seen[key].qualifier != ">"))
            for key, above, below in self.bounds
        )


@kept
def pairs() -> tuple[Pair, ...]:
    """All pairs that can't be together."""
    return tuple(
        Pair(
            key, tuple((c["quantity"], c.get("above"), c.get("below")) for c in entry["all"]), entry["words"],
            entry["remedy"], entry["source"],
        )
        for key, entry in table("reading", "together.toml").items()
    )  # fmt: skip


def judge_together(seen: Visit, water: Compensation, *, asks_hocl: bool = False) -> list[Finding]:
    """What speaks against the readings of a visit beside each other, worst first."""
    return worst_first([*_pairs(seen), *_salinity(seen, water), *_oxygen(seen, water), *_chlorine(seen, asks_hocl)])


def _pairs(seen: Visit) -> Iterator[Finding]:
    for pair in pairs():
        if pair.holds(seen):
            said = upper_first(" and ".join(quantity(key).words(seen[key].value) for key, _, _ in pair.bounds))
            yield Finding(f"together-{pair.key}", Level.DOUBTFUL, f"{said}: {pair.words}", pair.remedy, 10, pair.source)


def _salinity(seen: Visit, water: Compensation) -> Iterator[Finding]:
    """A salinity that was shown or measured otherwise, against PSS-78 of the same visit's conductivity."""
    shown, behind, warm = seen.get("salinity"), seen.get("conductivity"), seen.get("temperature")
    if shown is None or behind is None or warm is None or not water.salt or shown.record == behind.record:
        return
    given = {
        "conductivity_ms_cm": behind.value / 1000.0, "conductivity_ms_cm_u": max(behind.u / 1000.0, _LEAST_U),
        "temperature_c": warm.value, "temperature_c_u": max(warm.u, _LEAST_U),
    }  # fmt: skip
    try:
        answer: Answer = calculate("salinity", given)
    except InvalidInputs:
        return
    expected, u = answer.outputs["salinity"], answer.budgets["salinity"].u
    apart, allowed = abs(shown.value - expected), 2.0 * math.hypot(u, shown.u)
    if beyond(apart, allowed):
        yield Finding(
            "together-salinity",
            Level.DOUBTFUL,
            f"Salinity {shown.value:.2f} was given, and the conductivity of this visit makes it {expected:.2f}: "
            f"{apart:.2f} apart, where {allowed:.2f} can be explained.",
            "See whether one of the two was compensated twice, then read both again.",
            10,
            "PSS-78",
        )


def _oxygen(seen: Visit, water: Compensation) -> Iterator[Finding]:
    """Oxygen in mg/L against percent of saturation, read apart: which correction was left out, or made twice."""
    mg_l, percent, warm = seen.get("oxygen"), seen.get("oxygen-saturation"), seen.get("temperature")
    if mg_l is None or percent is None or warm is None or mg_l.record == percent.record:
        return
    salt, pressure = seen.get("salinity"), seen.get("station-pressure")
    if percent.value < _LEAST_PERCENT or mg_l.qualifier or percent.qualifier or (salt is None and water.salt):
        return
    # Where nobody said: no salt where the site names none, and a pressure of any place where people keep fish.
    salt = salt or Taken("salinity", 0.0, _U_FRESH)
    pressure = pressure or Taken("station-pressure", _USUAL_HPA, _U_USUAL_HPA)
    t, p, s = warm.value, pressure.value, salt.value
    full = float(saturation_mg_l(t, p, s))
    expected = percent.value / 100.0 * full
    shares = (percent.u / percent.value, _U_SATURATION * warm.u, pressure.u / p, _U_SALT * salt.u)
    u = math.hypot(mg_l.u, expected * math.hypot(*shares))
    if not beyond(abs(mg_l.value - expected), 2.0 * u):
        return
    by_salt, by_pressure = full / float(saturation_mg_l(t, p)), full / float(saturation_mg_l(t, ATMOSPHERE_HPA, s))
    causes = {
        "the salinity was not corrected for in mg/L": 1.0 / by_salt,
        "the salinity was corrected for twice": by_salt,
        "the percent count from 1013.25 hPa, not from the station's pressure": 1.0 / by_pressure,
        "the pressure was corrected for twice": by_pressure,
    }
    ratio = mg_l.value / expected
    far = {words: abs(math.log(max(ratio, _LEAST_U) / factor)) for words, factor in causes.items()
           if abs(math.log(factor)) > _TELLS}  # fmt: skip
    cause = min(far, key=far.__getitem__, default="")
    said = f": {cause}" if cause and far[cause] < _TELLS else ""
    yield Finding(
        "together-oxygen",
        Level.DOUBTFUL,
        f"{mg_l.value:.2f} mg/L was given, and {percent.value:.1f} % of saturation makes it {expected:.2f} mg/L at "
        f"{t:.1f} °C, {p:.0f} hPa and salinity {s:.1f}{said}.",
        "Look at the salinity and the pressure that are set in the meter, then read both again.",
        10,
        "Benson & Krause 1984",
    )


def _chlorine(seen: Visit, asks_hocl: bool) -> Iterator[Finding]:
    combined = seen.get("combined-chlorine")
    if combined is not None and combined.qualifier != ">" and beyond(-combined.value, 2.0 * combined.u):
        yield Finding(
            "combined-negative",
            Level.UNFIT,
            f"Total chlorine lies below free by {-combined.value:.2f} mg/L, more than the two can explain "
            f"(U ±{2 * combined.u:.2f}, k = 2).",
            "Measure both again with fresh reagent in clean cells: free first, then total in the same cell.",
            10,
        )
    if asks_hocl and "free-chlorine" in seen and "stabiliser" not in seen and not _not_with_stabiliser(seen):
        yield Finding(
            "stabiliser-missing",
            Level.DOUBTFUL,
            "How much of the free chlorine acts can't be said: the stabiliser is not known.",
            "Measure the stabiliser; none was ever added: type 0.",
            5,
        )
