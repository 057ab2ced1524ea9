"""Readings as they are stored: one that was measured, one that takes another's place, one that takes it out."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Finding
from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import ErrorScale, quantity
from brumel.core.words.kept_findings import working_plain
from brumel.services.readings.correct import Corrected, principle_of
from brumel.services.readings.draft import NewReading
from brumel.services.said import budget_rows, finding_rows, settling_columns
from brumel.store.add_fact import add_new
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reading import Reading, ReadingFinding
from brumel.store.models.reference import Person, Probe, Site
from brumel.store.models.tables import addable
from brumel.store.models.visit import ReadingBasis


def reading_row(
    new: NewReading,
    site: Site | None,
    probe: Probe,
    person: Person,
    corrected: Corrected,
    run: CalibrationRun | None,
    *,
    taken_at: datetime,
) -> dict[str, Any]:
    """Return a reading as it is stored."""
    own, about, measured = principle_of(probe), corrected.quantity, corrected.measured
    return {
        "id": new.reading_id,
        "site_id": site.id if site else None,
        "visit_id": new.visit_id,
        "depth_m": new.depth_m,
        "replicate": new.replicate,
        "layer": new.layer,
        "typed_as": new.typed_as,
        "probe_id": probe.id,
        "instrument_id": None,
        "qualifier": "",
        "person_id": person.id,
        "taken_at": taken_at,
        "calibration_run_id": run.id if run else None,
        "source": new.source,
        "quantity": about.key,
        "value": corrected.value,
        "u": corrected.budget.u,
        "unit": about.unit,
        "signal": measured.signal,
        "signal_unit": own.signal_unit,
        "temperature_c": measured.temperature_c,
        "shown": measured.shown,
        "meter_setting_c": measured.meter_setting_c,
        "meter_did": dict(measured.meter_did),
        "reference": probe.reference or "",
        "surroundings": measured.place.plain,
        "derived": corrected.derived,
        "despite": new.despite.strip(),
        "level": str(corrected.level),
        "budget": budget_rows(corrected.budget),
        **working_plain(corrected.working),
        "acceptance": str(measured.acceptance),
        **settling_columns(measured.settling),
        "settling_s": measured.settling_s,
        "note": noted(new),
        "amends_id": new.amends_id,
        "amend_reason": new.amend_reason.strip() if new.amends_id else None,
    }


def in_place_of(old: Reading, key: uuid.UUID, reason: str, person: Person) -> dict[str, Any]:
    """Return a reading's columns as those of a row that takes its place; what differs is added to them."""
    columns = {name: getattr(old, name) for name in addable(Reading)}
    own = {"id": key, "person_id": person.id, "amends_id": old.id, "amend_reason": reason}
    return columns | own


def removal_row(old: Reading, key: uuid.UUID, reason: str, person: Person) -> dict[str, Any]:
    """That a reading is taken out, as it is stored: a row that stands in its place and is shown nowhere."""
    return in_place_of(old, key, reason, person) | {"removed": True, "keeps": "", "limits": []}


def add_findings(session: Session, reading_id: uuid.UUID, findings: Sequence[Finding]) -> None:
    """Record the findings of a reading that was just added."""
    add_new(session, ReadingFinding, [{"reading_id": reading_id, **row} for row in finding_rows(findings)])


def add_bases(session: Session, reading_id: uuid.UUID, warm_by: uuid.UUID | None, place: Surroundings) -> None:
    """Record from which readings a reading's temperature, pressure and salinity were taken."""
    keys = {*([warm_by] if warm_by else []), *map(uuid.UUID, place.taken_from)}
    add_new(session, ReadingBasis, [{"reading_id": reading_id, "basis_id": key} for key in keys])


def typed_pressure(reading: Reading) -> Pressure | None:
    """Return the pressure that a reading is, with its kind; None for a reading of anything else."""
    return None if reading.sensed else Surroundings.of(reading.surroundings).pressure


def shown_words(reading: Reading) -> str:
    """Return what a meter showed, in the quantity that it was said to show."""
    assert reading.shown is not None
    assert reading.probe is not None
    about = quantity(principle_of(reading.probe).shown_quantity(reading.meter_did))
    return about.words(reading.shown)


def correction_words(reading: Reading) -> str:
    """Return what a meter showed and what the correction made of it, in words; empty where both are the same.

    ``as shown 6.20 mg/L; salinity 18 takes off 9 %``.
    """
    if reading.shown is None or reading.probe is None:
        return ""
    about = quantity(principle_of(reading.probe).shown_quantity(reading.meter_did))
    if about.key != reading.quantity:
        return f"as shown {about.words(reading.shown)}"
    if about.number(reading.shown) == about.number(reading.value):
        return ""
    salinity, did = Surroundings.of(reading.surroundings).salinity, reading.meter_did
    by = [f"salinity {salinity:.3g}"] if salinity and not did.get("salinity") else []
    by += ["the station's pressure"] if did.get("pressure_hpa") else []
    by += ["the meter's temperature setting"] if reading.meter_setting_c is not None else []
    by += ["the compensation"] if did.get("method") else []
    change = reading.value - reading.shown
    size = about.number(abs(change)) + about.after
    if about.error is not ErrorScale.ABSOLUTE and reading.shown:
        size = f"{abs(change / reading.shown) * 100.0:.2g} %"
    several = len(by) > 1
    if change < 0:
        verb = "take off" if several else "takes off"
    else:
        verb = "add" if several else "adds"
    return f"as shown {about.number(reading.shown)}{about.after}; {' and '.join(by) or 'its correction'} {verb} {size}"


def noted(new: NewReading) -> str:
    """Return its note, with why it was recorded before it settled."""
    note = new.note.strip()
    if new.unsettled_reason.strip():
        note = f"{note} Recorded before it settled: {new.unsettled_reason.strip()}.".strip()
    return note
