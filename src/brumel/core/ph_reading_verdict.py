"""Whether a pH reading can be relied on, and what to do where it can't."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from brumel.core.calibration import ElectrodeFit
from brumel.core.findings import Finding, Level, worst_first
from brumel.core.holding import worth
from brumel.core.methods.model import PhLimits

_HOUSE = "rule of this product"


@dataclass(frozen=True)
class Basis:
    """The calibration that a reading rests on."""

    fit: ElectrodeFit
    level: Level
    age_days: float
    buffers_ph: tuple[float, float]
    worst: str = ""
    voided_by: str = ""
    """What was done to the probe since, that ends a calibration; empty where nothing was."""


@dataclass(frozen=True)
class PhReading:
    """A pH reading as the verdict sees it."""

    ph: float
    temperature_c: float
    basis: Basis | None
    settled: bool | None = None
    settling_words: str = ""
    expected_ph: tuple[float, float] | None = None
    meters_own_line: bool = False


def judge_ph_reading(reading: PhReading, limits: PhLimits) -> list[Finding]:
    """All findings of a pH reading, worst first."""
    return worst_first([*_basis(reading, limits), *_reading(reading)])


def _basis(reading: PhReading, limits: PhLimits) -> Iterator[Finding]:
    basis = reading.basis
    if basis is None:
        yield Finding(
            "calibration-missing",
            Level.UNFIT,
            "This probe has no signed calibration: the value rests on an ideal electrode."
            if not reading.meters_own_line
            else "This probe has no signed calibration: the value is the meter's own, unjudged.",
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
    if basis.age_days > limits.holds_sound_days:
        old = worth(Level.SOUND, basis.age_days, limits.holds_days)
        yield Finding(
            "calibration-old",
            old,
            f"The calibration is {_age(basis.age_days)} old; it holds {limits.holds_sound_days:g} day soundly and "
            f"{limits.holds_doubtful_days:g} days at most.",
            "Calibrate, or check in a buffer and note it, then read again.",
            15,
            "house rule",
        )
    low, high = basis.buffers_ph
    if not low <= reading.ph <= high:
        yield Finding(
            "not-bracketed",
            Level.DOUBTFUL,
            f"pH {reading.ph:.2f} lies outside the buffers of its calibration, {low:.2f} to {high:.2f}.",
            "Calibrate with a buffer beyond this water.",
            15,
        )


def _age(days: float) -> str:
    return f"{days * 24:.0f} hours" if days < 2 else f"{days:.0f} days"


def _reading(reading: PhReading) -> Iterator[Finding]:
    if reading.settled is False:
        yield Finding(
            "not-settled",
            Level.DOUBTFUL,
            f"Taken before it settled: {reading.settling_words or 'the rule did not hold.'}",
            "Wait for the tunnel to close and read again.",
            5,
        )
    if reading.meters_own_line:
        yield Finding(
            "meters-own-line",
            Level.DOUBTFUL,
            "The pH was typed as the meter shows it: the meter's own line stands behind it, not Brumel's.",
            "Type the millivolts where the meter shows them, or note the meter's own calibration.",
            2,
            _HOUSE,
        )
    if reading.expected_ph is not None and not reading.expected_ph[0] <= reading.ph <= reading.expected_ph[1]:
        low, high = reading.expected_ph
        yield Finding(
            "site-range",
            Level.DOUBTFUL,
            f"pH {reading.ph:.2f} lies outside what this site is expected to show, {low:.1f} to {high:.1f}.",
            "Read again after a rinse. If it stands, the water has changed: tell the person responsible for it.",
            5,
            "the site's expected range",
        )
    if not 0.0 <= reading.ph <= 14.0:
        yield Finding(
            "implausible",
            Level.UNFIT,
            f"pH {reading.ph:.2f} is not a value of natural or pool water: the probe, its plug or the line is wrong.",
            "Check the plug and the calibration, then read again.",
            15,
        )
