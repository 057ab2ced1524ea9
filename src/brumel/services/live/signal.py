"""The signal of a device since a moment, judged once, by the core."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from brumel.core.findings import Acceptance
from brumel.core.numbers.series import Series
from brumel.core.said import Said
from brumel.core.sensing.run import CupLook
from brumel.core.settling.judgement import judge_settling
from brumel.core.settling.rules import SettlingRule, display_step
from brumel.services.errors import InvalidInput
from brumel.services.live.channels import Positions
from brumel.store.models.reference import DeviceSample
from brumel.store.queries import device as device_queries

STALE = timedelta(seconds=6)
"""A probe that has sent nothing for longer has stopped sending."""

Transform = Callable[[NDArray[np.float64], NDArray[np.float64]], NDArray[np.float64]]
"""From signals and temperatures to the judged value."""


Look = Callable[[float, float], CupLook]
"""From a signal and a temperature to what the signal says of the cup that the probe is in."""


def raw_signal(signal: NDArray[np.float64], temperature_c: NDArray[np.float64]) -> NDArray[np.float64]:
    """Calibrating, the raw signal is judged."""
    del temperature_c
    return signal


@dataclass(frozen=True)
class Lens:
    """How a viewer sees a device's samples: corrected or raw, and compared with what a standard must give."""

    positions: Positions
    """Where signal and temperature stand in a sample."""
    transform: Transform = raw_signal
    look: Look | None = None
    of: Hashable = ()
    """All that what it shows hangs on: whose calibration, water, place, conditions. Two that differ in it differ."""

    def resolution(self, signal: NDArray[np.float64], temperature_c: NDArray[np.float64]) -> float:
        """The step of the display behind a judged value, in its unit: what one step of the signal makes of it."""
        return judged_step(signal, temperature_c, self.transform)


def judged_step(signal: NDArray[np.float64], temperature_c: NDArray[np.float64], transform: Transform) -> float:
    """Return what the signal's display step is in the judged value; 0 where the display shows none."""
    step = display_step(signal)
    if not step:
        return 0.0
    ends = transform(signal[-1:] + step, temperature_c[-1:]) - transform(signal[-1:], temperature_c[-1:])
    return float(np.nan_to_num(np.abs(ends[0])))


@dataclass(frozen=True)
class Signal:
    """A signal as it was accepted: means over the rule's window, and the trace behind them."""

    value: float
    temperature_c: float
    acceptance: Acceptance
    says: Said
    left_over: float | None = None
    """How far the value may lie from where its approach ends, in the judged unit; None where no trace tells."""
    elapsed_s: float | None = None
    approach: tuple[float, float, float] | None = None
    """End, height and time constant, s, of its approach, in the judged unit; None where no trace tells."""
    trace: Series | None = None
    """The samples that it was judged by, from their first; None where it was typed."""


def signal_since(
    session: Session,
    device_id: uuid.UUID,
    after_seq: int,
    rule: SettlingRule,
    positions: Positions,
    transform: Transform = raw_signal,
    until_seq: int | None = None,
) -> Signal:
    """Judge the device's signal after a sample by a rule, as far as whoever takes it has seen it judged.

    Parameters
    ----------
    until_seq
        The sample up to which the page had judged the trace when it was taken: what was read there as stable is what
        is taken, whatever comes while the form is on its way. One older than ``STALE``, or unknown, counts for nothing.

    Raises
    ------
    InvalidInput
        Where no sample has come since, or the probe has stopped sending.
    """
    samples = device_queries.samples_after(session, device_id, after_seq)
    if not samples:
        raise InvalidInput(
            {"device": "No sample has come from the probe since: check its plug, or type the reading by hand."}
        )
    if datetime.now(UTC) - samples[-1].stored_at > STALE:
        raise InvalidInput(
            {"device": "The probe has stopped sending: wait until the trace goes on, or type the reading by hand."}
        )
    samples = _as_seen(samples, until_seq)
    signal, temperature_c = np.array([positions.of(s.values) for s in samples], dtype=float).T
    trace = Series.of([s.time_s for s in samples], signal, temperature_c=temperature_c)
    step = judged_step(signal, temperature_c, transform)
    judgement = judge_settling(trace.seen_as(transform(signal, temperature_c)), rule, step)
    window = trace.span(*(judgement.window or ()))
    return Signal(
        value=float(window.values.mean()),
        temperature_c=float(window.temperature_c.mean()),
        acceptance=Acceptance.SETTLED if judgement.stable else Acceptance.UNSETTLED,
        left_over=judgement.left_over,
        says=judgement.says,
        approach=judgement.approach,
        elapsed_s=judgement.elapsed_s,
        trace=trace.begun(),
    )


def _as_seen(samples: Sequence[DeviceSample], until_seq: int | None) -> Sequence[DeviceSample]:
    """Leave out what came after the sample that the page had judged, while that is fresh."""
    seen = [s for s in samples if until_seq is not None and s.seq <= until_seq]
    return seen if seen and datetime.now(UTC) - seen[-1].stored_at <= STALE else samples
