"""A pH calibration as its verdict sees it, and a first look at the signal before a point is taken."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from brumel.core.calibration import ElectrodeFit, FitPoint
from brumel.core.errors import CoreError
from brumel.core.findings import Acceptance
from brumel.core.methods.model import PhLimits, Use
from brumel.core.quantities.ph import nernst_slope_mv
from brumel.core.wording import signed


@dataclass(frozen=True)
class JudgedPoint:
    """A calibration point with all that the verdict looks at.

    Attributes
    ----------
    label
        What the technician calls it: ``neutral buffer 7.00``.
    fit_point
        Value, potential and temperature as the fit takes them.
    nominal_ph
        Value on the label at 25 °C.
    family
        Buffer family's key.
    use
        Adjusted to, or check only.
    value_known
        Whether the buffer's value is known at its measured temperature.
    acceptance
        Whether the settling rule held when the point was accepted; ``settling_words`` says what it was.
    expired_days, over_open_days
        Days past the lot's expiry and past its open life; 0 where in date.
    deviations
        What was done otherwise than the method says.
    """

    label: str
    fit_point: FitPoint
    nominal_ph: float
    family: str
    use: Use = Use.ADJUST
    value_known: bool = True
    acceptance: Acceptance = Acceptance.SETTLED
    settling_words: str = ""
    expired_days: int = 0
    over_open_days: int = 0
    deviations: tuple[str, ...] = ()

    @property
    def step_from_seven_mv(self) -> float:
        """Nernstian potential of the buffer, mV."""
        return -float(nernst_slope_mv(self.fit_point.temperature_c)) * (self.fit_point.ph - 7.0)


@dataclass(frozen=True)
class PreviousRun:
    """The probe's last full run, to compare with: its line and when it was."""

    fit: ElectrodeFit
    age_days: float


@dataclass(frozen=True)
class PhRun:
    """A pH calibration as the verdict sees it: points in the order done, and what they are for."""

    points: tuple[JudgedPoint, ...]
    fit: ElectrodeFit
    limits: PhLimits
    previous: PreviousRun | None = None
    waters_ph: tuple[float, float] | None = None
    new_electrode: bool = False

    @property
    def adjusted(self) -> tuple[JudgedPoint, ...]:
        """The points that the line was fitted to."""
        return tuple(p for p in self.points if p.use is Use.ADJUST)


@dataclass(frozen=True)
class BufferLook:
    """What the raw signal says of the cup that the probe is in, before it is accepted."""

    expected_mv: float
    unlike: bool
    sentence: str


def look_at_signal(
    mv: float, temperature_c: float, ph: float, line: ElectrodeFit | None, others: Sequence[tuple[str, float]]
) -> BufferLook:
    """Compare a potential with what this buffer must give, by the probe's last line or the ideal one.

    Parameters
    ----------
    mv, temperature_c
        The signal now.
    ph
        Value of the buffer that should be in the cup.
    line
        The probe's last line; the ideal one where None.
    others
        Names and values of the buffers it could be instead.
    """
    base = line or ElectrodeFit(100.0, 0.0, 2.5, 7.5, 0.0, (), None)
    expected = base.millivolts(ph, temperature_c)
    allowed = 30.0
    if abs(mv - expected) <= allowed:
        return BufferLook(expected, False, f"This buffer should give about {signed(expected, 0, plus=True)} mV.")
    alike = [name for name, value in others if abs(mv - base.millivolts(value, temperature_c)) <= allowed]
    guess = f" It looks like {alike[0]}." if alike else " Wrong cup, or the probe is not in the liquid?"
    return BufferLook(
        expected,
        True,
        f"This buffer should give about {signed(expected, 0, plus=True)} mV; "
        f"the probe gives {signed(mv, 0, plus=True)} mV.{guess}",
    )


def buffers_range(points: Sequence[JudgedPoint]) -> tuple[float, float]:
    """Lowest and highest value of the buffers of a run, pH."""
    if not points:
        raise CoreError("A run without points covers no range.")
    values = [p.fit_point.ph for p in points]
    return min(values), max(values)
