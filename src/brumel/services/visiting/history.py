"""A reading beside what its place has shown before, and beside what its water must keep."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from brumel.core.findings import Finding
from brumel.core.quantities.quantity import Quantity
from brumel.core.reading.jump import jump
from brumel.core.reading.limits import Limit, is_stabilised, keeps, limits_of, with_stabiliser, worst
from brumel.services.visiting.correcting import Corrected
from brumel.store import visit_queries
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Site

_LOOKED_AT = 20
"""So many earlier readings say what is usual at a place (rule of this product)."""


def jump_at(
    session: Session, site: Site | None, about: Quantity, value: float, u: float, at: datetime
) -> list[Finding]:
    """That a value is far from what its site has shown; nothing where little is known of it."""
    if site is None:
        return []
    before = visit_queries.values_at(session, visit_queries.Place(site.id), about.key, at, _LOOKED_AT)
    return jump(about, value, u, np.array(before))


def beside_history(session: Session, found: Corrected, site: Site | None, at: datetime) -> Corrected:
    """A corrected reading with what its site's history says of it."""
    if any(f.code == "site-range" for f in found.findings):
        return found  # said already
    return found.with_findings(jump_at(session, site, found.quantity, found.value, found.budget.u, at))


@dataclass(frozen=True)
class Value:
    """A value that a limit may be asked of."""

    quantity: str
    value: float
    u: float
    qualifier: str = ""


def limits_at(session: Session, site: Site | None) -> dict[str, Limit]:
    """The limits of a site's water by quantity: its kind's, or what a supervisor set for it."""
    if site is None:
        return {}
    own = [
        Limit(row.quantity, row.low, row.high, source=f"set for this site: {row.reason}")
        for row in visit_queries.site_limits(session, site.id)
    ]
    return limits_of(site.water_kind, own)


def limits_seen(own: Mapping[str, Limit], readings: Sequence[Reading]) -> Mapping[str, Limit]:
    """The limits of a water once it was read: with stabiliser in it more free chlorine is wanted."""
    stabilised = is_stabilised((r.quantity, r.value, r.qualifier) for r in readings)
    return with_stabiliser(own) if stabilised else own


def kept_limits(limits: Mapping[str, Limit], found: Corrected | Value) -> dict[str, Any]:
    """How a reading and what follows from it stand to the limits, as its row keeps it."""
    values = [found] if isinstance(found, Value) else _values(found)
    asked = [
        (v.quantity, keeps(limits[v.quantity], v.value, 2.0 * v.u, v.qualifier)) for v in values if v.quantity in limits
    ]
    plain = [
        {"quantity": key, "keeps": str(k.keeps), "sentence": k.sentence, "act": k.act, "source": limits[key].source}
        for key, k in asked
    ]
    return {"keeps": str(worst([k.keeps for _, k in asked]) or ""), "limits": plain}


def _values(found: Corrected) -> list[Value]:
    itself = Value(found.quantity.key, found.value, found.budget.u)
    return [itself, *(Value(d["quantity"], d["value"], d["u"]) for d in found.derived)]
