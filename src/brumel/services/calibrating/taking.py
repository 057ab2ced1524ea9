"""Taking a point: which lot it is from, what the probe or a hand says, what was otherwise; as a row of the record."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from brumel.core.calibrating.judging import principle_of
from brumel.core.calibrating.procedure import Step, StepKind, steps_of
from brumel.core.findings import Acceptance
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.quantity import quantity
from brumel.core.said import Value, says
from brumel.core.sensing.principles import signs_of
from brumel.core.words.catalogue import word
from brumel.services.calibrating.rows import (
    Beside,
    point_row,
)
from brumel.services.calibrating.shown import begun_last
from brumel.services.clock import Clock
from brumel.services.errors import InvalidInput, NotFound, check_number, check_value
from brumel.services.house.rules import in_force
from brumel.services.live.channels import signal_positions_of
from brumel.services.live.display import asked_thousandth, signal_behind, wrong_of_meter
from brumel.services.live.signal import Signal, signal_since
from brumel.services.probes import run_facts
from brumel.services.said import BY_EYE, deviation_columns
from brumel.services.shelf import lot_words
from brumel.store.database import hold
from brumel.store.models.base import Source
from brumel.store.models.calibration import (
    CalibrationRun,
)
from brumel.store.models.reference import Instrument, Lot, Person


@dataclass(frozen=True)
class TakePoint:
    """A point to be accepted: from the device, or typed."""

    point_id: uuid.UUID
    step: str
    typed_signal: float | None = None
    typed_temperature_c: float | None = None
    device: bool = True
    meter_did: Mapping[str, Any] = field(default_factory=dict)
    """What the meter had done to a typed value: ``method``, ``coefficient``, ``reference_c``."""
    unsettled_reason: str = ""
    deviations: Sequence[str] = field(default_factory=tuple)
    deviation_reason: str = ""
    """Why something was done otherwise; wanted with every deviation."""
    so: Sequence[str] | None = None
    """What was answered to what is asked at the step; None where nobody was asked."""
    lot_id: uuid.UUID | None = None
    """Another lot than the one chosen at the beginning; None where that one was used."""
    reference: float | None = None
    """What an instrument beside the probe showed, where a step compares."""
    instrument_id: uuid.UUID | None = None
    until_seq: int | None = None
    """The sample up to which the page had judged the trace when it was taken; None where no page was looked at."""


def taken(
    session: Session, run: CalibrationRun, step: Step, take: TakePoint, person: Person, clock: Clock
) -> tuple[dict[str, Any], Signal]:
    """Return the row of a point and the signal that it is from.

    Raises
    ------
    InvalidInput
        Where the signal has not settled and no reason is given, or a typed value can't be.
    """
    lot, beside = _lot_of(session, run, step, take), _beside(session, run, step, take)
    signal = _device_signal(session, run, take) if take.device else _typed_signal(run, take)
    at = run_facts.where(run, signal.temperature_c)
    aim = (beside.target if beside else lot_words.aim_of(step, lot, at)).value
    typed = None if take.device else take.typed_signal
    if typed is not None and (asked := asked_thousandth(principle_of(run.method), typed, (aim, aim))):
        raise InvalidInput({"signal": asked})
    apart = _apart(run, step, aim, signal.temperature_c)
    if apart and not take.unsettled_reason.strip():
        raise InvalidInput({"apart": apart})
    now, today, begun = clock.now(), clock.today(), begun_last(run, step.key)
    row = point_row(take.point_id, run, person, step, lot, signal, taken_at=now, today=today, beside=beside)
    row |= {
        "source": Source.DEVICE if take.device else Source.TYPED_SIGNAL,
        **deviation_columns(_deviations(run, take)),
        "meter_did": dict(take.meter_did),
        "begun_id": begun.id if begun else None,
    }
    return row, signal


def _apart(run: CalibrationRun, step: Step, aim: float, temperature_c: float) -> str:
    """Say why a point should wait for its temperature, and what to do; empty where it need not."""
    if step.kind is StepKind.AIR and (apart := run_facts.place_of(run).apart(temperature_c)):
        return f"{word(apart)} Hang the bottle in the water for half an hour, or say why not."
    taken = [(p.target, p.temperature_c) for p in run_facts.standing_points(run) if p.step != step.key]
    pair = signs_of(principle_of(run.method).key).apart(taken, (aim, temperature_c))
    return f"{word(pair)} Let both stand together, or say why not." if pair else ""


def step_of(run: CalibrationRun, key: str) -> Step:
    """Return a step of the run's procedure by its key."""
    for step in steps_of(run.method):
        if step.key == key:
            return step
    raise NotFound(f"This run has no step {key!r}.")


def _lot_of(session: Session, run: CalibrationRun, step: Step, take: TakePoint) -> Lot | None:
    """The lot that a point is taken from: the one named with it, else the one chosen for its step; none in air."""
    if not step.role:
        return None
    lot = session.get(Lot, take.lot_id or uuid.UUID(run.lots[step.key]))
    if lot is not None:
        hold(session, lot.bottle)
        session.refresh(lot)
    if lot is None or not _serves(lot, step):
        raise InvalidInput({"lot": f"This lot can't serve as the {step.role} standard: choose another."})
    return lot


def _serves(lot: Lot, step: Step) -> bool:
    return lot.discarded_on is None and in_force().roles[step.role].admits(lot.standard, lot.nominal, lot.family)


def _beside(session: Session, run: CalibrationRun, step: Step, take: TakePoint) -> Beside | None:
    """Return what an instrument beside the probe showed, with its uncertainty; None where a step compares with none.

    Raises
    ------
    InvalidInput
        Without its value, or an instrument of the kit that measures it.
    """
    if step.kind is not StepKind.COMPARE:
        return None
    about, wrong = quantity(principle_of(run.method).quantity), dict[str, str]()
    check_value(wrong, "reference", take.reference, about)
    instrument = session.get(Instrument, take.instrument_id) if take.instrument_id else None
    if instrument is None or about.key not in instrument.measures:
        wrong["instrument"] = f"Choose the instrument that it is compared with; one that measures {about.name}."
    if wrong or instrument is None or take.reference is None:
        raise InvalidInput(wrong)
    return Beside.of(instrument, about, take.reference)


def _device_signal(session: Session, run: CalibrationRun, take: TakePoint) -> Signal:
    begun = begun_last(run, take.step)
    positions = signal_positions_of(run.probe)
    if run.probe.device is None or positions is None or begun is None:
        raise InvalidInput({"device": "Put the probe into its standard first, then take the point."})
    rule = in_force().settled(principle_of(run.method).quantity, calibrating=True)
    signal = signal_since(session, run.probe.device.id, begun.after_seq, rule, positions, until_seq=take.until_seq)
    if signal.acceptance is Acceptance.UNSETTLED and not take.unsettled_reason.strip():
        why = f"Not stable yet. {word(signal.says)} Wait, or take it with a reason; the reason stays on record."
        raise InvalidInput({"device": why})
    return signal


def _typed_signal(run: CalibrationRun, take: TakePoint) -> Signal:
    wrong: dict[str, str] = {}
    own = principle_of(run.method)
    signal, warmth = take.typed_signal, "temperature_c" if own.asks_temperature else "reference"
    temperature_c = take.typed_temperature_c if own.asks_temperature else take.reference
    shown = own.display_name or own.signal_name
    check_number(wrong, "signal", signal, own.signal_range, own.typed_unit, shown)
    check_number(wrong, warmth, temperature_c, TEMPERATURE_RANGE_C, "°C", "temperature")
    wrong |= wrong_of_meter(own, take.meter_did)
    if wrong or signal is None or temperature_c is None:
        raise InvalidInput(wrong)
    signal = signal_behind(
        own, signal, take.meter_did, run_facts.where(run, temperature_c), run.method.get("settings", {})
    )
    return Signal(signal, temperature_c, Acceptance.BY_EYE, BY_EYE)


def told(run: CalibrationRun, take: TakePoint) -> dict[str, Any]:
    """Return what the form of a point itself says."""
    told: dict[str, Any] = {"run_id": run.id, "step": take.step, **deviation_columns(_deviations(run, take))}
    if not take.device:
        typed = _typed_signal(run, take)
        told |= {"signal": typed.value, "temperature_c": typed.temperature_c}
    return told


def _deviations(run: CalibrationRun, take: TakePoint) -> list[Value]:
    """Return what was otherwise; what was asked and not said to be so is."""
    found: list[Value] = [d.said for d in in_force().deviations.values() if d.key in take.deviations]
    if len(found) < len(set(take.deviations)):
        raise InvalidInput({"deviations": "One of these is not known here; load the page again and tick what differs."})
    if found and not take.deviation_reason.strip():
        raise InvalidInput({"deviation_reason": "Say in a few words why; it stays on record with the point."})
    if found:
        found.append(says("deviation.because", why=take.deviation_reason.strip()))
    asked = step_of(run, take.step).asks(principle_of(run.method))
    if asked and take.so is not None:
        if not take.so:
            raise InvalidInput({"so": "Look, and tick what is so; what isn't ticked is kept with the point."})
        found += [a.otherwise for a in asked if a.key not in take.so]
    if take.unsettled_reason.strip():
        found.append(says("deviation.all-the-same", why=take.unsettled_reason.strip()))
    return found
