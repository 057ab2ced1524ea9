"""A calibration as its verdict sees it, and a first look at the signal before a point is taken."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from brumel.core.errors import CoreError
from brumel.core.findings import Acceptance, Despite
from brumel.core.place.conditions import Conditions
from brumel.core.place.surroundings import Surroundings
from brumel.core.said import Amount, Said, Value, says
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Deviation
from brumel.core.sensing.response import Response
from brumel.core.sensing.tolerances import Tolerances


class Use(StrEnum):
    """Whether the line is adjusted to a point, or the point only tests it."""

    ADJUST = "adjust"
    CHECK = "check"


class Came(StrEnum):
    """States in which a probe comes to its standards."""

    AS_IT_CAME = "as-it-came"
    CLEANED = "cleaned"
    """Cleaned since it was used last: what it shows is no check of the day."""
    NOT_KNOWN = "not-known"
    """Nothing stands before that would tell: no calibration, or one that something has ended."""


@dataclass(frozen=True)
class JudgedPoint:
    """A calibration point with all that the verdict looks at.

    Attributes
    ----------
    label
        What the technician calls it: ``buffer 7.00 (lot 4711)``.
    point
        Target, signal and conditions as the fit takes them.
    nominal
        Value on the label.
    family
        Family of the standard.
    use
        Adjusted to, or check only.
    target_known
        Whether the standard's value is known at its measured temperature.
    acceptance
        Whether the settling rule held when the point was accepted; ``settling`` says what it was.
    expired_days, over_open_days
        Days past the lot's expiry and past its open life; 0 where in date.
    deviations
        What was done otherwise than the method says.
    settling_s, first_signal
        Seconds until it was taken, and the signal that it came from; None where no trace tells.
    in_air
        Whether it was taken in air, not in a liquid.
    came
        In a check back: whether the probe was read as it came or cleaned; None in other runs.
    """

    label: str
    point: Point
    nominal: float | None
    family: str
    use: Use = Use.ADJUST
    target_known: bool = True
    acceptance: Acceptance = Acceptance.SETTLED
    settling: Value = ""
    expired_days: int = 0
    over_open_days: int = 0
    deviations: tuple[Value, ...] = ()
    settling_s: float | None = None
    first_signal: float | None = None
    in_air: bool = False
    came: Came | None = None

    @property
    def temperature_c(self) -> float:
        """Temperature of the standard, °C."""
        return float(self.point.at.temperature_c)


@dataclass(frozen=True)
class PreviousRun:
    """The probe's last full run, to compare with: its response, when it was, and what was done to the probe since."""

    response: Response
    age_days: float
    tended: str = ""
    """What was done since that may have changed it, in words; empty where nothing was."""
    bottles: frozenset[str] = frozenset()
    """The lots that it was made in, where somebody asked."""


@dataclass(frozen=True)
class Run:
    """A calibration as the verdict sees it: points in the order done, and what they are for."""

    points: tuple[JudgedPoint, ...]
    response: Response
    tolerances: Tolerances
    previous: PreviousRun | None = None
    waters: tuple[float, float] | None = None
    despite: Despite = field(default_factory=Despite)
    reach: tuple[float, float] | None = None
    """Values that the probe is made for, where its kind says so."""
    place: Surroundings = field(default_factory=Surroundings)
    """What was asked of the place where it was made."""
    out_of_order: tuple[str, ...] = ()
    """What was calibrated before it and should have come after, with the reason."""

    leaves_open: str = ""
    """What its method does not tell."""
    deviations: Mapping[str, Deviation] = field(default_factory=dict)
    """Each way of doing otherwise, by key."""

    @property
    def adjusted(self) -> tuple[JudgedPoint, ...]:
        """The points that the line was fitted to."""
        return tuple(p for p in self.points if p.use is Use.ADJUST)


@dataclass(frozen=True)
class CupLook:
    """What the raw signal says of the cup that the probe is in, before it is accepted."""

    expected: float
    unlike: bool
    says: Said


def look_at_signal(
    signal: float, at: Conditions, target: float, response: Response, tolerances: Tolerances,
    others: Sequence[tuple[str, float]],
) -> CupLook:  # fmt: skip
    """Compare a signal with what this standard must give, by the probe's last line or the usual one.

    Parameters
    ----------
    signal, at
        The signal now.
    target
        Value of the standard that should be in the cup.
    response
        The probe's last line; the usual one where there is none.
    others
        Names and values of the standards it could be instead.
    """
    own, expected = response.principle, response.signal(target, at)

    def amount(value: float, *, plus: bool = True) -> Amount:
        return own.signal_amount(value, 0, plus=plus and own.signal_signed)

    must: dict[str, Value] = {"standard": tolerances.standard, "expected": amount(expected)}
    unknown = 2.0 * response.u_of_signal(target, at)
    if tolerances.alike(signal, expected, unknown):
        known = tolerances.alike(expected + unknown, expected)
        within = None if known else says("cup.unknown", within=amount(unknown, plus=False))
        return CupLook(expected, False, says("cup.alike", unknown=within, **must))
    alike = [name for name, value in others if tolerances.alike(signal, response.signal(value, at))]
    guess = says("cup.other", other=alike[0]) if alike else says("cup.wrong")
    return CupLook(expected, True, says("cup.unlike", given=amount(signal), guess=guess, **must))


def targets_range(points: Sequence[JudgedPoint]) -> tuple[float, float]:
    """Lowest and highest target of a run."""
    if not points:
        raise CoreError("A run without points covers no range.")
    values = [p.point.value for p in points]
    return min(values), max(values)
