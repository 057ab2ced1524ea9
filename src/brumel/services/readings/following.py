"""What follows from a visit's readings, worked out as they stand: anew where one was amended or removed."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Level
from brumel.core.reading.limits import Limit
from brumel.core.reading.together import Taken, rests_on, worked_out
from brumel.services.clock import Clock
from brumel.services.readings.again import lean
from brumel.services.readings.given_value import Amending, Spot, worked_row
from brumel.services.readings.history import judged_anew, limits_at, limits_seen
from brumel.services.readings.row import in_place_of, removal_row
from brumel.services.readings.standing import seen_at, spots_of, standing
from brumel.services.said import finding_rows, stored_findings
from brumel.store.add_fact import add_new
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Person
from brumel.store.models.visit import ReadingBasis, Visit
from brumel.store.queries import visit as visit_queries


@dataclass
class _Rows:
    """What a look at visits adds: written at once at the end."""

    readings: list[dict[str, Any]] = field(default_factory=list)
    bases: list[dict[str, Any]] = field(default_factory=list)
    findings: list[dict[str, Any]] = field(default_factory=list)

    def record(self, session: Session) -> None:
        """Write them."""
        for model, new in ((Reading, self.readings), (ReadingFinding, self.findings), (ReadingBasis, self.bases)):
            add_new(session, model, new)


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
    if _judge_anew(session, visits, own, readings, bases, person, at):
        readings = visit_queries.readings_of_visits(session, ids)
    added = _Rows()
    for visit in visits:
        rows = standing(readings.get(visit.id, ()))
        of_site = own.get(visit.site_id or visit.id, {})
        limits = limits_seen(of_site, rows)
        _follow(visit, rows, bases, limits, person, at, added)
    added.record(session)


def _judge_anew(
    session: Session, visits: Sequence[Visit], own: Mapping[uuid.UUID, Mapping[str, Limit]],
    readings: Mapping[uuid.UUID, Sequence[Reading]], bases: Mapping[uuid.UUID, set[uuid.UUID]], person: Person,
    at: datetime,
) -> bool:  # fmt: skip
    """Amend readings whose limit hangs on what was read, amended or removed since; whether there were any."""
    added = _Rows()
    for visit in visits:
        rows, of_site = standing(readings.get(visit.id, ())), own.get(visit.site_id or visit.id, {})
        for r in rows:
            if (found := judged_anew(of_site, limits_seen(of_site, rows), r)) is not None:
                row = in_place_of(r, uuid.uuid4(), "what its limit hangs on was read or amended", person) | found
                added.readings.append(row)
                added.findings += [{"reading_id": row["id"], **f} for f in finding_rows(stored_findings(r.findings))]
                added.bases += [{"reading_id": row["id"], "basis_id": one} for one in bases.get(r.id, ())]
    added.record(session)
    return bool(added.readings)


def _follow(
    visit: Visit, rows: Sequence[Reading], bases: Mapping[uuid.UUID, set[uuid.UUID]], limits: Mapping[str, Limit],
    person: Person, at: datetime, added: _Rows,
) -> None:  # fmt: skip
    for spot in spots_of(rows):
        given = seen_at([r for r in rows if r.source != Source.DERIVED], spot)
        known = {r.quantity: r for r in rows if r.source == Source.DERIVED and _spot(r) == spot}
        found_now = worked_out(given)
        for key in known.keys() - {w.quantity for w in found_now}:
            row = removal_row(known[key], uuid.uuid4(), "what it rested on was removed", person)
            added.readings.append(row)
        for found in found_now:
            basis = _records(given, found.basis)
            before = known.get(found.quantity)
            if (
                before is not None
                and bases.get(before.id) == set(basis)
                and same_number(before.value, found.value)
                and before.qualifier == found.qualifier
            ):
                continue
            why = Amending(before.id, "worked out anew") if before else Amending()
            behind = [r for r in rows if r.id in basis]
            findings = rests_on([(r.words, Level(r.level)) for r in behind])
            taken_at = max((r.taken_at for r in behind), default=at)
            row = worked_row(uuid.uuid4(), found, visit, person, taken_at, limits, spot, why, findings)
            added.readings.append(row)
            added.findings += [{"reading_id": row["id"], **f} for f in finding_rows(findings)]
            added.bases += [{"reading_id": row["id"], "basis_id": one} for one in basis]


def same_number(a: float, b: float) -> bool:
    """Tell whether two numbers differ by no more than how they are counted."""
    return abs(a - b) <= 1e-9 * max(abs(a), abs(b), 1e-9)


def _records(given: Mapping[str, Taken], names: Sequence[str]) -> list[uuid.UUID]:
    return list(dict.fromkeys(uuid.UUID(given[n].record if n in given else n) for n in names if n))


def _spot(reading: Reading) -> Spot:
    return Spot(reading.depth_m, reading.layer, reading.replicate)
