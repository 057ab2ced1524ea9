"""A reading beside what its place has shown before, and beside what its water must keep."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from brumel.core.findings import Finding
from brumel.core.quantities.quantity import Quantity
from brumel.core.reading.jump import jump
from brumel.core.reading.limits import Limit, is_stabilised, keeps, limits_of, with_stabiliser, worst
from brumel.core.said import as_plain
from brumel.core.words.catalogue import word
from brumel.services.house.rules import in_force
from brumel.services.probes.what_it_is import Logs
from brumel.services.readings.correct import Corrected
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Probe, Site
from brumel.store.queries import visit as visit_queries

_LOOKED_AT = 20
"""So many earlier readings say what is usual at a place (rule of this product)."""


@dataclass(frozen=True)
class Beforehand:
    """What is looked up once for all readings of a form: limits, logs of its probes, what its site has shown."""

    session: Session
    site: Site | None
    at: datetime
    limits: Mapping[str, Limit]
    logs: Logs
    _values: dict[str, list[float]]

    @classmethod
    def of(
        cls, session: Session, site: Site | None, at: datetime, probes: Iterable[Probe] = (),
        quantities: Collection[str] = (), read: Sequence[Reading] = (),
        typed: Mapping[str, tuple[float, str]] | None = None,
    ) -> Beforehand:  # fmt: skip
        """Look it up for these probes and quantities, where ``read`` was read already and ``typed`` comes with it."""
        limits = limits_seen(limits_at(session, site), read, typed)
        return cls(session, site, at, limits, Logs.read(session, probes), _values_of(session, site, at, quantities))

    def jump(self, about: Quantity, value: float, u: float) -> list[Finding]:
        """That a value is far from what its site has shown; nothing where little is known of it."""
        if about.key not in self._values:
            self._values.update(_values_of(self.session, self.site, self.at, [about.key]))
        return jump(about, value, u, np.array(self._values.get(about.key, ())))

    def beside_history(self, found: Corrected) -> Corrected:
        """Return a corrected reading with what its site's history says of it."""
        if any(f.code == "site-range" for f in found.findings):
            return found  # said already
        return found.with_findings(self.jump(found.quantity, found.value, found.budget.u))


def _values_of(session: Session, site: Site | None, at: datetime, keys: Collection[str]) -> dict[str, list[float]]:
    if site is None or not keys:
        return {}
    return visit_queries.values_at(session, visit_queries.TakenAt(site.id), keys, at, _LOOKED_AT)


@dataclass(frozen=True)
class Value:
    """A value that a limit may be asked of."""

    quantity: str
    value: float
    u: float
    qualifier: str = ""
    typed: bool = False
    """Whether somebody typed it as it stands."""


def limits_at(session: Session, site: Site | None) -> dict[str, Limit]:
    """Return the limits of a site's water by quantity: its kind's, or what a supervisor set for it."""
    if site is None:
        return {}
    own = [
        Limit(row.quantity, row.low, row.high, source=f"set for this site: {row.reason}")
        for row in visit_queries.site_limits(session, site.id)
    ]
    return limits_of(in_force(), site.water_kind, own)


def limits_seen(
    own: Mapping[str, Limit], readings: Sequence[Reading], typed: Mapping[str, tuple[float, str]] | None = None
) -> Mapping[str, Limit]:
    """Return the limits of a water once it was read: with stabiliser in it more free chlorine is wanted.

    ``typed`` are values and qualifiers that come in the same save, in the place of what was read before.
    """
    known = {r.quantity: (r.value, r.qualifier) for r in readings} | dict(typed or {})
    return with_stabiliser(own) if is_stabilised((key, *value) for key, value in known.items()) else own


def judged_anew(own: Mapping[str, Limit], now: Mapping[str, Limit], reading: Reading) -> dict[str, Any] | None:
    """Say how a reading stands to its limits, where one hangs on what was read, amended or removed since; else None.

    One that was judged by what a supervisor has changed meanwhile keeps its judgement.
    """
    if reading.quantity not in own or not own[reading.quantity].low_with_stabiliser:
        return None
    value = Value(reading.quantity, reading.value, reading.u, reading.qualifier, typed=reading.as_typed)
    found = kept_limits(now, value)
    was, new = _judged_by(reading.limits), _judged_by(found["limits"])
    before = [_judged_by(kept_limits(limits, value)["limits"]) for limits in (own, with_stabiliser(own))]
    if any(said is None for *_, said in was):  # an older record does not say by which limit
        return found if [w[:2] for w in was] != [n[:2] for n in new] else None
    return found if was in before and was != new else None


def _judged_by(limits: Sequence[Mapping[str, Any]]) -> list[tuple[str, str, Any]]:
    """By which limit each was judged, and how; what it says by keys is None in an older record."""
    return [(one["quantity"], one["keeps"], one.get("said")) for one in limits]


def kept_limits(limits: Mapping[str, Limit], found: Corrected | Value) -> dict[str, Any]:
    """Say how a reading and what follows from it stand to the limits, as its row keeps it."""
    values = [found] if isinstance(found, Value) else _values(found)
    asked = [
        (v.quantity, keeps(limits[v.quantity], v.value, 2.0 * v.u, v.qualifier, typed=v.typed))
        for v in values
        if v.quantity in limits
    ]
    plain = [
        {
            "quantity": key,
            "keeps": str(k.keeps),
            "sentence": str(word(k.says)),
            "said": as_plain(k.says),
            "act": k.act,
            "source": limits[key].source,
        }
        for key, k in asked
    ]
    return {"keeps": str(worst([k.keeps for _, k in asked]) or ""), "limits": plain}


def _values(found: Corrected) -> list[Value]:
    itself = Value(found.quantity.key, found.value, found.budget.u)
    return [itself, *(Value(d["quantity"], d["value"], d["u"]) for d in found.derived)]
