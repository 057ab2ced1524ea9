"""The readings of one visit beside each other: what can't be together."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from brumel.core.findings import Finding, Level, beyond, worst_first
from brumel.core.place.water import Compensation
from brumel.core.quantities.oxygen import ATMOSPHERE_HPA, saturation_mg_l
from brumel.core.reading.together import Taken, Visit, not_with_stabiliser
from brumel.core.reckoning.answers import Answer, calculate
from brumel.core.reckoning.definition import InvalidInputs
from brumel.core.said import Amount, Named, Of, says, verbatim
from brumel.core.tables import table

if TYPE_CHECKING:
    from brumel.core.rules import Rules

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
class Contrary:
    """Conditions that can't hold together."""

    key: str
    bounds: tuple[tuple[str, float | None, float | None], ...]
    words: str
    remedy: str
    source: str

    def holds(self, seen: Visit) -> bool:
        """Say whether all of them do."""
        return all(
            key in seen
            and (above is None or (seen[key].value > above and seen[key].qualifier != "<"))
            and (below is None or (seen[key].value < below and seen[key].qualifier != ">"))
            for key, above, below in self.bounds
        )


def read_contrary() -> tuple[Contrary, ...]:
    """Read all pairs that can't be together."""
    return tuple(
        Contrary(
            key, tuple((c["quantity"], c.get("above"), c.get("below")) for c in entry["all"]), entry["words"],
            entry["remedy"], entry["source"],
        )
        for key, entry in table("reading", "contrary.toml").items()
    )  # fmt: skip


def judge_together(seen: Visit, water: Compensation, rules: Rules, *, asks_hocl: bool = False) -> list[Finding]:
    """Return what speaks against the readings of a visit beside each other, worst first."""
    return worst_first(
        [*_pairs(seen, rules), *_salinity(seen, water), *_oxygen(seen, water), *_chlorine(seen, asks_hocl)]
    )


def _pairs(seen: Visit, rules: Rules) -> Iterator[Finding]:
    for pair in rules.contrary:
        if pair.holds(seen):
            each = tuple(Of(key, seen[key].value) for key, _, _ in pair.bounds)
            said = says("together", each=each, why=pair.words)
            yield Finding(f"together-{pair.key}", Level.DOUBTFUL, said, verbatim(pair.remedy), 10, pair.source)


def _salinity(seen: Visit, water: Compensation) -> Iterator[Finding]:
    """Yield a salinity that was shown or measured otherwise, against PSS-78 of the same visit's conductivity."""
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
            says("together-salinity", given=Amount(shown.value, "", 2), expected=Amount(expected, "", 2),
                 apart=Amount(apart, "", 2), allowed=Amount(allowed, "", 2)),
            says("together-salinity.then"),
            10,
            Named("source", "pss-78"),
        )  # fmt: skip


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
        "no-salinity": 1.0 / by_salt,
        "salinity-twice": by_salt,
        "standard-percent": 1.0 / by_pressure,
        "pressure-twice": by_pressure,
    }
    ratio = mg_l.value / expected
    far = {key: abs(math.log(max(ratio, _LEAST_U) / factor)) for key, factor in causes.items()
           if abs(math.log(factor)) > _TELLS}  # fmt: skip
    cause = min(far, key=far.__getitem__, default="")
    told = bool(cause) and far[cause] < _TELLS
    why = says("together-oxygen.why", how=Named("oxygen-cause", cause)) if told else None
    yield Finding(
        "together-oxygen",
        Level.DOUBTFUL,
        says("together-oxygen", given=Amount(mg_l.value, "mg/L", 2), percent=Amount(percent.value, "%", 1),
             expected=Amount(expected, "mg/L", 2), warm=Amount(t, "°C", 1), pressure=Amount(p, "hPa", 0),
             salinity=Amount(s, "", 1), why=why),
        says("together-oxygen.then"),
        10,
        Named("source", "benson-krause"),
    )  # fmt: skip


def _chlorine(seen: Visit, asks_hocl: bool) -> Iterator[Finding]:
    combined = seen.get("combined-chlorine")
    if combined is not None and combined.qualifier != ">" and beyond(-combined.value, 2.0 * combined.u):
        yield Finding(
            "combined-negative",
            Level.UNFIT,
            says("combined-negative", by=Amount(-combined.value, "mg/L", 2), u=Amount(2 * combined.u, "", 2)),
            says("combined-negative.then"),
            10,
        )
    if asks_hocl and "free-chlorine" in seen and "stabiliser" not in seen and not not_with_stabiliser(seen):
        yield Finding(
            "stabiliser-missing",
            Level.DOUBTFUL,
            says("stabiliser-missing"),
            says("stabiliser-missing.then"),
            5,
        )
