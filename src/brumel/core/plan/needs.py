"""Which standards a round needs, from the waters it goes to; how much of each; what on the shelf serves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from brumel.core.methods.model import Rinse, Role

CONDUCTIVITY_STANDARDS = (84.0, 147.0, 1413.0, 12_880.0, 80_000.0, 111_800.0)
"""Potassium chloride standards as they are sold, µS/cm at 25 °C (common practice)."""
PARAMETERS = ("pH", "oxygen", "conductivity", "ORP", "ammonium", "nitrate", "chlorine", "temperature")
"""What a round can measure, in the order of a list."""
UNITS = {
    "pH": "", "oxygen": "mg/L", "conductivity": "µS/cm", "ORP": "mV", "ammonium": "mg/L", "nitrate": "mg/L",
    "chlorine": "mg/L", "temperature": "°C",
}  # fmt: skip
"""Unit of each parameter's expected range; conductivity at 25 °C, ions as N, ORP as shown against Ag/AgCl."""
_NEUTRAL_PH = 7.0
_FAR_ABOVE = 30.0
"""A conductivity standard so many times above the water says little about it (rule of this product)."""
_DECADE = 8.0
"""Two ion standards at least so far apart count as a decade (rule of this product)."""


@dataclass(frozen=True)
class Expected:
    """What a site is expected to show of one parameter."""

    site: str
    parameter: str
    low: float
    high: float


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
    waters: Sequence[Expected], probes: Mapping[str, int], offers: Sequence[Offer], rinse: Rinse
) -> list[Need]:
    """What a round needs, in the order of :data:`PARAMETERS`.

    Parameters
    ----------
    waters
        What the sites are expected to show.
    probes
        How many probes of each parameter go along.
    offers
        The lots that serve.
    rinse
        The rinse regime: it says how much of a standard one point takes.

    Examples
    --------
    >>> from brumel.core.methods.model import rinses
    >>> pond, spring = Expected("Pond", "conductivity", 20e3, 42e3), Expected("Spring", "conductivity", 30, 70)
    >>> found = needs_of([pond, spring], {"conductivity": 1}, [], rinses()["distilled-once"])
    >>> [n.what for n in found]
    ['conductivity standard 84 µS/cm', 'conductivity standard 80\u202f000 µS/cm']
    """
    maker = _Maker(waters, probes, offers, rinse)
    by_parameter = {
        "pH": maker.buffers, "conductivity": maker.conductivity, "ORP": maker.redox, "oxygen": maker.zero,
        "ammonium": maker.ions, "nitrate": maker.ions, "chlorine": maker.tablets,
    }  # fmt: skip
    return [need for p in PARAMETERS if probes.get(p) and p in by_parameter for need in by_parameter[p](p, probes[p])]


@dataclass(frozen=True)
class _Maker:
    waters: Sequence[Expected]
    probes: Mapping[str, int]
    offers: Sequence[Offer]
    rinse: Rinse

    def buffers(self, parameter: str, probes: int) -> list[Need]:
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
            found.append(self._need(f"pH buffer, {role}", probes, fitting, beyond))
        return found

    def conductivity(self, parameter: str, probes: int) -> list[Need]:
        """For each water the nearest standard above it; one standard serves all waters below it down to the next."""
        wanted: dict[float, float] = {}
        for water in self._of(parameter):
            above = next((s for s in CONDUCTIVITY_STANDARDS if s >= water.high), CONDUCTIVITY_STANDARDS[-1])
            wanted[above] = max(wanted.get(above, 0.0), water.high)
        found = []
        for nominal, high in sorted(wanted.items()):
            on_shelf = sorted(
                (o for o in self.offers if o.standard == "conductivity" and (o.value or 0) >= min(high, nominal)),
                key=lambda o: o.value or 0.0,
            )
            nearest = [o for o in on_shelf if o.value == on_shelf[0].value]
            caution = ""
            if nearest and (nearest[0].value or 0.0) > _FAR_ABOVE * high:
                caution = f"The nearest on the shelf is {_number(nearest[0].value)} µS/cm, far above this water."
            elif high > CONDUCTIVITY_STANDARDS[-1]:
                caution = f"The water reaches {_number(high)} µS/cm, above every standard."
            found.append(self._need(f"conductivity standard {_number(nominal)} µS/cm", probes, nearest, caution))
        return found

    def redox(self, parameter: str, probes: int) -> list[Need]:
        """One check solution."""
        return [self._need("ORP standard", probes, [o for o in self.offers if o.standard == "orp"])]

    def zero(self, parameter: str, probes: int) -> list[Need]:
        """The zero solution; the other point is taken in water-saturated air."""
        return [self._need("oxygen zero", probes, [o for o in self.offers if o.standard == "oxygen-zero"])]

    def ions(self, parameter: str, probes: int) -> list[Need]:
        """A high and a low standard, a decade apart, with the waters between them."""
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

    def tablets(self, parameter: str, probes: int) -> list[Need]:
        """One reagent tablet a reading."""
        fitting = [o for o in self.offers if o.standard == "chlorine-reagent"]
        return [self._need("chlorine reagent", max(len(self._of(parameter)), 1), fitting)]

    def _of(self, parameter: str) -> list[Expected]:
        return [w for w in self.waters if w.parameter == parameter]

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


def _number(value: float | None) -> str:
    return f"{value or 0.0:,.10g}".replace(",", "\u202f" if (value or 0.0) >= 10_000 else "")
