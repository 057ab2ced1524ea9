"""The care log: what an entry says, what is found on the spot, and how it is stored."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Finding
from brumel.core.kit.care import REFERENCE_CHANGES, Care
from brumel.core.kit.kinds import ProbeKind, storage_finding
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput
from brumel.services.probes import what_it_is
from brumel.services.said import finding_rows
from brumel.store.models.reference import Person, Probe
from brumel.store.queries import reference as queries


@dataclass(frozen=True)
class NewCare:
    """An entry for the care log, as typed."""

    care_id: uuid.UUID
    care: str
    at: datetime | None = None
    detail: str = ""
    minutes: float | None = None
    note: str = ""
    good_until: date | None = None
    """Last day of the part that was put in."""


def care_findings(kind: ProbeKind, new: NewCare) -> list[Finding]:
    """Return what is found on the spot: wrong storage."""
    if new.care == Care.STORED:
        found = storage_finding(kind, new.detail.strip())
        return [found] if found else []
    return []


def care_row(new: NewCare, kind: ProbeKind, probe_id: uuid.UUID, person: Person, *, at: datetime) -> dict[str, Any]:
    """Return an entry as it is stored, with what was found on the spot."""
    return {
        "id": new.care_id, "probe_id": probe_id, "person_id": person.id, "at": at, "care": new.care,
        "detail": new.detail.strip(), "minutes": new.minutes, "note": new.note.strip(),
        "good_until": new.good_until, "findings": finding_rows(care_findings(kind, new)),
    }  # fmt: skip


def shared_rows(session: Session, row: Mapping[str, Any], probe: Probe, person: Person) -> list[dict[str, Any]]:
    """Return what an entry means for the probes of the same kit that share this one's reference, as rows."""
    if row["care"] not in REFERENCE_CHANGES:
        return []
    about = what_it_is.kind_of(probe)
    sharing = [p for p in queries.probes(session)
               if p.kit == probe.kit and what_it_is.kind_of(p).shares_reference_of == about.quantity]  # fmt: skip
    found = []
    for other in sharing:
        key, care = shared_key(row["id"], other.id), str(Care.SHARED_REFERENCE_CHANGED)
        new = NewCare(key, care, detail=f"that of {probe.label}")
        found.append(care_row(new, what_it_is.kind_of(other), other.id, person, at=row["at"]))
    return found


def shared_key(care_id: uuid.UUID, probe_id: uuid.UUID) -> uuid.UUID:
    """Return the key of what an entry means for a probe that shares the reference."""
    return uuid.uuid5(care_id, str(probe_id))


def check_care(kind: ProbeKind, new: NewCare, at: datetime, clock: Clock) -> None:
    """Refuse an entry that can't be, with every field that is wrong."""
    wrong: dict[str, str] = {}
    if new.care not in kind.care:
        wrong["care"] = f"Choose what was done; a {kind.name} probe knows {', '.join(c.words for c in kind.care)}."
    if new.care == Care.STORED and new.detail.strip() not in kind.storage:
        wrong["detail"] = f"Choose what it stands in: {', '.join(kind.storage)}."
    if why_not := clock.why_not(at):
        wrong["at"] = why_not
    if new.minutes is not None and not 0 < new.minutes <= 100_000:
        wrong["minutes"] = "Minutes must be above 0 and at most 100 000."
    if new.good_until is not None and new.good_until < at.date():
        wrong["good_until"] = "The part was past its date on the day it was put in: fit another, or correct the date."
    if wrong:
        raise InvalidInput(wrong)
