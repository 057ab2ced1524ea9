"""What follows from a visit's readings, worked out as they stand: anew where one was amended or removed."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Level
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.limits import Limit
from brumel.core.reading.together import Taken, rests_on, worked_out
from brumel.services.calibrating.stored import finding_rows
from brumel.services.clock import Clock
from brumel.services.visiting.anew import lean
from brumel.services.visiting.history import limits_at, limits_seen
from brumel.services.visiting.plain import Amending, Spot, worked_row
from brumel.services.visiting.rows import removal_row
from brumel.services.visiting.seen import seen_at, spots_of, standing
from brumel.store import visit_queries
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Person
from brumel.store.models.visit import ReadingBasis, Visit
from brumel.store.once import add_new


@dataclass
class _Rows:
    """What a look at visits adds: written at once at the end."""

    readings: list[dict[str, Any]] = field(default_factory=list)
    bases: list[dict[str, Any]] = field(default_factory=list)
    findings: list[dict[str, Any]] = field(default_factory=list)


def follow_visits(
    session: Session, visits: Sequence[Visit], person: Person, clock: Clock, amended: Collection[uuid.UUID] = ()
) -> None:
    """Work out what follows from the readings as they stand; what rests on an amended one is amended.

    What was corrected with an ``amended`` reading is corrected anew before, wherever it is. Any number of visits takes
    a handful of questions.
    """
    leaning = lean(session, clock, amended, person)
    visits = list((leaning | {v.id: v for v in visits}).values())
    at, ids = clock.now(), [v.id for v in visits]
    readings = visit_queries.readings_of_visits(session, ids)
    bases = visit_queries.bases_of_readings(session, Reading.visit_id.in_(ids))
    own = {site.id: limits_at(session, site) for v in visits if (site := v.site)}
    added = _Rows()
    for visit in visits:
        rows = standing(readings.get(visit.id, ()))
        limits = limits_seen(own.get(visit.site_id or visit.id, {}), rows)
        _follow(visit, rows, bases, limits, person, at, added)
    for model, new in ((Reading, added.readings), (ReadingFinding, added.findings), (ReadingBasis, added.bases)):
        add_new(session, model, new)


def _follow(
    visit: Visit, rows: Sequence[Reading], bases: Mapping[uuid.UUID, set[uuid.UUID]], limits: Mapping[str, Limit],
    person: Person, at: datetime, added: _Rows,
) -> None:  # fmt: skip
    for spot in spots_of(rows):
        given = seen_at([r for r in rows if r.source != Source.DERIVED], spot)
        known = {r.quantity: r for r in rows if r.source == Source.DERIVED and _spot(r) == spot}
        found_now = worked_out(given)
        for key in known.keys() - {w.quantity for w in found_now}:
            row = removal_row(known[key], uuid.uuid4(), "what it rested on was removed", person, at)
            added.readings.append(row)
        for found in found_now:
            basis = _records(given, found.basis)
            before = known.get(found.quantity)
            if before is not None and bases.get(before.id) == set(basis) and _same(before.value, found.value):
                continue
            why = Amending(before.id, "worked out anew") if before else Amending()
            behind = [r for r in rows if r.id in basis]
            findings = rests_on([(quantity(r.quantity).words(r.value), Level(r.level)) for r in behind])
            taken_at = max((r.taken_at for r in behind), default=at)
            row = worked_row(uuid.uuid4(), found, visit, person, taken_at, limits, spot, why, findings)
            added.readings.append(row | {"recorded_at": at})
            added.findings += [{"reading_id": row["id"], **f} for f in finding_rows(findings)]
            added.bases += [{"reading_id": row["id"], "basis_id": one} for one in basis]


def _same(a: float, b: float) -> bool:
    return abs(a - b) <= 1e-9 * max(abs(a), abs(b), 1e-9)


def _records(given: Mapping[str, Taken], names: Sequence[str]) -> list[uuid.UUID]:
    return list(dict.fromkeys(uuid.UUID(given[n].record if n in given else n) for n in names if n))


def _spot(reading: Reading) -> Spot:
    return Spot(reading.depth_m, reading.layer, reading.replicate)
