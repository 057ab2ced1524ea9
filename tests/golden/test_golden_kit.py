"""What the kit and a pressure say while one thing grows: where each answer changes, and in which words.

Minutes since an event, for each kind of probe; days past what stands on a bottle; a pressure as it is typed, in each
unit. Words of this tool, 27 November 2026; ``PYTHONPATH=src:. .venv/bin/python -m tests.golden.test_golden_kit`` writes
them anew.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from itertools import product
from pathlib import Path

import numpy as np
from tests.golden.changes import changes
from tests.golden.golden import Golden
from tests.said import called, remedy, sentence

from brumel.core.kit.accuracy import Accuracy
from brumel.core.kit.care import Care
from brumel.core.kit.readiness import CareEvent, readiness
from brumel.core.kit.shelf import LotFacts, judge_lot, lasts_until
from brumel.core.place.station_pressure import KINDS, Pressure, pressure_findings, wrong_with
from brumel.core.quantities.pressure import UNITS_HPA
from brumel.core.shipped_rules import shipped
from brumel.core.words.catalogue import word

NOON = datetime(2026, 5, 6, 12, tzinfo=UTC)
MINUTES = [float(m) for m in np.geomspace(0.5, 20_000.0, 14)]
"""After an event."""


def waits() -> Iterator[str]:
    """Each kind after each of its events: what it is, and what would end it; soaked ten hours after a bad storage.

    What is ready whatever happened, and what another kind says too, is left out.
    """
    told: set[str] = set()
    for key, kind in shipped().kinds.items():
        liquid = kind.storage_bad[0].liquid if kind.storage_bad else ""
        for care in kind.care:

            def said(minutes: float) -> str:
                at = NOON - timedelta(minutes=minutes)
                soaked = [CareEvent(Care.SOAKED, at + timedelta(hours=10))] if care == Care.STORED else []  # noqa: B023
                found = readiness(kind, [CareEvent(care, at, liquid), *soaked], [], NOON)  # noqa: B023
                cure = f" {found.cure.care} {found.cure.minutes:g}" if found.cure else ""
                return f"{found.state}: {word(found.why)} {word(found.do)}{cure}".strip()

            answers = "; ".join(changes(said, MINUTES))
            if (line := f"after {care}: {answers}") not in told and answers != "ready:":
                told.add(line)
                yield f"{key} {line}"
    changed = CareEvent(Care("membrane-changed"), NOON - timedelta(minutes=30.5))
    clock = readiness(shipped().kinds["oxygen-polarographic"], [changed], [], NOON).clocks[0]
    yield f"clock: {clock.minutes_left(NOON)} min left, {clock.filled(NOON):.4f} filled"


def bottles() -> Iterator[str]:
    """A lot from day to day."""
    today = date(2026, 5, 6)
    opened_on = date(2026, 3, 1)
    for opened, left, unit in (
        (None, 36.0, "mL"),
        (opened_on, 0.9, "mL"),
        (opened_on, None, "mL"),
        (opened_on, 36.0, "sachets"),
    ):
        for days in (-1, 0, 30, 31):
            lot = LotFacts(today + timedelta(days=days), opened, 60, left, None, unit)
            words = "; ".join(f"{f.level} {sentence(f)} {remedy(f)}" for f in judge_lot(lot, today))
            yield f"lot {opened} {left} {unit} {days}: {words} {lot.good_until} {lasts_until([lot], 4.0, today)}"


def pressures() -> Iterator[str]:
    """Numbers as they are typed, and what is asked or found."""
    for kind, altitude, hpa in product(KINDS, (None, 630.0), (399.0, 760.0, 940.0, 1013.25, 1101.0)):
        yield pressure(Pressure(hpa, "hPa", kind, altitude))
    for unit, hpa in product(UNITS_HPA, (940.0, 1101.0)):
        yield pressure(Pressure(float(f"{hpa / UNITS_HPA[unit]:.5g}"), unit, "station", 630.0))
    for typed in (29.92, 760.0, 14.7):
        yield pressure(Pressure(typed, "hPa", "station", 2500.0))


def pressure(given: Pressure) -> str:
    typed = f"pressure {given.typed:g} {given.unit} {given.kind} {given.altitude_m}"
    if wrong := wrong_with(given):
        return f"{typed}: {'; '.join(wrong.values())}"
    found = "; ".join(f"{f.level} {sentence(f)}" for f in pressure_findings(given))
    return f"{typed}: {word(given.said)}, cost {given.cost_percent:.2f}, u {given.u_hpa:g} {found}".rstrip()


def accuracies() -> Iterator[str]:
    """Half widths and what they contribute."""
    for accuracy in (
        Accuracy(0.02), Accuracy(percent_of_reading=1.5), Accuracy(percent_of_full_scale=0.5, full_scale=20.0),
        Accuracy(digits=2.0, step=0.01), Accuracy(step=0.1), Accuracy(0.1, 2.0, 1.0, 50.0, 3.0, 0.1),
    ):  # fmt: skip
        for value in (-4.0, 0.0, 7.0):
            shares = ", ".join(f"{called(c)} {c.u:.5g}" for c in accuracy.contributions(value, "pH"))
            yield f"accuracy {accuracy.words} at {value:g}: {accuracy.half_width(value):.5g}; {shares}"


def words() -> Iterator[str]:
    yield from waits()
    yield from bottles()
    yield from pressures()
    yield from accuracies()


GOLDEN = Golden(Path(__file__).with_name("kit.txt"), words)


def test_every_answer_changes_where_it_did() -> None:
    assert GOLDEN.now == GOLDEN.then


if __name__ == "__main__":
    GOLDEN.write()
