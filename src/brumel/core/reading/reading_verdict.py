"""Whether a reading can be relied on, and what to do where it can't."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from brumel.core.findings import PRODUCT, Acceptance, Despite, Finding, Level, beyond, despite_findings, worst_first
from brumel.core.place.station_pressure import pressure_findings
from brumel.core.place.surroundings import WATER_C, Surroundings
from brumel.core.quantities.quantity import Quantity, quantity
from brumel.core.said import Amount, Count, Named, Of, Value, says, three_digits
from brumel.core.sensing.response import Response
from brumel.core.valid_until import worth
from brumel.core.wording import celsius_meant

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
    worst: Value = ""
    """What its verdict says first, where it is not sound."""
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
    settling: Value = ""
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
    """Return all findings of a reading, worst first."""
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
            says("no-movement", constant=Amount(reading.still_s, "s", 0)),
            says("no-movement.then"),
            3,
        )


def _meters_own(reading: JudgedReading, meter: MetersOwn, about: Quantity) -> Iterator[Finding]:
    if meter.lost_calibration:
        yield Finding(
            "meter-lost-calibration",
            Level.UNFIT,
            says("meter-lost-calibration", meter=meter.label, when=meter.lost_calibration),
            says("meter-lost-calibration.then", standard=reading.standard),
            15,
        )
    if meter.checked and meter.level is not Level.SOUND:
        yield Finding(
            "meter-run-doubtful" if meter.level is Level.DOUBTFUL else "meter-run-unfit",
            meter.level,
            says("meter-run", meter=meter.label, when=meter.checked, level=Named("level", str(meter.level))),
            says("meter-run.then", standard=reading.standard),
            15,
        )
    shown: dict[str, Value] = {"of": about.name, "meter": meter.label}
    if not meter.accuracy_known and not meter.checked:
        wide = Amount(three_digits(about.unknown_at(reading.value)), about.stated_in)
        signal = says("meter-unknown.signal", signal=reading.signal) if reading.signal else None
        yield Finding(
            METER_UNKNOWN,
            Level.DOUBTFUL,
            says("meter-unknown", wide=wide, **shown),
            says("meter-unknown.then", standard=reading.standard, signal=signal),
            10,
            PRODUCT,
        )
        return
    checked, stated = says("meters-own-line.checked", when=meter.checked), says("meters-own-line.stated")
    source = checked if meter.checked else stated
    yield Finding(METERS_OWN, Level.SOUND, says("meters-own-line", source=source, **shown))


def _basis(reading: JudgedReading, about: Quantity) -> Iterator[Finding]:
    basis = reading.basis
    if basis is None:
        yield Finding(
            "calibration-missing",
            Level.UNFIT,
            says("calibration-missing", assumed=reading.assumed),
            says("calibration-missing.then"),
            15,
        )
        return
    if basis.voided_by:
        yield Finding(
            "calibration-voided",
            Level.UNFIT,
            says("calibration-voided", by=basis.voided_by),
            says("calibration-voided.then"),
            15,
        )
    if basis.level is not Level.SOUND:
        why = says("calibration-judged.why", worst=basis.worst) if basis.worst else says("calibration-judged.no-more")
        yield Finding(
            "calibration-doubtful" if basis.level is Level.DOUBTFUL else "calibration-unfit",
            basis.level,
            says("calibration-judged", level=Named("level", str(basis.level)), why=why),
            says("calibration-judged.then"),
            15,
        )
    sound, at_most = basis.holds_days
    if beyond(basis.age_days, sound):
        old = worth(Level.SOUND, basis.age_days, basis.holds_days)
        yield Finding(
            "calibration-old",
            old,
            says("calibration-old", age=_age(basis.age_days), sound=Count(sound, "day"), most=Count(at_most, "day")),
            says("calibration-old.then", standard=reading.standard),
            15,
            Named("source", "house"),
        )
    if basis.targets is None:
        return
    low, high = basis.targets
    if not about.lies_in(basis.targets, reading.value):
        yield Finding(
            "not-bracketed",
            Level.DOUBTFUL,
            says(
                "not-bracketed",
                value=Of(about.key, reading.value),
                standard=reading.standard,
                low=Of(about.key, low),
                high=Of(about.key, high),
            ),
            says("not-bracketed.then", standard=reading.standard),
            15,
        )


def _age(days: float) -> Count:
    return Count(round(days * 24), "hour") if days < 2 else Count(round(days), "day")


def _reading(reading: JudgedReading, about: Quantity) -> Iterator[Finding]:
    if reading.acceptance is Acceptance.UNSETTLED:
        yield Finding(
            "not-settled",
            Level.DOUBTFUL,
            says("reading-not-settled", why=reading.settling or says("rule-did-not-hold")),
            says("reading-not-settled.then"),
            5,
        )
    if reading.instead_of:
        wanted, warm = quantity(reading.instead_of).name, Amount(reading.temperature_c, "°C", 1)
        yield Finding(
            "not-compensated",
            Level.DOUBTFUL,
            says("not-compensated", wanted=wanted, warm=warm, instead=about.name),
            says("not-compensated.then"),
            2,
        )
    if not WATER_C[0] <= reading.temperature_c <= WATER_C[1]:
        yield Finding(
            "temperature-implausible",
            Level.DOUBTFUL,
            says(
                "temperature-implausible",
                warm=Amount(reading.temperature_c, "°C", 1),
                celsius=Amount(celsius_meant(reading.temperature_c), "°C", 1),
            ),
            says("temperature-implausible.then"),
            2,
            PRODUCT,
        )
    if reading.expected is not None and not about.lies_in(reading.expected, reading.value):
        low, high = reading.expected
        yield Finding(
            "site-range",
            Level.DOUBTFUL,
            says("site-range", value=Of(about.key, reading.value), low=Of(about.key, low), high=Of(about.key, high)),
            says("site-range.then"),
            5,
            Named("source", "site"),
        )
    if not about.lies_in(about.plausible, reading.value):
        yield Finding(
            "implausible",
            Level.UNFIT,
            says("implausible", value=Of(about.key, reading.value)),
            says("implausible.then"),
            15,
        )
