"""What a principle's signal can show by itself: causes, named before the numbers that they spoil, and remarks."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from brumel.core.findings import Finding
from brumel.core.said import Said
from brumel.core.sensing.run import Run

Stood = tuple[float, float]
"""The value of a standard, and how warm it was when its point was taken, °C."""
OfMeter = Callable[[Said, float, float, float | None], Finding | None]
"""Why a meter may show so many times a standard's value: given what it shows, the ratio, the value and the
temperature, °C."""


def nothing(run: Run) -> Iterator[Finding]:
    """Find nothing: a principle whose signal shows nothing by itself."""
    del run
    return iter(())


@dataclass(frozen=True)
class Signs:
    """Holds what one principle's signal can show: causes, and remarks beside them."""

    causes: Callable[[Run], Iterable[Finding]]
    remarks: Callable[[Run], Iterable[Finding]] = nothing
    apart: Callable[[Sequence[Stood], Stood], Said | None] = lambda taken, now: None
    """Why a point should wait, by how warm its standard is beside those taken already; None where it need not."""
    beside: Callable[[Sequence[float], tuple[float, float]], str] = lambda labels, waters: ""
    """Where standards lie that leave the waters untested; empty where they don't, or no scale of decades asks."""
    of_meters: Mapping[str, OfMeter] = field(default_factory=dict)
    """By quantity: what is known of meters that keep a calibration of it themselves."""
