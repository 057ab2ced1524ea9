"""Whether a reading can be relied on, and what to do where it can't."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from brumel.core.findings import Acceptance, Despite, Finding, Level, beyond, despite_findings, worst_first
from brumel.core.holding import worth
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.reading.pressure import pressure_findings
from brumel.core.reading.surroundings import WATER_C, Surroundings
from brumel.core.sensing.response import Response
from brumel.core.wording import counted, fahrenheit_meant, signed

_HOUSE = "rule of this product"
METERS_OWN = "meters-own-line"
"""The finding that a value is as a meter shows it, and where its U comes from."""
METER_UNKNOWN = "meter-unknown"
"""The finding that nothing is known of how exact a meter is: said once for all that it shows on a visit."""


@dataclass(frozen=True)
class Basis:
    """The calibration that a reading rests on."""

    response: Response
    level: Level
    age_days: float
    targets: tuple[float, float] | None
    """Lowest and highest standard of it, where waters must lie between them."""
    holds_days: tuple[float, float]
    """How long it holds soundly, and at most, as frozen into the run."""
    worst: str = ""
    voided_by: str = ""
    """What was done to the probe since, that ends a calibration; empty where nothing was."""


@dataclass(frozen=True)
class JudgedReading:
    """A reading as the verdict sees it."""

    quantity: str
    value: float
    temperature_c: float
    basis: Basis | None
    acceptance: Acceptance = Acceptance.BY_EYE
    settling_words: str = ""
    expected: tuple[float, float] | None = None
    meter: MetersOwn | None = None
    """The meter whose own calibration gave the value; None where Brumel's did."""
    despite: Despite = field(default_factory=Despite)
    standard: str = "buffer"
    """What its probe's standards are called."""
    instead_of: str = ""
    """The quantity that people read, by key, where it can't be worked out here and what is sensed stands instead."""
    assumed: str = "an ideal electrode"
    """What a value rests on where there is no calibration."""
    signal: str = "millivolts"
    """What its probe's raw signal is called; empty where what is shown is the signal."""
    place: Surroundings = field(default_factory=Surroundings)
    still_s: float = 0.0
    """Time constant, s, of a fall that comes of want of movement; 0 where there is none."""


@dataclass(frozen=True)
class MetersOwn:
    """What is known of a meter whose own calibration stands behind a value."""

    label: str = "the meter"
    accuracy_known: bool = False
    lost_calibration: str = ""
    """When it was switched off last, in words, where that ends its calibration; empty where it does not."""
    checked: str = ""
    """When it was calibrated or checked last, in words, where that still serves."""
    level: Level = Level.SOUND
    """What that was judged."""


def judge_reading(reading: JudgedReading) -> list[Finding]:
    """All findings of a reading, worst first."""
    about = quantity(reading.quantity)
    behind = _basis(reading, about) if reading.meter is None else _meters_own(reading, reading.meter, about)
    pressures = pressure_findings(reading.place.pressure, sensed=reading.meter is None)
    around = [*_still(reading), *despite_findings(reading.despite), *pressures]
    return worst_first([*behind, *around, *_reading(reading, about)])


def _still(reading: JudgedReading) -> Iterator[Finding]:
    if reading.still_s:
        yield Finding(
            "no-movement",
            Level.DOUBTFUL,
            f"The signal fell slowly, time constant {reading.still_s:.0f} s: without movement a membrane uses "
            "up the oxygen before it and reads low.",
            "Stir or jig the probe all the time and read again; moved all the time, the membrane is slow: renew it.",
            3,
        )


def _meters_own(reading: JudgedReading, meter: MetersOwn, about: Quantity) -> Iterator[Finding]:
    if meter.lost_calibration:
        yield Finding(
            "meter-lost-calibration",
            Level.UNFIT,
            f"{meter.label} loses its calibration when it is switched off, and was so {meter.lost_calibration}.",
            f"Calibrate it in its {reading.standard}s, then read again.",
            15,
        )
    if meter.checked and meter.level is not Level.SOUND:
        yield Finding(
            "meter-run-doubtful" if meter.level is Level.DOUBTFUL else "meter-run-unfit",
            meter.level,
            f"The last calibration or check of {meter.label}, {meter.checked}, was judged {meter.level}.",
            f"Do what its verdict says, check it in a {reading.standard} and note it, then read again.",
            15,
        )
    shown = f"The {about.name} is as {meter.label} shows it"
    if not meter.accuracy_known and not meter.checked:
        wide = f"±{about.unknown_at(reading.value):.3g} {about.stated_in}"
        signal = f", or type the {reading.signal} where it shows them" if reading.signal else ""
        yield Finding(
            METER_UNKNOWN,
            Level.DOUBTFUL,
            f"{shown}, and nothing is known of how exact that is: U is taken wide, {wide}.",
            f"Check it in a {reading.standard} and note it, or enter its accuracy on the meter's page{signal}.",
            10,
            _HOUSE,
        )
        return
    yield Finding(
        METERS_OWN,
        Level.SOUND,
        f"{shown}; U comes from "
        + (f"its last calibration or check, {meter.checked}." if meter.checked else "its stated accuracy."),
    )


def _basis(reading: JudgedReading, about: Quantity) -> Iterator[Finding]:
    basis = reading.basis
    if basis is None:
        yield Finding(
            "calibration-missing",
            Level.UNFIT,
            f"This probe has no signed calibration: the value rests on {reading.assumed}.",
            "Calibrate the probe, then read again.",
            15,
        )
        return
    if basis.voided_by:
        yield Finding(
            "calibration-voided",
            Level.UNFIT,
            f"Since the calibration behind this reading: {basis.voided_by}. That ends a calibration.",
            "Calibrate the probe as it is now, then read again.",
            15,
        )
    if basis.level is not Level.SOUND:
        yield Finding(
            "calibration-doubtful" if basis.level is Level.DOUBTFUL else "calibration-unfit",
            basis.level,
            f"The calibration behind this reading was judged {basis.level}{': ' + basis.worst if basis.worst else '.'}",
            "Do what its verdict says, calibrate, then read again.",
            15,
        )
    sound, at_most = basis.holds_days
    if beyond(basis.age_days, sound):
        old = worth(Level.SOUND, basis.age_days, basis.holds_days)
        yield Finding(
            "calibration-old",
            old,
            f"The calibration is {_age(basis.age_days)} old; it holds {counted(sound, 'day')} soundly "
            f"and {counted(at_most, 'day')} at most.",
            f"Calibrate, or check in a {reading.standard} and note it, then read again.",
            15,
            "house rule",
        )
    if basis.targets is None:
        return
    low, high = basis.targets
    if not about.lies_in(basis.targets, reading.value):
        yield Finding(
            "not-bracketed",
            Level.DOUBTFUL,
            f"{about.words(reading.value)} lies outside the {reading.standard}s of its calibration, "
            f"{about.number(low)} to {about.number(high)}{about.after}.",
            f"Calibrate with a {reading.standard} beyond this water.",
            15,
        )


def _age(days: float) -> str:
    return counted(round(days * 24), "hour") if days < 2 else counted(round(days), "day")


def _reading(reading: JudgedReading, about: Quantity) -> Iterator[Finding]:
    if reading.acceptance is Acceptance.UNSETTLED:
        yield Finding(
            "not-settled",
            Level.DOUBTFUL,
            f"Taken before it settled: {reading.settling_words or 'the rule did not hold.'}",
            "Wait for the tunnel to close and read again.",
            5,
        )
    if reading.instead_of:
        wanted = quantity(reading.instead_of).name
        yield Finding(
            "not-compensated",
            Level.DOUBTFUL,
            f"The {wanted} can't be worked out at {signed(reading.temperature_c)} °C by the compensation that the site "
            f"names; the {about.name} is recorded instead.",
            "Look at the temperature and at the compensation on the site's page, then amend the reading.",
            2,
        )
    if not WATER_C[0] <= reading.temperature_c <= WATER_C[1]:
        yield Finding(
            "temperature-implausible",
            Level.DOUBTFUL,
            f"{signed(reading.temperature_c)} °C is not a temperature of pools or natural waters: "
            f"{fahrenheit_meant(reading.temperature_c)}",
            "Look at the thermometer and its unit, then amend the reading.",
            2,
            _HOUSE,
        )
    if reading.expected is not None and not about.lies_in(reading.expected, reading.value):
        low, high = reading.expected
        yield Finding(
            "site-range",
            Level.DOUBTFUL,
            f"{about.words(reading.value)} lies outside what this site is expected to show, "
            f"{about.number(low)} to {about.number(high)}{about.after}.",
            "Read again after a rinse. If it stands, the water has changed: tell the person responsible for it.",
            5,
            "the site's expected range",
        )
    if not about.lies_in(about.plausible, reading.value):
        yield Finding(
            "implausible",
            Level.UNFIT,
            f"{about.words(reading.value)} is not a value of natural or pool water: the probe, its plug or the line is "
            "wrong.",
            "Check the plug and the calibration, then read again.",
            15,
        )
