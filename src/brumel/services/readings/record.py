"""Site readings: correct, judge, record, amend."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.findings import Despite, Finding
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.quantity import quantity
from brumel.core.reading.reading_verdict import Basis
from brumel.services.acts import act
from brumel.services.cached.remembered import cached
from brumel.services.calibrating import run_responses
from brumel.services.clock import Clock
from brumel.services.errors import CantBeShown, InvalidInput, NotFound, check_number, check_value
from brumel.services.live.channels import Positions, positions_of
from brumel.services.live.display import asked_thousandth, said_once, wrong_of_meter
from brumel.services.live.signal import Lens
from brumel.services.people import may_record
from brumel.services.probes import what_it_is
from brumel.services.probes.retiring import why_retired
from brumel.services.readings.correct import Corrected, Measured, correct, principle_of, reading_transform, water_of
from brumel.services.readings.draft import NewReading, measure, shown_by, typed_signal
from brumel.services.readings.following import follow_visits
from brumel.services.readings.history import Beforehand, kept_limits
from brumel.services.readings.place import PlaceRead
from brumel.services.readings.row import add_bases, add_findings, noted, reading_row
from brumel.services.said import stored_findings
from brumel.store.add_fact import add_new, add_once, stands
from brumel.store.database import Database
from brumel.store.models.base import Source
from brumel.store.models.calibration import CalibrationRun
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Person, Probe, Site
from brumel.store.models.series import SeriesBlock
from brumel.store.models.visit import Visit
from brumel.store.queries import reading as reading_queries
from brumel.store.queries import visit as visit_queries
from brumel.store.series_blocks import block_rows
from brumel.store.showable import why_not_shown


@dataclass(frozen=True)
class ReadingView:
    """A reading as the ledger shows it, with what amends it and what it amends."""

    reading: Reading
    run: CalibrationRun | None
    amends: Reading | None
    amended_by: Reading | None
    findings: tuple[Finding, ...]
    bases: tuple[Reading, ...] = ()
    """The readings that it was worked out from."""
    taken_in_by: str = ""
    """Who took it in from a file, where somebody else read it."""


@dataclass(frozen=True)
class Readings:
    """Use cases around site readings."""

    database: Database
    clock: Clock

    @act(probe="new.probe_id", visit="new.visit_id", amended="new.amends_id")
    def record(self, new: NewReading, person: Person) -> uuid.UUID:
        """Record a reading with its correction, uncertainty and findings, and what follows; sent twice it stands once.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        may_record(person)
        with self.database.session() as session:
            record_within(session, self.clock, new, person)
            session.flush()
            visits = [session.get_one(Visit, new.visit_id)] if new.visit_id else []
            follow_visits(session, visits, person, self.clock, [new.amends_id] if new.amends_id else [])
        return new.reading_id

    @cached
    def view(self, reading_id: uuid.UUID) -> ReadingView:
        """Return a reading in full."""
        with self.database.session() as session:
            reading = reading_queries.reading_in_full(session, reading_id)
            if reading is None:
                raise NotFound("There is no such reading.")
            if why_not := why_not_shown(reading):
                raise CantBeShown(f"This reading can't be shown: {why_not}. It stands as it was recorded.")
            run_id, others = reading.calibration_run_id, reading.recorded_by != reading.person_id
            return ReadingView(
                reading=reading,
                run=session.get(CalibrationRun, run_id) if run_id else None,
                amends=session.get(Reading, reading.amends_id) if reading.amends_id else None,
                amended_by=reading_queries.amendment_of(session, reading.id),
                findings=tuple(stored_findings(reading.findings)),
                bases=tuple(visit_queries.bases_of(session, reading.id)),
                taken_in_by=session.get_one(Person, reading.recorded_by).name if others else "",
            )

    def basis(self, probe_id: uuid.UUID) -> tuple[CalibrationRun | None, Basis | None]:
        """Return the calibration that a reading with this probe would rest on now."""
        with self.database.session() as session:
            return run_responses.basis_of(session, probe_id, self.clock.now())

    def place(self, site_id: uuid.UUID, probe_id: uuid.UUID) -> Surroundings:
        """Return what is remembered of a site today, and its salinity by a conductivity of the same hour."""
        with self.database.session() as session:
            site, probe = session.get(Site, site_id), session.get(Probe, probe_id)
            own = what_it_is.senses(probe) if probe else None
            if site is None or own is None:
                return Surroundings()
            return PlaceRead(site).around(session, own, Surroundings(), self.clock.now())

    def check_place(self, site_id: uuid.UUID, probe_id: uuid.UUID, place: Surroundings) -> None:
        """Refuse what can't be of a place, before a probe goes into its water.

        Raises
        ------
        InvalidInput
            With every field that can't be taken.
        """
        with self.database.session() as session:
            site, probe = session.get(Site, site_id), session.get(Probe, probe_id)
            own = what_it_is.senses(probe) if probe else None
            if site is not None and probe is not None and own is not None:
                wrong = PlaceRead(site).wrong(session, what_it_is.kind_of(probe), own, place, self.clock.now())
                if wrong:
                    raise InvalidInput(wrong)

    def signal(self, probe_id: uuid.UUID) -> Lens:
        """Return the probe's signal as it comes, where the place does not say yet what it means."""
        with self.database.session() as session:
            return Lens(_on_line(session, probe_id)[1], of=(probe_id, "signal"))

    def lens(
        self, probe_id: uuid.UUID, site_id: uuid.UUID | None = None, place: Surroundings | None = None,
        visit_id: uuid.UUID | None = None,
    ) -> Lens:  # fmt: skip
        """Say how a viewer sees the probe's samples while reading a site: corrected as a reading of now would be.

        Raises
        ------
        InvalidInput
            For a place that can't be: a watch that fails at each sample would stop all others.
        """
        with self.database.session() as session:
            probe, positions = _on_line(session, probe_id)
            if positions.indicated:
                return Lens(positions, of=(probe_id, "indicated"))
            run, basis = run_responses.basis_of(session, probe_id, self.clock.now())
            site = session.get(Site, site_id) if site_id else None
            place = place or Surroundings()
            own = principle_of(probe)
            if site is not None and own.asks_place:
                here = PlaceRead(site, visit_id)
                place = here.around(session, own, place, self.clock.now())
                if wrong := here.wrong(session, what_it_is.kind_of(probe), own, place, self.clock.now()):
                    raise InvalidInput(wrong)
            water = water_of(site, self.clock.now())
            of = (probe_id, run.id if run else None, probe.reference, repr(probe.settings), water, repr(place))
            return Lens(positions, reading_transform(probe, basis, water, place), of=of)


def _on_line(session: Session, probe_id: uuid.UUID) -> tuple[Probe, Positions]:
    """Return a probe that a device reads, and where it stands in the samples."""
    probe = session.get(Probe, probe_id)
    positions = positions_of(probe) if probe else None
    if probe is None or positions is None:
        raise NotFound("This probe is not read by a device.")
    return probe, positions


def record_within(
    session: Session, clock: Clock, new: NewReading, person: Person, known: Beforehand | None = None
) -> Corrected | None:
    """Record a reading within a transaction that is open; None where it stands already."""
    new = _as_signal(session, new)
    if stands(session, Reading, {"id": new.reading_id}, _told(session, new)):
        return None
    site, probe, taken_at = _checked(session, clock, new)
    known = known or Beforehand.of(session, site, taken_at, [probe])
    here, own = PlaceRead(site, new.visit_id), principle_of(probe)
    place = here.around(session, own, new.place, taken_at, with_pressure=False).without(new.amends_id)
    if new.source == Source.TYPED_VALUE and probe.meter is not None:
        once = said_once(probe.meter.does, own.shown_quantity(new.meter_did), own)
        new = replace(new, meter_did={**once, **new.meter_did})
    measured = measure(session, new, probe, taken_at, place)
    run, basis = (None, None) if measured.signal is None else run_responses.basis_of(session, probe.id, taken_at)
    despite = _despite(new, known.logs.why_not_ready(probe, taken_at), measured, basis)
    meter = shown_by(session, probe, taken_at, clock) if measured.signal is None else None
    corrected = correct(measured, probe, basis, site, water_of(site, taken_at), meter, despite)
    corrected = known.beside_history(corrected)
    row = reading_row(new, site, probe, person, corrected, run, taken_at=taken_at)
    row |= kept_limits(known.limits, corrected)
    if add_once(session, Reading, row):
        add_findings(session, new.reading_id, corrected.findings)
        add_bases(session, new.reading_id, new.warm_by, measured.place)
        if measured.trace:
            blocks = block_rows(measured.trace, taken_at, row["signal_unit"], reading_id=new.reading_id)
            add_new(session, SeriesBlock, blocks)
    return corrected


def _as_signal(session: Session, new: NewReading) -> NewReading:
    """Return a value typed from a display that shows the signal itself is a typed signal."""
    probe = session.get(Probe, new.probe_id) if new.probe_id else None
    own = what_it_is.senses(probe) if probe else None
    if own is None or not own.shows_signal or new.source != Source.TYPED_VALUE:
        return new
    return replace(new, source=Source.TYPED_SIGNAL, signal=new.shown, shown=None, meter_did={})


def _checked(session: Session, clock: Clock, new: NewReading) -> tuple[Site | None, Probe, datetime]:
    wrong: dict[str, str] = {}
    site = session.get(Site, new.site_id) if new.site_id else None
    probe = session.get(Probe, new.probe_id) if new.probe_id else None
    if site is None and new.visit_id is None:
        wrong["site"] = "Choose the site."
    if probe is None:
        wrong["probe"] = "Choose the probe."
    if new.source not in set(Source):
        wrong["source"] = "Choose how the reading comes in."
    taken_at = new.taken_at or clock.now()
    if why_not := clock.why_not(taken_at):
        wrong["taken_at"] = why_not
    elif probe is not None and new.amends_id is None and (retired := why_retired(probe)):
        wrong["probe"] = retired
    elif probe is not None and clock.local(taken_at).date() < probe.in_service_on:
        wrong["taken_at"] = (
            f"{probe.label} is in service since {clock.day_said(probe.in_service_on)}: check date and time."
        )
    if new.amends_id and not new.amend_reason.strip():
        wrong["amend_reason"] = "An amendment needs its reason in words."
    own = principle_of(probe) if probe else None
    if own is not None and new.source == Source.TYPED_SIGNAL:
        unit = own.typed_unit
        check_number(wrong, "signal", new.signal, own.signal_range, unit, own.display_name or own.signal_name)
    if own is not None and new.source == Source.TYPED_VALUE:
        about = quantity(own.shown_quantity(new.meter_did))
        check_value(wrong, "shown", new.shown, about)
        if new.meter_setting_c is not None:
            check_number(
                wrong, "meter_setting_c", new.meter_setting_c, TEMPERATURE_RANGE_C, "°C", "temperature setting"
            )
    if new.source in {Source.TYPED_SIGNAL, Source.TYPED_VALUE}:
        check_number(wrong, "temperature_c", new.temperature_c, TEMPERATURE_RANGE_C, "°C", "temperature")
        wrong |= wrong_of_meter(own, new.meter_did) if own else {}
    if probe is not None and own is not None and (site is not None or new.visit_id is not None):
        wrong |= PlaceRead(site, new.visit_id).wrong(session, what_it_is.kind_of(probe), own, new.place, taken_at)
    typed, name = (new.signal, "signal") if new.source == Source.TYPED_SIGNAL else (new.shown, "shown")
    likely = site.expected(what_it_is.kind_of(probe).quantity) if site and probe else None
    if own and likely and typed is not None and (asked := asked_thousandth(own, typed, likely)):
        wrong[name] = asked
    if wrong or probe is None:
        raise InvalidInput(wrong)
    return site, probe, taken_at


def _despite(new: NewReading, why_not: str, measured: Measured, basis: Basis | None) -> Despite:
    """Return what speaks against the probe at that moment, with the reason for which it was used all the same.

    Raises
    ------
    InvalidInput
        Where something does and no reason is given.
    """
    if not why_not and measured.signal is not None and basis is None:
        why_not = "It has no signed calibration. Calibrate it first."
    if why_not and not new.despite.strip():
        words = f"{why_not} Or say why you read with it as it is; the reason stays on record."
        raise InvalidInput({"despite": words})
    return Despite(why_not, new.despite.strip())


def _told(session: Session, new: NewReading) -> dict[str, Any]:
    """Return what the form of a reading itself says."""
    told: dict[str, Any] = {
        "site_id": new.site_id, "probe_id": new.probe_id, "source": new.source, "note": noted(new),
    }  # fmt: skip
    if new.source != Source.DEVICE:
        told |= {"temperature_c": new.temperature_c, "signal": None, "shown": None}
        probe = session.get(Probe, new.probe_id) if new.probe_id else None
        if new.source == Source.TYPED_VALUE:
            told |= {"shown": new.shown}
        elif probe and new.signal is not None and new.temperature_c is not None:
            told |= {"signal": typed_signal(new, probe)}
    return told
