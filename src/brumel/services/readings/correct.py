"""Correcting what was measured: with the response behind it, or as the meter shows it; and judging it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brumel.core.calibrating.meter_run import KeptPoint, of_last_check
from brumel.core.calibrating.tolerances_of_kinds import tolerances_for
from brumel.core.findings import Acceptance, Despite, Finding, Level, verdict, worst_first
from brumel.core.kit.accuracy import Accuracy
from brumel.core.numbers.series import Series
from brumel.core.place.conditions import U_TEMPERATURE_C, Conditions
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import Compensation
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.reading.reading_verdict import Basis, JudgedReading, MetersOwn, judge_reading
from brumel.core.said import Amount, Of, Value, celsius, says
from brumel.core.sensing.follows import Derived
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import as_read, derived_from
from brumel.core.sensing.response import LEFT_OVER, Response
from brumel.core.uncertainty import Budget, Contribution
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.live.signal import Transform
from brumel.services.probes import what_it_is
from brumel.store.models.reference import Probe, Site

_READY = Despite()


@dataclass(frozen=True)
class Measured:
    """What was measured, from whichever source."""

    temperature_c: float
    signal: float | None = None
    shown: float | None = None
    meter_setting_c: float | None = None
    meter_did: Mapping[str, Any] = field(default_factory=dict)
    acceptance: Acceptance = Acceptance.BY_EYE
    settling: Value = ""
    settling_s: float | None = None
    left_over: float = 0.0
    """How far the value may lie from the end of its approach."""
    approach: tuple[float, float, float] | None = None
    """End, height and time constant, s, of its approach."""
    place: Surroundings = field(default_factory=Surroundings)
    """What was known of it beside the temperature."""
    trace: Series | None = None
    u_temperature_c: float = U_TEMPERATURE_C
    """Of the thermometer that its temperature is by."""

    @property
    def did(self) -> dict[str, Any]:
        """All that its meter did to the shown value."""
        return dict(self.meter_did) | ({} if self.meter_setting_c is None else {"setting_c": self.meter_setting_c})


@dataclass(frozen=True)
class Corrected:
    """A reading as it is judged: what was measured, what it is, and all that stands beside it."""

    measured: Measured
    quantity: Quantity
    value: float
    budget: Budget
    working: list[Value]
    derived: list[dict[str, Any]]
    findings: list[Finding]
    level: Level

    def with_findings(self, more: Sequence[Finding]) -> Corrected:
        """Return the same with what else speaks for or against it."""
        if not more:
            return self
        findings = worst_first([*self.findings, *more])
        return replace(self, findings=findings, level=verdict(findings))


def water_of(site: Site | None, at: datetime) -> Compensation:
    """Return how a site's conductivity is compensated at a moment; natural waters where there is no site."""
    return Compensation.of(site.set_at(at).compensation or {}) if site else Compensation()


def principle_of(probe: Probe) -> Principle:
    """Say how a probe senses.

    Raises
    ------
    InvalidInput
        Where its kind is not read here yet.
    """
    own = what_it_is.senses(probe)
    if own is None:
        raise InvalidInput({"probe": f"A {what_it_is.kind_of(probe).name} probe is not read here yet: choose another."})
    return own


@dataclass(frozen=True)
class ShownBy:
    """What is known of the meter that a shown value comes from."""

    accuracy: Accuracy = field(default_factory=Accuracy)
    own: MetersOwn = field(default_factory=MetersOwn)
    last_check: tuple[KeptPoint, ...] = ()
    """Of a calibration or check that still serves; it goes before what is stated."""

    def contributions(self, value: float, own: Principle, read: str, at: Conditions) -> list[Contribution]:
        """Return standard uncertainties (k = 1) of a value that it shows; empty where nothing is known.

        ``read`` is the quantity that its accuracy is stated for, which may have another unit than what is sensed.
        """
        about = quantity(own.quantity)
        if self.last_check:
            return of_last_check(self.last_check, about, value)
        if self.accuracy.states_accuracy:
            unit = about.stated_in
            if quantity(read).unit == about.unit:
                return self.accuracy.contributions(value, unit)
            each = float(as_read(own, read, np.array([1.0]), at, Compensation())[0])
            found = self.accuracy.contributions(value * each, quantity(read).unit)
            return [replace(c, sensitivity=c.sensitivity / each) for c in found]
        return []


def correct(
    measured: Measured,
    probe: Probe,
    basis: Basis | None,
    site: Site | None,
    water: Compensation,
    meter: ShownBy | None = None,
    despite: Despite = _READY,
) -> Corrected:
    """Correct a measurement with the response behind it, or take it as the meter shows it; and judge it."""
    meter, own = meter or ShownBy(), principle_of(probe)
    about = quantity(own.quantity)
    at = measured.place.at(measured.temperature_c, probe.reference or "")
    at = replace(at, u_temperature_c=measured.u_temperature_c)
    if measured.signal is None:
        value, budget, working = _from_shown(measured, own, about, meter, at, what_it_is.kind_of(probe).quantity)
    else:
        response = basis.response if basis else Response.usual(own)
        value = response.value(measured.signal, at)
        working = own.working(measured.signal, value, at, response.by_key)
        budget = response.budget(
            measured.signal, at, age_days=basis.age_days if basis else 0.0, left_over=measured.left_over
        )
    derived, wanted = derived_from(own, value, budget, at, water), what_it_is.kind_of(probe).quantity
    if (head := next((d for d in derived if d.quantity == wanted), None)) is not None:
        # What people read is worked out; what the probe senses stands beside it.
        itself = Derived(about.key, value, budget, about.unit, ())
        derived = [itself, *(d for d in derived if d is not head)]
        about, value, budget, working = quantity(head.quantity), head.value, head.budget, [*working, *head.working]
    unit = about.stated_in
    u, expanded = Amount(budget.u, unit, about.decimals + 1), Amount(budget.expanded, unit, about.decimals)
    working.append(says("working.u", u=u, expanded=expanded))
    findings = judge_reading(
        JudgedReading(
            quantity=about.key,
            value=value,
            temperature_c=measured.temperature_c,
            basis=basis,
            acceptance=measured.acceptance,
            settling=measured.settling,
            expected=site.expected(about.key) if site else None,
            meter=meter.own if measured.signal is None else None,
            despite=despite,
            standard=tolerances_for(in_force(), own.key, probe.kind)["standard"],
            instead_of=wanted if wanted != about.key and water.method != "none" else "",
            assumed=own.assumed,
            signal=own.signal_plural if own.signal_unit != about.unit else "",
            place=measured.place,
            still_s=own.still_s(measured.approach, at),
        )
    )
    return Corrected(measured, about, value, budget, working, [d.plain for d in derived], findings, verdict(findings))


def _from_shown(
    measured: Measured, own: Principle, about: Quantity, meter: ShownBy, at: Conditions, read: str
) -> tuple[float, Budget, list[Value]]:
    """From a value that the meter shows, its fixed temperature setting undone where it has one.

    No calibration of ours stands behind it: its uncertainty is what is known of the meter, else its last check's, else
    it is taken wide.
    """
    assert measured.shown is not None
    shown = measured.shown
    value, working = own.undone(shown, measured.did, at)
    if not working:
        itself = None
        if own.meter_asks == "setting":
            itself = says("working.shown.itself", at=celsius(measured.temperature_c))
        working = [says("working.shown", value=Of(about.key, shown), itself=itself)]
    unit = about.stated_in
    known = meter.contributions(value, own, read, at)
    left = [Contribution(LEFT_OVER, measured.left_over, unit, 1.0)] if measured.left_over else []
    if not known:
        u = about.unknown_at(value) / 2
        return value, Budget.of([Contribution("unknown-meter", u, unit, 1.0), *left]), working
    return value, Budget.of([*known, *own.beyond_any_meter(value, at), *left]), working


def reading_transform(probe: Probe, basis: Basis | None, water: Compensation, place: Surroundings) -> Transform:
    """Reading, the corrected value is judged as people read it, not the raw signal."""
    own = principle_of(probe)
    response = basis.response if basis else Response.usual(own)
    head = what_it_is.kind_of(probe).quantity

    def corrected(signal: NDArray[np.float64], temperature_c: NDArray[np.float64]) -> NDArray[np.float64]:
        at = place.at(temperature_c, probe.reference or "")
        return as_read(own, head, np.asarray(response.value(signal, at)), at, water)

    return corrected
