"""Which standards a round needs, from the waters it goes to; how much of each; what on the shelf serves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from brumel.core.methods.model import Rinse, Role
from brumel.core.plan.waters import PARAMETERS, Expected, Going
from brumel.core.wording import grouped

CONDUCTIVITY_STANDARDS = (84.0, 147.0, 1413.0, 12_880.0, 80_000.0, 111_800.0)
"""Potassium chloride standards as they are sold, µS/cm at 25 °C (common practice)."""
_NEUTRAL_PH = 7.0
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


def needs_of(waters: Sequence[Expected], going: Sequence[Going], offers: Sequence[Offer], rinse: Rinse) -> list[Need]:
    """What a round needs, in the order of :data:`PARAMETERS`.

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
    >>> from brumel.core.methods.model import rinses
    >>> pond, spring = Expected("Pond", "conductivity", 20e3, 42e3), Expected("Spring", "conductivity", 30, 70)
    >>> cell = Going("A-EC", "conductivity", ("Pond", "Spring"))
    >>> found = needs_of([pond, spring], [cell], [], rinses()["distilled-once"])
    >>> [n.what for n in found]
    ['conductivity standard 84 µS/cm', 'conductivity standard 80\u202f000 µS/cm']
    """
    maker = _Maker(waters, going, offers, rinse)
    by_parameter = {
        "pH": maker.buffers, "conductivity": maker.conductivity, "ORP": maker.redox, "oxygen": maker.zero,
        "ammonium": maker.ions, "nitrate": maker.ions, "chlorine": maker.tablets,
    }  # fmt: skip
    measured = {g.parameter for g in going}
    return [need for p in PARAMETERS if p in measured and p in by_parameter for need in by_parameter[p](p)]


@dataclass(frozen=True)
class _Maker:
    waters: Sequence[Expected]
    going: Sequence[Going]
    offers: Sequence[Offer]
    rinse: Rinse

    def buffers(self, parameter: str) -> list[Need]:
        """A neutral buffer, and one on each side that the waters are on; all of one family."""
        reach = self._reach(parameter)
        low, high = reach or (_NEUTRAL_PH, _NEUTRAL_PH)
        roles = [Role.NEUTRAL]
        roles += [Role.ACID] if low < _NEUTRAL_PH or not reach else []
        roles += [Role.ALKALINE] if high > _NEUTRAL_PH or not reach else []
        buffers = [o for o in self.offers if o.standard == "ph-buffer" and o.value is not None]
        family = _one_family(roles, buffers)
        found = []
        for role in roles:
            fitting = [o for o in buffers if o.family == family and o.value and role.admits(o.value)]
            beyond = ""
            if fitting and role is Role.ACID and low < min(o.value or 0 for o in fitting):
                beyond = f"The waters reach down to pH {low:g}, below this buffer."
            if fitting and role is Role.ALKALINE and high > max(o.value or 0 for o in fitting):
                beyond = f"The waters reach up to pH {high:g}, above this buffer."
            found.append(self._need(f"pH buffer, {role}", self._probes(parameter), fitting, beyond))
        return found

    def conductivity(self, parameter: str) -> list[Need]:
        """For each water the nearest standard above it; one standard serves all waters below it down to the next."""
        wanted: dict[float, float] = {}
        cells: dict[float, set[str]] = {}
        for water in self._of(parameter):
            above = next((s for s in CONDUCTIVITY_STANDARDS if s >= water.high), CONDUCTIVITY_STANDARDS[-1])
            wanted[above] = max(wanted.get(above, 0.0), water.high)
            cells.setdefault(above, set()).update(g.label for g in self._own(parameter) if water.site in g.sites)
        found = []
        for nominal, high in sorted(wanted.items()):
            on_shelf = sorted(
                (o for o in self.offers if o.standard == "conductivity" and (o.value or 0) >= min(high, nominal)),
                key=lambda o: o.value or 0.0,
            )
            nearest = [o for o in on_shelf if o.value == on_shelf[0].value]
            caution = ""
            if nearest and (nearest[0].value or 0.0) > _FAR_ABOVE * high:
                caution = f"The nearest on the shelf is {grouped(nearest[0].value or 0.0)} µS/cm, far above this water."
            elif high > CONDUCTIVITY_STANDARDS[-1]:
                caution = f"The water reaches {grouped(high)} µS/cm, above every standard."
            what = f"conductivity standard {grouped(nominal)} µS/cm"
            found.append(self._need(what, len(cells[nominal]), nearest, caution))
        return found

    def redox(self, parameter: str) -> list[Need]:
        """One check solution."""
        return [self._need("ORP standard", self._probes(parameter), [o for o in self.offers if o.standard == "orp"])]

    def zero(self, parameter: str) -> list[Need]:
        """The zero solution; the other point is taken in water-saturated air."""
        return [
            self._need("oxygen zero", self._probes(parameter), [o for o in self.offers if o.standard == "oxygen-zero"])
        ]

    def ions(self, parameter: str) -> list[Need]:
        """A high and a low standard, a decade apart, with the waters between them."""
        probes = self._probes(parameter)
        offers = sorted((o for o in self.offers if o.standard == parameter and o.value), key=lambda o: o.value or 0.0)
        if not offers:
            return [self._need(f"{parameter} standard, {side}", probes, []) for side in ("low", "high")]
        low, high = self._reach(parameter) or (offers[0].value or 0.0, offers[-1].value or 0.0)
        lower = [o for o in offers if (o.value or 0.0) <= low] or offers
        bottom = lower[-1].value if lower is not offers else offers[0].value
        upper = [o for o in offers if (o.value or 0.0) >= max(high, _DECADE * (bottom or 0.0))]
        top = upper[0].value if upper else offers[-1].value
        low_caution = "" if (bottom or 0.0) <= low else f"The waters go down to {low:g} mg/L, below this standard."
        high_caution = "" if upper else f"No standard a decade higher reaches {high:g} mg/L."
        return [
            self._need(f"{parameter} standard, low", probes, [o for o in offers if o.value == bottom], low_caution),
            self._need(
                f"{parameter} standard, high",
                probes,
                [o for o in offers if o.value == top and o.value != bottom],
                high_caution,
            ),
        ]

    def tablets(self, parameter: str) -> list[Need]:
        """One reagent tablet a reading."""
        fitting = [o for o in self.offers if o.standard == "chlorine-reagent"]
        return [self._need("chlorine reagent", max(len(self._of(parameter)), 1), fitting)]

    def _own(self, parameter: str) -> list[Going]:
        return [g for g in self.going if g.parameter == parameter]

    def _probes(self, parameter: str) -> int:
        return len(self._own(parameter))

    def _of(self, parameter: str) -> list[Expected]:
        """What is expected of a parameter where a probe goes for it."""
        measured = {site for g in self._own(parameter) for site in g.sites}
        return [w for w in self.waters if w.parameter == parameter and w.site in measured]

    def _reach(self, parameter: str) -> tuple[float, float] | None:
        own = self._of(parameter)
        return (min(w.low for w in own), max(w.high for w in own)) if own else None

    def _need(self, what: str, points: int, fitting: Sequence[Offer], caution: str = "") -> Need:
        unit = fitting[0].unit if fitting else "mL"
        amount = points * (self.rinse.ml_per_point if unit == "mL" else 1.0)
        if not fitting:
            return Need(what, points, amount, unit, (), "No lot on the shelf serves: see the shopping list.")
        fitting = [o for o in fitting if o.unit == unit]
        enough = [o for o in fitting if o.left is None or o.left >= amount]
        if not enough:
            left = sum(o.left or 0.0 for o in fitting)
            caution = caution or f"Only {left:g} {unit} left in all of them, none has enough alone."
        return Need(what, points, amount, unit, tuple(o.key for o in (enough or fitting)), caution)


def _one_family(roles: Sequence[Role], buffers: Sequence[Offer]) -> str:
    """One family for the whole day, for families are not mixed: that which serves most roles, then has most left."""

    def worth(family: str) -> tuple[int, float]:
        own = [o for o in buffers if o.family == family]
        served = sum(any(o.value and role.admits(o.value) for o in own) for role in roles)
        return served, sum(o.left or 0.0 for o in own)

    return max(sorted({o.family for o in buffers}), key=worth, default="")
