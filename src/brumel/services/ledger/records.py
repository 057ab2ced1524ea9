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
from brumel.services.calibrating.as_found import AsFound, as_found_of
from brumel.services.clock import Clock
from brumel.services.errors import NotFound
from brumel.services.ledger import calibration_rows, care_entries
from brumel.services.ledger.exchange import FORMAT, VERSION, records_of
from brumel.services.ledger.run_files import run_file
from brumel.services.ledger.written import as_csv, as_json, finding_record, rounded
from brumel.services.live.display import meter_words
from brumel.services.paging import Page
from brumel.store.database import Database
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reading import Reading
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import run as run_queries
from brumel.store.showable import why_not_shown

PAGE, _AT_ONCE = 50, 250
_NO_POINT: list[Any] = [None]
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
        """Return calibrations that fit, the newest first, each as :class:`calibration_rows.Listed`."""
        return self._page(self._listed, wanted, page)

    @cached
    def readings(self, wanted: Filter, page: int = 1) -> Page:
        """Return readings that fit, the newest first."""
        return self._page(self._readings, wanted, page)

    def calibrations_csv(self, wanted: Filter) -> Iterator[str]:
        """Yield one line a point, each with its run's line and verdict; piece by piece."""
        listed = self._each_found(run_queries.all_runs(self._criteria(wanted)))
        return as_csv(calibration_rows.COLUMNS, ((run, p, f) for run, f in listed for p in (run.points or _NO_POINT)))

    def readings_csv(self, wanted: Filter, units: Mapping[str, str] | None = None) -> Iterator[str]:
        """One line a reading, piece by piece; ``units``: by the unit that is kept in which else values are wanted."""
        columns = _READING_COLUMNS | (_in_units(units) if units else {})
        rows = ((r,) for r in self._each(reading_queries.all_readings(self._criteria(wanted))))
        return as_csv(columns, rows, lambda r: _unshown(r, "note"))

    def calibrations_json(self, wanted: Filter) -> str:
        """Return calibrations with points and findings, nested."""
        listed = self._each_found(run_queries.all_runs(self._criteria(wanted)))
        return as_json({"calibrations": [calibration_rows.run_record(run, found) for run, found in listed]})

    def calibration_file(self, run_id: uuid.UUID) -> str:
        """Return one calibration as an open file, which ``brumel judge`` reads."""
        with self.database.session() as session:
            run = run_queries.run_in_full(session, run_id)
            if run is None:
                raise NotFound("There is no such calibration.")
            found = as_found_of(session, [run]).get(run.id)
            return as_json(run_file(run_responses.Past(session, run.started_at, of_one=True), run, found))

    def calibrations_jsonl(self, wanted: Filter) -> str:
        """Signed calibrations as open files, one a line."""
        with self.database.session() as session:
            runs = run_queries.runs(session, self._criteria(wanted), limit=None, offset=0)
            past, found = run_responses.Past(session, self.clock.now()), as_found_of(session, runs)
            files = [run_file(past, run, found.get(run.id)) for run in runs if run.signature]
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

    def _each_found(self, query: Select[CalibrationRun]) -> Iterator[tuple[CalibrationRun, AsFound | None]]:
        """Yield runs likewise, each with what it found."""
        with self.database.session() as session:
            for some in session.scalars(query.execution_options(yield_per=_AT_ONCE)).partitions():
                found = as_found_of(session, some)
                yield from ((run, found.get(run.id)) for run in some)

    def _page(self, fetch: Callable[[Filter, int | None, int], list[Any]], wanted: Filter, page: int) -> Page:
        rows = fetch(wanted, PAGE + 1, (page - 1) * PAGE)
        return Page(rows[:PAGE], page, len(rows) > PAGE)

    def _listed(self, wanted: Filter, limit: int | None, offset: int) -> list[calibration_rows.Listed]:
        with self.database.session() as session:
            runs = run_queries.runs(session, self._criteria(wanted), limit=limit, offset=offset)
            found = as_found_of(session, runs)
            return [calibration_rows.Listed(run, found.get(run.id)) for run in runs]

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


_READING_COLUMNS: dict[str, Callable[[Reading], Any]] = {
    "reading_id": lambda r: r.id,
    "taken_at": lambda r: r.taken_at,
    "site": lambda r: r.site.code if r.site else "",
    "site_name": lambda r: r.where,
    "probe": lambda r: r.probe.label if r.probe else "",
    "probe_serial": lambda r: r.probe.serial if r.probe else "",
    "instrument": lambda r: r.instrument.label if r.instrument else "",
    "visit_id": lambda r: r.visit_id,
    "depth_m": lambda r: rounded(r.depth_m, 2),
    "layer": lambda r: r.layer,
    "replicate": lambda r: r.replicate,
    "taken_by": lambda r: r.person.name,
    "quantity": lambda r: r.quantity,
    "qualifier": lambda r: r.qualifier,
    "value": lambda r: rounded(r.value, 4),
    "u": lambda r: rounded(r.u, 4),
    "expanded_u": lambda r: rounded(2 * r.u, 4),
    "unit": lambda r: r.unit,
    "temperature_c": lambda r: rounded(r.temperature_c, 2),
    "source": lambda r: r.source,
    "signal": lambda r: rounded(r.signal, 2),
    "signal_unit": lambda r: r.signal_unit,
    "shown": lambda r: r.shown,
    "meter_setting_c": lambda r: r.meter_setting_c,
    "meter_did": lambda r: meter_words(r.meter_did or {}),
    "pressure_hpa": lambda r: rounded(_pressure_hpa(r), 1),
    "salinity": lambda r: rounded(Surroundings.of(r.surroundings).salinity, 2),
    "conductivity_us_cm": lambda r: rounded(Surroundings.of(r.surroundings).conductivity, 0),
    "reference": lambda r: r.reference,
    "derived": lambda r: "; ".join(f"{d['quantity']} {d['value']:g} {d['unit']}" for d in r.derived),
    "level": lambda r: r.level,
    "keeps": lambda r: r.keeps,
    "limits": lambda r: " ".join(limit["sentence"] for limit in r.limits),
    "typed_as": lambda r: r.typed_as,
    "findings": lambda r: " ".join(f"{f.level} {f.code};" for f in r.findings),
    "calibration_id": lambda r: r.calibration_run_id,
    "settled": lambda r: r.acceptance,
    "settling_s": lambda r: rounded(r.settling_s, 1),
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
        "value": lambda r: rounded(shown(r).value(r.value), 6),
        "u": lambda r: rounded(r.u * shown(r).factor, 6),
        "expanded_u": lambda r: rounded(2 * r.u * shown(r).factor, 6),
        "unit": lambda r: shown(r).name,
    }


def _pressure_hpa(reading: Reading) -> float | None:
    pressure = Surroundings.of(reading.surroundings).pressure
    return None if pressure is None else pressure.hpa


def _unshown(reading: Reading, where: str) -> dict[str, Any]:
    """Return what is said of a reading that can't be shown, in its place; nothing of one that can."""
    why_not = why_not_shown(reading)
    return {"reading_id": reading.id, where: f"can't be shown: {why_not}"} if why_not else {}


def _reading_record(reading: Reading) -> dict[str, Any]:
    if unshown := _unshown(reading, "unshown"):
        return unshown
    record = {k: column(reading) for k, column in _READING_COLUMNS.items()}
    record["findings"] = [finding_record(f) for f in reading.findings]
    return record | {
        "working": reading.working,
        "working_said": reading.working_said,
        "budget": reading.budget,
        "derived": reading.derived,
    }
