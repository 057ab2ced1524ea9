"""Which standards a round needs, from the waters it goes to; how much of each; what on the shelf serves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from brumel.core.calibrating.procedure import Rinse, Role
from brumel.core.kit.kinds import Standards
from brumel.core.kit.shelf import standards
from brumel.core.plan.waters import Expected, Going
from brumel.core.quantities.quantity import of_a_round, quantity
from brumel.core.wording import grouped

if TYPE_CHECKING:
    from brumel.core.rules import Rules

_FAR_ABOVE = 30.0
"""A conductivity standard so many times above the water says little about it (rule of this product)."""
_DECADE = 8.0
"""Two ion standards at least so far apart count as a decade (rule of this product)."""


@dataclass(frozen=True)
class Offer:
    """A lot on the shelf that serves; ``left`` counts in ``unit``, mL or sachets or tablets, None where nobody does."""

    key: str
    standard: str
    family: str
    value: float | None
    left: float | None
    unit: str = "mL"


@dataclass(frozen=True)
class Need:
    """A standard to take along.

    Attributes
    ----------
    what
        What it is for people: ``pH buffer, acid``.
    points
        Calibration points, or readings, that take of it.
    amount, unit
        How much that is: mL, or one sachet or tablet a point.
    lots
        Keys of the lots that serve, the best first.
    caution
        What is wrong with what there is; empty where nothing is.
    """

    what: str
    points: int
    amount: float
    unit: str
    lots: tuple[str, ...]
    caution: str = ""


def needs_of(
    waters: Sequence[Expected], going: Sequence[Going], offers: Sequence[Offer], rinse: Rinse, rules: Rules
) -> list[Need]:
    """Return what a round needs, in the order of what a round can measure.

    Parameters
    ----------
    waters
        What the sites are expected to show.
    going
        The probes that go along, each for its sites.
    offers
        The lots that serve.
    rinse
        The rinse regime: it says how much of a standard one point takes.

    Examples
    --------
    >>> from brumel.core.shipped_rules import shipped
    >>> key = "specific-conductance"
    >>> pond, spring = Expected("Pond", key, 20e3, 42e3), Expected("Spring", key, 30, 70)
    >>> cell = Going("A-EC", key, ("Pond", "Spring"), shipped().kind("conductivity-1").standards)
    >>> found = needs_of([pond, spring], [cell], [], shipped().rinses["distilled-once"], shipped())
    >>> [n.what for n in found]
    ['conductivity standard 84 µS/cm', 'conductivity standard 80\u202f000 µS/cm']
    """
    maker = _Maker(waters, going, offers, rinse, rules)
    ways = {
        "sides": maker.sides, "next-above": maker.next_above, "one": maker.one, "decade": maker.decade,
        "each-reading": maker.each_reading,
    }  # fmt: skip
    taken = {g.quantity: g.standards for g in reversed(going) if g.standards is not None}
    return [need for q in of_a_round() if (s := taken.get(q.key)) for need in ways[s.how](q.key, s)]


@dataclass(frozen=True)
class _Maker:
    waters: Sequence[Expected]
    going: Sequence[Going]
    offers: Sequence[Offer]
    rinse: Rinse
    rules: Rules

    def sides(self, key: str, wanted: Standards) -> list[Need]:
        """Return a neutral standard, and one on each side that the waters are on; all of one family."""
        reach = self._reach(key)
        low, high = reach or (0.0, 0.0)
        roles = self.rules.roles
        side = roles["water-side"]
        middle = side.middle or 0.0
        chosen = [roles["neutral"]]
        chosen += [roles[side.lower]] if low < middle or not reach else []
        chosen += [roles[side.higher]] if high > middle or not reach else []
        buffers = [o for o in self._on_shelf(wanted) if o.value is not None]
        family = _one_family(chosen, buffers)
        about = quantity(key)
        found = []
        for role in chosen:
            fitting = [o for o in buffers if o.family == family and role.admits(o.standard, o.value, o.family)]
            beyond = ""
            if fitting and role.key == side.lower and low < min(o.value or 0 for o in fitting):
                beyond = f"The waters reach down to {about.symbol} {low:g}, below this buffer."
            if fitting and role.key == side.higher and high > max(o.value or 0 for o in fitting):
                beyond = f"The waters reach up to {about.symbol} {high:g}, above this buffer."
            found.append(self._need(f"{_name(wanted)}, {role.key}", self._probes(key), fitting, beyond))
        return found

    def next_above(self, key: str, wanted: Standards) -> list[Need]:
        """For each water the nearest standard above it; one standard serves all waters below it down to the next."""
        highest: dict[float, float] = {}
        cells: dict[float, set[str]] = {}
        unit = quantity(key).unit
        for water in self._of(key):
            above = next((s for s in wanted.sold if s >= water.high), wanted.sold[-1])
            highest[above] = max(highest.get(above, 0.0), water.high)
            cells.setdefault(above, set()).update(g.label for g in self._own(key) if water.site in g.sites)
        found = []
        for nominal, high in sorted(highest.items()):
            offers = [o for o in self._on_shelf(wanted) if o.value and o.value >= min(high, nominal)]
            nearest = min((o.value for o in offers if o.value), default=0.0)
            caution = ""
            if nearest > _FAR_ABOVE * high:
                caution = f"The nearest on the shelf is {grouped(nearest)} {unit}, far above this water."
            elif high > wanted.sold[-1]:
                caution = f"The water reaches {grouped(high)} {unit}, above every standard."
            what = f"{_name(wanted)} {grouped(nominal)} {unit}"
            found.append(self._need(what, len(cells[nominal]), [o for o in offers if o.value == nearest], caution))
        return found

    def one(self, key: str, wanted: Standards) -> list[Need]:
        """Return one solution; a further point needs none of the shelf."""
        return [self._need(_name(wanted), self._probes(key), self._on_shelf(wanted))]

    def decade(self, key: str, wanted: Standards) -> list[Need]:
        """Return a high and a low standard, a decade apart, with the waters between them."""
        unit = quantity(key).unit
        probes = self._probes(key)
        offers = [o for o in self._on_shelf(wanted) if o.value]
        values = sorted(o.value for o in offers if o.value)
        if not values:
            return [self._need(f"{_name(wanted)}, {side}", probes, []) for side in ("low", "high")]
        low, high = self._reach(key) or (values[0], values[-1])
        bottom = max((v for v in values if v <= low), default=values[0])
        reach = max(high, _DECADE * bottom)
        top = next((v for v in values if v >= reach), values[-1])
        low_caution = "" if bottom <= low else f"The waters go down to {low:g} {unit}, below this standard."
        high_caution = "" if top >= reach else f"No standard a decade higher reaches {high:g} {unit}."
        return [
            self._need(f"{_name(wanted)}, low", probes, [o for o in offers if o.value == bottom], low_caution),
            self._need(
                f"{_name(wanted)}, high",
                probes,
                [o for o in offers if o.value == top and o.value != bottom],
                high_caution,
            ),
        ]

    def each_reading(self, key: str, wanted: Standards) -> list[Need]:
        """Return one piece a reading."""
        return [self._need(_name(wanted), max(len(self._of(key)), 1), self._on_shelf(wanted))]

    def _on_shelf(self, wanted: Standards) -> list[Offer]:
        return [o for o in self.offers if o.standard == wanted.of]

    def _own(self, key: str) -> list[Going]:
        return [g for g in self.going if g.quantity == key]

    def _probes(self, key: str) -> int:
        return len(self._own(key))

    def _of(self, key: str) -> list[Expected]:
        """Return what is expected of a quantity where a probe goes for it."""
        measured = {site for g in self._own(key) for site in g.sites}
        return [w for w in self.waters if w.quantity == key and w.site in measured]

    def _reach(self, key: str) -> tuple[float, float] | None:
        own = self._of(key)
        return (min(w.low for w in own), max(w.high for w in own)) if own else None

    def _need(self, what: str, points: int, fitting: Sequence[Offer], caution: str = "") -> Need:
        unit = fitting[0].unit if fitting else "mL"
        amount = points * (self.rinse.ml_per_point if unit == "mL" else 1.0)
        if not fitting:
            return Need(what, points, amount, unit, (), "No lot on the shelf serves: see the shopping list.")
        fitting = [o for o in fitting if o.unit == unit]
        enough = [o for o in fitting if o.left is None or o.left >= amount]
        if not enough:
            left = sum(o.left for o in fitting if o.left is not None)
            caution = caution or f"Only {left:g} {unit} left in all of them, none has enough alone."
        return Need(what, points, amount, unit, tuple(o.key for o in (enough or fitting)), caution)


def _name(wanted: Standards) -> str:
    return standards()[wanted.of].name


def _one_family(chosen: Sequence[Role], buffers: Sequence[Offer]) -> str:
    """One family for the whole day, for families are not mixed: that which serves most roles, then has most left."""

    def worth(family: str) -> tuple[int, float]:
        own = [o for o in buffers if o.family == family]
        served = sum(any(role.admits(o.standard, o.value, o.family) for o in own) for role in chosen)
        return served, sum(o.left for o in own if o.left is not None)

    return max(sorted({o.family for o in buffers}), key=worth, default="")
