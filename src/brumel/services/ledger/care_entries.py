"""Care and inspections of all probes, as the ledger has them."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Finding, Level, verdict
from brumel.core.kit.care import Care
from brumel.core.wording import upper_first
from brumel.core.words.catalogue import word
from brumel.services.said import findings_of
from brumel.store.models.care import CareRecord, Inspection
from brumel.store.models.reference import Probe
from brumel.store.queries import care as care_queries
from brumel.store.queries import reference as queries

INSPECTION = "inspection"


@dataclass(frozen=True)
class CareEntry:
    """One entry of a care log, or one inspection."""

    id: uuid.UUID
    at: datetime
    probe_id: uuid.UUID
    probe: str
    serial: str
    what: str
    """The care event by its key, or ``inspection``."""
    words: str
    detail: str
    minutes: float | None
    level: Level
    by: str
    note: str
    withdrawn: str
    """Why it was taken back; empty where it stands."""
    findings: tuple[Finding, ...] = ()
    answers: dict[str, Any] = field(default_factory=dict)


def entries(session: Session, wanted: queries.Criteria) -> list[CareEntry]:
    """Return all that fits, the newest first."""
    probes = {p.id: p for p in queries.probes(session, retired=True)}
    found = [
        *(_of_care(r, probes[r.probe_id]) for r in care_queries.care_within(session, wanted)),
        *(_of_inspection(i, probes[i.probe_id]) for i in care_queries.inspections_within(session, wanted)),
    ]
    fits = [e for e in found if wanted.level in (None, e.level)]
    return sorted(fits, key=lambda e: e.at, reverse=True)


def _of_care(record: CareRecord, probe: Probe) -> CareEntry:
    found = tuple(findings_of(record.findings))
    return CareEntry(
        record.id, record.at, probe.id, probe.label, probe.serial, record.care, upper_first(Care(record.care).words),
        record.detail, record.minutes, verdict(found), record.person.name, record.note,
        record.withdrawal.reason if record.withdrawal else "", found,
    )  # fmt: skip


def _of_inspection(row: Inspection, probe: Probe) -> CareEntry:
    words = f"Inspected: {', '.join(row.failed)} not as it should be" if row.failed else "Inspected, nothing found"
    level = Level.UNFIT if row.failed else Level.SOUND
    return CareEntry(
        row.id, row.at, probe.id, probe.label, probe.serial, INSPECTION, words, "", None, level, row.person.name,
        row.note, "", (), row.answers,
    )  # fmt: skip


COLUMNS: dict[str, Callable[[CareEntry], Any]] = {
    "entry_id": lambda e: e.id,
    "at": lambda e: e.at,
    "probe": lambda e: e.probe,
    "probe_serial": lambda e: e.serial,
    "what": lambda e: e.what,
    "words": lambda e: e.words,
    "detail": lambda e: e.detail,
    "minutes": lambda e: e.minutes,
    "level": lambda e: str(e.level),
    "by": lambda e: e.by,
    "note": lambda e: e.note,
    "withdrawn": lambda e: e.withdrawn,
}


def record_of(entry: CareEntry) -> dict[str, Any]:
    """Return an entry as plain data."""
    record = {name: column(entry) for name, column in COLUMNS.items()}
    findings = [{"code": f.code, "level": str(f.level), "sentence": str(word(f.says))} for f in entry.findings]
    return record | {"findings": findings, "answers": entry.answers}
