"""The ledger: what was recorded, filtered, and out again as CSV and JSON."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any, TypeVar

from sqlalchemy import Select

from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import quantity
from brumel.core.quantities.shown import Unit, unit_for
from brumel.services.cached.remembered import cached
from brumel.services.calibrating import run_responses
from brumel.services.clock import Clock
from brumel.services.errors import NotFound
from brumel.services.ledger import care_entries
from brumel.services.ledger.exchange import FORMAT, VERSION, records_of
from brumel.services.ledger.run_files import run_file
from brumel.services.ledger.written import as_csv, as_json
from brumel.services.live.display import meter_words
from brumel.services.paging import Page
from brumel.services.probes import run_facts
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationCoefficient, CalibrationPoint, CalibrationRun
from brumel.store.models.reading import Reading
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries
from brumel.store.showable import why_not_shown

PAGE, _AT_ONCE = 50, 250
R = TypeVar("R")


@dataclass(frozen=True)
class Filter:
    """What to show: all where a field is None. ``until`` is the last day included."""

    probe_id: uuid.UUID | None = None
    site_id: uuid.UUID | None = None
    quantity: str | None = None
    since: date | None = None
    until: date | None = None
    level: str | None = None
    with_amended: bool = False


@dataclass(frozen=True)
class Ledger:
    """Use cases around records."""

    database: Database
    clock: Clock

    why_not_shown = staticmethod(why_not_shown)

    @cached
    def calibrations(self, wanted: Filter, page: int = 1) -> Page:
        """Return calibrations that fit, the newest first."""
        return self._page(self._runs, wanted, page)

    @cached
    def readings(self, wanted: Filter, page: int = 1) -> Page:
        """Return readings that fit, the newest first."""
        return self._page(self._readings, wanted, page)

    def calibrations_csv(self, wanted: Filter) -> Iterator[str]:
        """Yield one line a point, each with its run's line and verdict; piece by piece."""
        runs = run_queries.all_runs(self._criteria(wanted))
        return as_csv(_CALIBRATION_COLUMNS, ((run, p) for run in self._each(runs) for p in (run.points or _NO_POINT)))

    def readings_csv(self, wanted: Filter, units: Mapping[str, str] | None = None) -> Iterator[str]:
        """One line a reading, piece by piece; ``units``: by the unit that is kept in which else values are wanted."""
        columns = _READING_COLUMNS | (_in_units(units) if units else {})
        rows = ((r,) for r in self._each(reading_queries.all_readings(self._criteria(wanted))))
        return as_csv(columns, rows, lambda r: _unshown(r, "note"))

    def calibrations_json(self, wanted: Filter) -> str:
        """Return calibrations with points and findings, nested."""
        return as_json({"calibrations": [_run_record(r) for r in self._runs(wanted, None, 0)]})

    def calibration_file(self, run_id: uuid.UUID) -> str:
        """Return one calibration as an open file, which ``brumel judge`` reads."""
        with self.database.session() as session:
            run = run_queries.run_in_full(session, run_id)
            if run is None:
                raise NotFound("There is no such calibration.")
            return as_json(run_file(run_responses.Past(session, run.started_at), run))

    def calibrations_jsonl(self, wanted: Filter) -> str:
        """Signed calibrations as open files, one a line."""
        with self.database.session() as session:
            runs = run_queries.runs(session, self._criteria(wanted), limit=None, offset=0)
            past = run_responses.Past(session, self.clock.now())
            files = [run_file(past, run) for run in runs if run.signature]
        return "".join(json.dumps(f, ensure_ascii=False, default=str) + "\n" for f in files)

    def readings_json(self, wanted: Filter) -> str:
        """Readings with working, budget and findings, nested; and all rows behind them, to be taken in elsewhere."""
        readings = self._readings(wanted, None, 0)
        with self.database.session() as session:
            records = records_of(session, [r.id for r in readings])
        head = {"format": FORMAT, "version": VERSION}
        return as_json(head | {"readings": [_reading_record(r) for r in readings], "records": records})

    @cached
    def care(self, wanted: Filter, page: int = 1) -> Page:
        """Care and inspections that fit, the newest first."""
        return Page.of(self._care(wanted), page, PAGE)

    def care_csv(self, wanted: Filter) -> Iterator[str]:
        """Yield one line an entry of a care log, or an inspection."""
        return as_csv(care_entries.COLUMNS, ((entry,) for entry in self._care(wanted)))

    def care_json(self, wanted: Filter) -> str:
        """Care and inspections with their findings and answers."""
        return as_json({"care": [care_entries.record_of(entry) for entry in self._care(wanted)]})

    def _care(self, wanted: Filter) -> list[care_entries.CareEntry]:
        with self.database.session() as session:
            return care_entries.entries(session, self._criteria(wanted))

    def _each(self, query: Select[R]) -> Iterator[R]:
        """Yield the rows of a question one after the other, as many at a time as keep memory flat."""
        with self.database.session() as session:
            yield from session.scalars(query.execution_options(yield_per=_AT_ONCE))  # what is let go of is forgotten

    def _page(self, fetch: Callable[[Filter, int | None, int], list[Any]], wanted: Filter, page: int) -> Page:
        rows = fetch(wanted, PAGE + 1, (page - 1) * PAGE)
        return Page(rows[:PAGE], page, len(rows) > PAGE)

    def _runs(self, wanted: Filter, limit: int | None, offset: int) -> list[CalibrationRun]:
        with self.database.session() as session:
            return list(run_queries.runs(session, self._criteria(wanted), limit=limit, offset=offset))

    def _readings(self, wanted: Filter, limit: int | None, offset: int) -> list[Reading]:
        with self.database.session() as session:
            criteria = self._criteria(wanted)
            return list(reading_queries.readings(session, criteria, limit=limit, offset=offset))

    def _criteria(self, wanted: Filter) -> queries.Criteria:
        """Local days as moments: from the start of the first to the end of the last."""
        zone = self.clock.timezone
        since = datetime.combine(wanted.since, time(), zone) if wanted.since else None
        until = datetime.combine(wanted.until + timedelta(days=1), time(), zone) if wanted.until else None
        return queries.Criteria(
            wanted.probe_id, wanted.site_id, wanted.quantity, since, until, wanted.level,
            with_amended=wanted.with_amended,
        )  # fmt: skip


def status_of(run: CalibrationRun) -> str:
    """Open, given up, withdrawn, or the verdict."""
    if run.signature is None:
        return "open" if run.abandonment is None else "given up"
    return "withdrawn" if any(a.kind == "withdrawal" for a in run.amendments) else run.signature.level


def _signed(run: CalibrationRun, name: str) -> Any:
    return getattr(run.signature, name) if run.signature else None


_RunRow = Callable[[CalibrationRun, CalibrationPoint | None], Any]

_CALIBRATION_COLUMNS: dict[str, _RunRow] = {
    "calibration_id": lambda run, p: run.id,
    "started_at": lambda run, p: run.started_at,
    "probe": lambda run, p: run.probe.label,
    "probe_serial": lambda run, p: run.probe.serial,
    "begun_by": lambda run, p: run.person.name,
    "method": lambda run, p: f"{run.method_code} v{run.method['version']}",
    "status": lambda run, p: status_of(run),
    "signed_at": lambda run, p: _signed(run, "signed_at"),
    "signed_by": lambda run, p: run.signature.person.name if run.signature else None,
    "kept_by": lambda run, p: run.kept_by,
    "reference": lambda run, p: run.reference,
    "coefficients": lambda run, p: "; ".join(map(_coefficient_words, run.coefficients)),
    "findings": lambda run, p: " ".join(f"{f.level} {f.code};" for f in run.findings if f.level != "sound"),
    "step": lambda run, p: p and p.step,
    "use": lambda run, p: p and p.use,
    "superseded": lambda run, p: p and p not in run_facts.standing_points(run),
    "taken_at": lambda run, p: p and p.taken_at,
    "source": lambda run, p: p and p.source,
    "lot": lambda run, p: p and p.lot and p.lot.lot_number,
    "beside": lambda run, p: p and p.instrument and p.instrument.label,
    "family": lambda run, p: p and p.family,
    "nominal": lambda run, p: p and p.nominal,
    "target": lambda run, p: p and _round(p.target, 3),
    "target_u": lambda run, p: p and _round(p.target_u, 4),
    "target_unit": lambda run, p: p and p.target_unit,
    "signal": lambda run, p: p and _round(p.signal, 2),
    "signal_unit": lambda run, p: p and p.signal_unit,
    "shown_before": lambda run, p: p and p.shown_before,
    "shown_after": lambda run, p: p and p.shown_after,
    "temperature_c": lambda run, p: p and _round(p.temperature_c, 2),
    "pressure_hpa": lambda run, p: p and _round(p.pressure_hpa, 1),
    "settled": lambda run, p: p and p.acceptance,
    "settling_s": lambda run, p: p and _round(p.settling_s, 1),
    "deviations": lambda run, p: p and "; ".join(p.deviations),
}

_READING_COLUMNS: dict[str, Callable[[Reading], Any]] = {
    "reading_id": lambda r: r.id,
    "taken_at": lambda r: r.taken_at,
    "site": lambda r: r.site.code if r.site else "",
    "site_name": lambda r: r.where,
    "probe": lambda r: r.probe.label if r.probe else "",
    "probe_serial": lambda r: r.probe.serial if r.probe else "",
    "instrument": lambda r: r.instrument.label if r.instrument else "",
    "visit_id": lambda r: r.visit_id,
    "depth_m": lambda r: _round(r.depth_m, 2),
    "layer": lambda r: r.layer,
    "replicate": lambda r: r.replicate,
    "taken_by": lambda r: r.person.name,
    "quantity": lambda r: r.quantity,
    "qualifier": lambda r: r.qualifier,
    "value": lambda r: _round(r.value, 4),
    "u": lambda r: _round(r.u, 4),
    "expanded_u": lambda r: _round(2 * r.u, 4),
    "unit": lambda r: r.unit,
    "temperature_c": lambda r: _round(r.temperature_c, 2),
    "source": lambda r: r.source,
    "signal": lambda r: _round(r.signal, 2),
    "signal_unit": lambda r: r.signal_unit,
    "shown": lambda r: r.shown,
    "meter_setting_c": lambda r: r.meter_setting_c,
    "meter_did": lambda r: meter_words(r.meter_did or {}),
    "pressure_hpa": lambda r: _round(_pressure_hpa(r), 1),
    "salinity": lambda r: _round(Surroundings.of(r.surroundings).salinity, 2),
    "conductivity_us_cm": lambda r: _round(Surroundings.of(r.surroundings).conductivity, 0),
    "reference": lambda r: r.reference,
    "derived": lambda r: "; ".join(f"{d['quantity']} {d['value']:g} {d['unit']}" for d in r.derived),
    "level": lambda r: r.level,
    "keeps": lambda r: r.keeps,
    "limits": lambda r: " ".join(limit["sentence"] for limit in r.limits),
    "typed_as": lambda r: r.typed_as,
    "findings": lambda r: " ".join(f"{f.level} {f.code};" for f in r.findings),
    "calibration_id": lambda r: r.calibration_run_id,
    "settled": lambda r: r.acceptance,
    "settling_s": lambda r: _round(r.settling_s, 1),
    "despite": lambda r: r.despite,
    "note": lambda r: r.note,
    "amends": lambda r: r.amends_id,
    "amend_reason": lambda r: r.amend_reason,
}


def _in_units(own: Mapping[str, str]) -> dict[str, Callable[[Reading], Any]]:
    """Return the columns of a value, in the units that somebody reads; all others name the unit that they are in."""

    def shown(r: Reading) -> Unit:
        return unit_for(quantity(r.quantity), own)

    return {
        "value": lambda r: _round(shown(r).value(r.value), 6),
        "u": lambda r: _round(r.u * shown(r).factor, 6),
        "expanded_u": lambda r: _round(2 * r.u * shown(r).factor, 6),
        "unit": lambda r: shown(r).name,
    }


def _pressure_hpa(reading: Reading) -> float | None:
    pressure = Surroundings.of(reading.surroundings).pressure
    return None if pressure is None else pressure.hpa


def _coefficient_words(c: CalibrationCoefficient) -> str:
    u = "" if c.u is None else f", u {c.u:.3f}"
    return f"{c.key} {c.value:.2f} {c.unit} ({c.origin}{u})"


def _run_record(run: CalibrationRun) -> dict[str, Any]:
    record = {k: column(run, None) for k, column in _CALIBRATION_COLUMNS.items() if k not in _POINT_COLUMNS}
    record["method"] = run.method
    record["coefficients"] = [
        {"key": c.key, "value": c.value, "u": c.u, "unit": c.unit, "origin": c.origin} for c in run.coefficients
    ]
    record["findings"] = [_finding_record(f) for f in run.findings]
    record["points"] = [{k: _CALIBRATION_COLUMNS[k](run, p) for k in _POINT_COLUMNS} for p in run.points]
    record["amendments"] = [{"at": a.at, "kind": a.kind, "reason": a.reason} for a in run.amendments]
    return record


_NO_POINT: list[Any] = [None]
_POINT_COLUMNS = tuple(_CALIBRATION_COLUMNS)[tuple(_CALIBRATION_COLUMNS).index("step") :]


def _unshown(reading: Reading, where: str) -> dict[str, Any]:
    """Return what is said of a reading that can't be shown, in its place; nothing of one that can."""
    why_not = why_not_shown(reading)
    return {"reading_id": reading.id, where: f"can't be shown: {why_not}"} if why_not else {}


def _reading_record(reading: Reading) -> dict[str, Any]:
    if unshown := _unshown(reading, "unshown"):
        return unshown
    record = {k: column(reading) for k, column in _READING_COLUMNS.items()}
    record["findings"] = [_finding_record(f) for f in reading.findings]
    return record | {
        "working": reading.working,
        "working_said": reading.working_said,
        "budget": reading.budget,
        "derived": reading.derived,
    }


def _finding_record(finding: Any) -> dict[str, Any]:
    return {k: getattr(finding, k) for k in ("code", "level", "sentence", "remedy", "source")}


def _round(value: float | None, digits: int) -> float | None:
    return None if value is None else round(value, digits)
