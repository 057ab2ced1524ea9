"""What a technician enters for a reading, and what was measured: by the device, as typed, or as it was before."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from brumel.core.calibrating.meter_run import serving
from brumel.core.findings import Acceptance, Level
from brumel.core.kit.accuracy import Accuracy
from brumel.core.kit.care import METER_LOSES
from brumel.core.kit.readiness import ended
from brumel.core.place.conditions import U_TEMPERATURE_C, Conditions
from brumel.core.place.surroundings import Surroundings
from brumel.core.reading.reading_verdict import Basis, MetersOwn
from brumel.core.sensing.response import LEFT_OVER, TEMPERATURE, Response
from brumel.core.words.catalogue import word
from brumel.services.calibrating import run_responses
from brumel.services.calibrating.meter_runs import points_of
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.house.rules import in_force
from brumel.services.live.channels import positions_of
from brumel.services.live.display import signal_behind
from brumel.services.live.signal import Signal, Transform, raw_signal, signal_since
from brumel.services.probes import run_facts, what_it_is
from brumel.services.readings.correct import Measured, ShownBy, principle_of, reading_transform, water_of
from brumel.services.said import BY_EYE, settling_of, u_of
from brumel.store.models.base import Source
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Probe, Site
from brumel.store.queries import run as run_queries

_REMEMBERED = timedelta(days=7)
"""So long back is looked whether a meter lost its calibration (rule of this product)."""


@dataclass(frozen=True)
class NewReading:
    """What a technician enters for a reading; which fields count depends on ``source``."""

    reading_id: uuid.UUID
    site_id: uuid.UUID | None
    probe_id: uuid.UUID | None
    source: str
    after_seq: int | None = None
    signal: float | None = None
    temperature_c: float | None = None
    shown: float | None = None
    meter_setting_c: float | None = None
    meter_did: Mapping[str, Any] = field(default_factory=dict)
    """What the meter had done to a typed value, by what its principle asks of meters."""
    place: Surroundings = field(default_factory=Surroundings)
    """Pressure and salinity, where the probe's principle asks."""
    taken_at: datetime | None = None
    unsettled_reason: str = ""
    despite: str = ""
    """Why a probe that is not ready, or was never calibrated, is used all the same."""
    note: str = ""
    amends_id: uuid.UUID | None = None
    amend_reason: str = ""
    visit_id: uuid.UUID | None = None
    depth_m: float | None = None
    replicate: str = ""
    layer: str = ""
    typed_as: str = ""
    warm_by: uuid.UUID | None = None
    """The reading that a typed temperature was taken from."""
    u_temperature_c: float | None = None
    """Its standard uncertainty, where it was taken from one."""
    until_seq: int | None = None
    """The sample up to which the page had judged the trace when it was taken; None where no page was looked at."""


def measure(session: Session, new: NewReading, probe: Probe, taken_at: datetime, place: Surroundings) -> Measured:
    """Return what was measured: by the device since the probe went in, as typed, or as the amended reading has it.

    Raises
    ------
    InvalidInput
        Where the device has given nothing yet, or nothing stable and no reason is given.
    """
    if new.source != Source.DEVICE:
        return replace(_typed(new, probe), place=place)
    if new.amends_id:
        return _measured_before(session, new.amends_id, place)
    positions = positions_of(probe)
    if probe.device is None or positions is None or new.after_seq is None:
        raise InvalidInput({"device": "Put the probe into the water first, then record."})
    _, basis = run_responses.basis_of(session, probe.id, taken_at)
    own = principle_of(probe)
    if positions.indicated:
        rule = in_force().settled(own.quantity, calibrating=False)
        seen_as: Transform = raw_signal
    else:
        rule = in_force().settled(what_it_is.kind_of(probe).quantity, calibrating=False)
        seen_as = reading_transform(probe, basis, water_of(session.get(Site, new.site_id), taken_at), place)
    signal = signal_since(session, probe.device.id, new.after_seq, rule, positions, seen_as, new.until_seq)
    if signal.acceptance is Acceptance.UNSETTLED and not new.unsettled_reason.strip():
        why = f"Not stable yet. {word(signal.says)} Wait, or record it with a reason; the reason stays on record."
        raise InvalidInput({"device": why})
    return Measured(
        temperature_c=signal.temperature_c,
        signal=None if positions.indicated else signal.value,
        shown=signal.value if positions.indicated else None,
        acceptance=signal.acceptance,
        left_over=(signal.left_over or 0.0) * _in_primary(probe, basis, signal, seen_as, place),
        place=place,
        settling=signal.says,
        settling_s=signal.elapsed_s,
        approach=signal.approach,
        trace=signal.trace,
    )


def _in_primary(probe: Probe, basis: Basis | None, signal: Signal, seen_as: Transform, place: Surroundings) -> float:
    """Return what a little of the value that people read is in the quantity that the probe senses."""
    own = principle_of(probe)
    if what_it_is.kind_of(probe).quantity == own.quantity:
        return 1.0
    response = basis.response if basis else Response.usual(own)
    read = float(seen_as(np.array([signal.value]), np.array([signal.temperature_c]))[0])
    sensed = float(response.value(signal.value, place.at(signal.temperature_c, probe.reference or "")))
    return abs(sensed / read) if np.isfinite(read) and read else 1.0


def typed_signal(new: NewReading, probe: Probe) -> float:
    """Return the signal behind a typed one, by what the meter did to it and what is set in it."""
    assert new.signal is not None  # checked before
    assert new.temperature_c is not None
    at = Conditions(new.temperature_c)
    return signal_behind(principle_of(probe), new.signal, new.meter_did, at, probe.settings or {})


def _typed(new: NewReading, probe: Probe) -> Measured:
    assert new.temperature_c is not None  # checked before
    typed = Measured(
        new.temperature_c, meter_did=new.meter_did, settling=BY_EYE,
        u_temperature_c=U_TEMPERATURE_C if new.u_temperature_c is None else new.u_temperature_c,
    )  # fmt: skip
    if new.source == Source.TYPED_SIGNAL:
        return replace(typed, signal=typed_signal(new, probe))
    return replace(typed, shown=new.shown, meter_setting_c=new.meter_setting_c)


def _measured_before(session: Session, reading_id: uuid.UUID, place: Surroundings) -> Measured:
    """Keep what the device gave in an amendment of its reading; site, probe or note may change."""
    old = session.get(Reading, reading_id)
    if old is None or old.temperature_c is None:
        raise NotFound("There is no such reading to amend.")
    known = as_measured(old)
    return replace(known, place=place) if place != Surroundings() else known


def as_measured(old: Reading) -> Measured:
    """Return what was measured for a reading, as it keeps it; without its trace."""
    assert old.temperature_c is not None
    return Measured(
        temperature_c=old.temperature_c,
        signal=old.signal,
        shown=old.shown,
        meter_setting_c=old.meter_setting_c,
        meter_did=old.meter_did,
        acceptance=Acceptance(old.acceptance),
        left_over=u_of(old.budget, LEFT_OVER, 0.0),
        settling=settling_of(old),
        settling_s=old.settling_s,
        place=Surroundings.of(old.surroundings),
        u_temperature_c=u_of(old.budget, TEMPERATURE, U_TEMPERATURE_C),
    )


def shown_by(session: Session, probe: Probe, at: datetime, clock: Clock) -> ShownBy:
    """Return what is known of the meter that a probe is plugged into, at a moment."""
    if probe.meter is None:
        return ShownBy()
    key = what_it_is.kind_of(probe).quantity
    accuracy = Accuracy.of(probe.meter.accuracy.get(key))
    lost = ended(what_it_is.events_of_its_meter(session, probe), METER_LOSES, at - _REMEMBERED, at)
    when = f"on {clock.said(lost.at)}" if lost else ""
    own = MetersOwn(probe.meter.label, accuracy.states_accuracy, when)
    kept = None if lost else run_queries.newest_kept(session, probe.id, at)
    if kept is None or kept.signature is None:
        return ShownBy(accuracy, own)
    if run_facts.age_days(kept.signature, at) > run_facts.holds_days_of(kept)[1]:
        return ShownBy(accuracy, own)
    level = Level(kept.signature.level)
    own = replace(own, checked=clock.day_said(clock.local(kept.started_at).date()), level=level)
    points = serving(points_of(kept), principle_of(probe).quantity) or serving(points_of(kept), key)
    return ShownBy(accuracy, own, () if level is Level.UNFIT else points)
