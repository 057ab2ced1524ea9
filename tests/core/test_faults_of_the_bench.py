"""What ails a probe of the bench is named once its points were taken, from the line's text to the verdict.

The browser's tests switch on one fault of each kind of probe; here are all, on three probes each. Sizes of the faults
are the models'; which cause shows so is common practice.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from tests.simulated_bench import KINDS, Day, OnTheLine, frozen_for, points_of

from brumel.core.calibrating.judging import judge
from brumel.core.calibrating.run import PreviousRun
from brumel.core.findings import Level
from brumel.devices.simulation.conductivity import ConductivityModel
from brumel.devices.simulation.glass import GlassModel
from brumel.devices.simulation.ion import IonModel
from brumel.devices.simulation.metal import MetalModel
from brumel.devices.simulation.model import Ailment, Liquid, Model
from brumel.devices.simulation.thermometer import ThermometerModel

PROBES: dict[str, Callable[[int], Model]] = {
    "conductivity": lambda seed: ConductivityModel(seed, constant_per_cm=0.985 + 0.01 * seed),
    "metal": lambda seed: MetalModel(seed, offset_mv=2.0 - seed),
    "thermometer": lambda seed: ThermometerModel(seed, offset_c=0.01 * seed),
    "ammonium-tip": lambda seed: IonModel(seed, slope_percent=93.0 + seed, offset_mv=150.0 + 10.0 * seed),
    "glass": lambda seed: GlassModel(seed, slope_percent=98.0 + 0.4 * seed, offset_mv=3.0 - seed),
}


class OneRoom(Day):
    """Bottles that have stood side by side, as a pair for an ion must."""

    def bottle_c(self) -> float:
        return 25.0


def before_and_ailing(kind: str, code: str, ailment: Ailment, seed: int) -> list[dict[str, str]]:
    """What is not sound, by its code: in a run with a healthy probe, then in one with an ailing one."""
    of, probe = KINDS[kind], OnTheLine(PROBES[kind](seed))
    frozen, previous, found = frozen_for(of, code), None, []
    for fault in (Ailment.HEALTHY, ailment):
        probe.ail(fault)
        points = points_of(OneRoom(np.random.default_rng(seed)), of, frozen, probe)  # the same bottles both times
        line, findings = judge(frozen, points, previous)
        assert line is not None
        previous = PreviousRun(line, 1.0)
        found.append({f.code: f.sentence for f in findings if f.level is not Level.SOUND})
    return found


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize(
    ("kind", "code", "ailment", "cause", "words"),
    [
        ("conductivity", "conductivity-one", Ailment.TENFOLD, "constant-by-ten", "×10"),
        ("conductivity", "conductivity-one", Ailment.WALL, "cell-covered", "a wall near it"),
        ("conductivity", "conductivity-one", Ailment.EVAPORATED, "standard-concentrated", "has evaporated"),
        ("conductivity", "conductivity-one", Ailment.BUBBLES, "bubbles", "bubbles in the cell"),
        ("conductivity", "conductivity-two", Ailment.COATED, "cell-coated", "the cell is coated"),
        ("conductivity", "conductivity-two", Ailment.CARRIED, "standard-concentrated", "salt was carried in"),
        ("metal", "orp-check", Ailment.FOULED, "metal-fouled", "a clean metal takes 1 to 3 min"),
        ("metal", "orp-check", Ailment.DRIFTED, "reference-drifted", "the reference has drifted"),
        ("ammonium-tip", "ammonium-two", Ailment.AGED, "slope", "sound from 84 to 110 %"),
        ("ammonium-tip", "ammonium-two", Ailment.NOT_HYDRATED, "tip-not-hydrated", "a hydrated tip takes five"),
        ("glass", "ph-neutral-acid-alkaline", Ailment.CRACKED, "same-potential", "nearly the same potential"),
        ("thermometer", "thermometer-three", Ailment.KNOCKED, "offset", "sound within ±0.2 °C"),
    ],
)
def test_what_ails_a_probe_is_named(kind: str, code: str, ailment: Ailment, cause: str, words: str, seed: int) -> None:
    before, found = before_and_ailing(kind, code, ailment, seed)
    assert cause not in before
    assert words in found.get(cause, ""), found


def test_a_healthy_cell_is_seldom_called_coated() -> None:
    """Two bottles that differ as their certificates allow: beyond twice that in one direction come 2.3 %."""
    of, frozen, alarms = KINDS["conductivity"], frozen_for(KINDS["conductivity"], "conductivity-two"), 0
    for seed in range(100):
        points = points_of(Day(np.random.default_rng(seed)), of, frozen, OnTheLine(PROBES["conductivity"](seed % 3)))
        alarms += "cell-coated" in {f.code for f in judge(frozen, points, None)[1]}
    assert alarms <= 6  # beyond which a chance of 2.3 % leads once in 70


def test_bubbles_leave_when_the_cell_is_swung() -> None:
    """Its model loses them as the bench restarts its settling, four times; common practice is to swing and tap it."""
    cell = PROBES["conductivity"](1)
    cell.ailment = Ailment.BUBBLES
    standard = Liquid("standard", 25.0, {"specific-conductance": 1413.0}, standard=True)
    shown = []
    for dip in range(6):
        cell.place(standard, 100.0 * dip)
        shown.append(cell.values(100.0 * dip + 90.0)[1])
    assert shown[0] < 0.9 * shown[-1]
    assert shown[-1] == pytest.approx(1413.0 / 0.992, rel=0.03)
