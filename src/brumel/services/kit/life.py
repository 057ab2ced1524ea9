"""Kit: probes and their readiness, the care log, inspection before use, a probe's life."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy.orm import Session

from brumel.core.findings import Finding, Level, verdict
from brumel.core.kit.care import REFERENCE_CHANGES, Care, part_changes
from brumel.core.kit.kinds import ProbeKind
from brumel.core.wording import day_words, upper_first
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.calibrating import steering
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.house.rules import in_force
from brumel.services.kit.coefficient_history import Course, courses_of, offs_of
from brumel.services.paging import Page
from brumel.services.people import may_record
from brumel.services.probes import photos, run_facts, run_words, what_it_is
from brumel.services.probes.care_log import (
    NewCare,
    care_findings,
    care_row,
    check_care,
    shared_key,
    shared_rows,
)
from brumel.services.probes.states import ProbeState, States
from brumel.services.probes.what_it_is import stored_probe
from brumel.services.said import findings_of
from brumel.store.add_fact import add_once
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun, KeptBy
from brumel.store.models.care import CareRecord, CareWithdrawal, Inspection, InspectionPhoto
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Person
from brumel.store.queries import care as care_queries
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries
from brumel.store.queries.care import CareRow, HappenedRow

_READINGS_SHOWN, PAGE = 6, 12


@dataclass(frozen=True)
class PartState:
    """A part of a probe, and since when it is in it."""

    name: str
    since: date
    good_until: date | None = None


@dataclass(frozen=True)
class Card:
    """A probe as the kit shows it."""

    state: ProbeState
    kind: ProbeKind
    parts: tuple[PartState, ...]


@dataclass(frozen=True)
class Happening:
    """One line of a probe's life."""

    at: datetime
    what: str
    words: str
    by: str
    record_id: uuid.UUID
    level: Level | None = None
    withdrawn: str = ""
    photo: bool = False


@dataclass(frozen=True)
class Life:
    """All that is known of a probe."""

    card: Card
    happened: Page
    """One page of what happened, the newest first: rows are :class:`Happening`."""
    courses: tuple[Course, ...]
    readings: tuple[Reading, ...]
    """The newest readings taken with it."""


@dataclass(frozen=True)
class Kit:
    """Use cases around probes."""

    database: Database
    clock: Clock
    states: States

    @cached
    def cards(self) -> Sequence[Card]:
        """Return all probes, by the kit that they travel in."""
        logs = self.states.logs()
        cards = [_card(s, logs.care.get(s.probe.id, ())) for s in self.states.probe_states()]
        return sorted(cards, key=lambda c: (c.state.probe.kit, c.state.probe.label))

    @cached
    def life(self, probe_id: uuid.UUID, page: int = 1) -> Life:
        """Return a probe's life: what happened to it, a page at a time, and how its calibration line moved."""
        now, state = self.clock.now(), self.states.probe_state(probe_id)
        care = self.states.logs().care.get(probe_id, ())
        changed = [r.at for r in care if r.care in part_changes(in_force().care).values()]
        with self.database.session() as session:
            lines = _lines(session, care_queries.happened(session, probe_id, now, PAGE + 1, (page - 1) * PAGE))
            courses = courses_of(session, probe_id, state.kind, changed, now)
            readings = reading_queries.readings(
                session, queries.Criteria(probe_id=probe_id), limit=_READINGS_SHOWN, findings=False
            )
        happened = Page(lines[:PAGE], page, len(lines) > PAGE)
        return Life(_card(state, care), happened, tuple(courses), tuple(readings))

    @act(probe="probe_id")
    def log(self, probe_id: uuid.UUID, new: NewCare, person: Person) -> list[Finding]:
        """Add an entry to a probe's care log; gives what is found on the spot, worst first.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            probe = stored_probe(session, probe_id)
            kind = what_it_is.kind_of(probe)
            at = new.at or self.clock.now()
            check_care(kind, new, at, self.clock)
            steering.check_log(session, probe_id, kind, new, self.clock)
            row = care_row(new, kind, probe_id, person, at=at)
            for one in (row, *shared_rows(session, row, probe, person)):
                add_once(session, CareRecord, one, told=("probe_id", "care", "detail", "minutes", "note"))
            steering.paused_already(session, probe, person, self.clock.now())
        return care_findings(kind, new)

    @act(care="care_id")
    def withdraw(self, care_id: uuid.UUID, reason: str, person: Person) -> None:
        """Say that an entry was a mistake; it stays to be read and counts no more."""
        may_record(person)
        if not reason.strip():
            raise InvalidInput({"reason": "Say in a few words why the entry was wrong; it stays on record."})
        with self.database.session() as session:
            record = session.get(CareRecord, care_id)
            if record is None:
                raise NotFound("There is no such entry.")
            sharing = queries.probes(session) if record.care in REFERENCE_CHANGES else ()
            shared = [key for p in sharing if session.get(CareRecord, key := shared_key(care_id, p.id))]
            for key in (care_id, *shared):
                row = {"care_id": key, "person_id": person.id, "at": self.clock.now(), "reason": reason.strip()}
                add_once(session, CareWithdrawal, row, told=("reason",))

    @act(probe="probe_id")
    def inspect(
        self,
        probe_id: uuid.UUID,
        inspection_id: uuid.UUID,
        answers: Mapping[str, bool],
        note: str,
        person: Person,
        photo: bytes = b"",
    ) -> Sequence[str]:
        """Record an inspection; gives the keys of the questions that were answered with no.

        Raises
        ------
        InvalidInput
            Where a question is not answered, or the photo is none.
        """
        may_record(person)
        jpeg = photos.cleaned(photo) if photo else b""
        with self.database.session() as session:
            kind = what_it_is.kind_of(stored_probe(session, probe_id))
            wrong = {q.key: "Answer yes or no." for q in kind.inspection if q.key not in answers}
            if wrong:
                raise InvalidInput(wrong)
            kept = {q.key: answers[q.key] for q in kind.inspection}
            failed = [key for key, yes in kept.items() if not yes]
            row = {"id": inspection_id, "probe_id": probe_id, "person_id": person.id, "at": self.clock.now(),
                   "answers": kept, "failed": failed, "note": note.strip()}  # fmt: skip
            add_once(session, Inspection, row, told=("probe_id", "answers", "note"))
            if jpeg:
                add_once(session, InspectionPhoto, {"inspection_id": inspection_id, "jpeg": jpeg})
        return failed

    def photo(self, inspection_id: uuid.UUID) -> bytes:
        """Return the photo of an inspection, a JPEG."""
        with self.database.session() as session:
            found = session.get(InspectionPhoto, inspection_id)
        if found is None:
            raise NotFound("There is no such photo.")
        return found.jpeg


def _card(state: ProbeState, care: Sequence[CareRecord] | Sequence[CareRow]) -> Card:
    kind = what_it_is.kind_of(state.probe)
    parts = []
    for name in kind.parts:
        changed = [r for r in care if r.care == kind.part_change(name)]
        if changed:
            parts.append(PartState(name, changed[-1].at.date(), changed[-1].good_until))
        else:
            parts.append(PartState(name, state.probe.in_service_on))
    return Card(state, kind, tuple(parts))


def _lines(session: Session, found: Sequence[HappenedRow]) -> list[Happening]:
    """Return the lines of what happened, in its order."""
    keys: dict[str, list[uuid.UUID]] = defaultdict(list)
    for row in found:
        keys[row.what].append(row.key)
    care, looked, runs = (keys[what] for what in ("care", "inspection", "calibration"))
    shown = {row.key for row in found if row.photo}
    done = run_queries.some_runs(session, runs)
    checks: dict[uuid.UUID, list[str]] = defaultdict(list)
    for off in offs_of(run for run in done if run.kept_by == KeptBy.BRUMEL):
        checks[off.run_id].append(off.words)
    lines = {
        **{r.id: _care_line(r) for r in care_queries.some_care(session, care)},
        **{i.id: _inspection_line(i, photo=i.id in shown) for i in care_queries.some_inspections(session, looked)},
        **{run.id: _run_line(run, checks[run.id]) for run in done},
    }
    return [lines[row.key] for row in found]


def _care_line(record: CareRecord) -> Happening:
    words = Care(record.care).words + (f", {record.detail}" if record.detail else "")
    if record.minutes:
        words += f", {record.minutes:g} min"
    found = findings_of(record.findings)
    if record.good_until:
        words += f", good until {day_words(record.good_until)}"
    if record.note:
        words += f". {record.note}"
    gone = record.withdrawal.reason if record.withdrawal else ""
    level = verdict(found) if found else None
    return Happening(record.at, "care", upper_first(words), record.person.name, record.id, level, gone)


def _inspection_line(row: Inspection, *, photo: bool) -> Happening:
    words = f"Inspected, {len(row.failed)} answered with no" if row.failed else "Inspected, nothing found"
    words += f". {row.note}" if row.note else ""
    level = Level.UNFIT if row.failed else Level.SOUND
    return Happening(row.at, "inspection", words, row.person.name, row.id, level, photo=photo)


def _run_line(run: CalibrationRun, checks: Sequence[str]) -> Happening:
    end = run.signature
    assert end is not None
    coefficients = [f"{name.lower()} {value}" for name, value in run_words.coefficient_words(run)]
    found = ", ".join(coefficients if run_facts.adjusts(run) or not checks else checks)
    what = "Calibrated" if run_facts.adjusts(run) else "Checked"
    what = "Calibrated by its meter" if run.kept_by == KeptBy.METER else what
    words = f"{what}{': ' if found else ''}{found}"
    return Happening(end.signed_at, "calibration", words, end.person.name, run.id, Level(end.level))
