"""How often the U of a reading holds from the bench to the record: probe, line, settling, run, reading.

Each probe is one of the bench's own models with a truth drawn for it that no fit sees. What it gives goes through the
text of its line, is accepted as soon as the core calls it stable, and is fitted by a method as it is shipped. Sizes of
what differs from probe to probe are common practice.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brumel.core.calibrating.judging import judge, principle_of
from brumel.core.calibrating.procedure import Step, StepKind, steps_of
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.sensing.fit import Point
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.principles import as_read, derived_from, principle
from brumel.core.sensing.response import Response
from brumel.core.sensing.run import JudgedPoint
from brumel.core.shipped_rules import shipped
from brumel.core.standards.targets import Bottle, Target
from brumel.devices.sdi12 import values
from brumel.devices.simulation.bench import Bench, SimulatedProbe
from brumel.devices.simulation.conductivity import ConductivityModel
from brumel.devices.simulation.glass import GlassModel
from brumel.devices.simulation.ion import IonModel
from brumel.devices.simulation.metal import MetalModel
from brumel.devices.simulation.model import Ailment, Liquid, Model
from brumel.devices.simulation.oxygen import LuminescenceModel, MembraneModel
from brumel.devices.simulation.thermometer import ThermometerModel
from tests.simulated_cell import accepted

Array = NDArray[np.float64]
Random = np.random.Generator
_REFERENCE = "ag-agcl-3m"
_ROOM_C = 22.0
_U_BESIDE_C = 0.02
"""Of a traceable thermometer (k = 1)."""
_BATH_C = 0.03
"""How much a stirred bath differs from one tip to the other (k = 1)."""


@dataclass(frozen=True)
class Kind:
    """One kind of probe on the bench.

    ``make`` draws a probe of a time constant, s; ``water`` says what a water is, by quantity; ``true`` what it really
    is in the quantity that is read.
    """

    kind: str
    head: str
    make: Callable[[Random, float], Model]
    methods: tuple[str, ...]
    water: Callable[[Random], Mapping[str, float]]
    taus_s: tuple[float, ...]
    bottles: Mapping[str, Bottle] = field(default_factory=dict)
    true: Callable[[Liquid, Conditions], float] | None = None
    compensation: Compensation = field(default_factory=Compensation)
    unit: str = ""
    near_room: tuple[str, ...] = ()
    """Methods for waters that are about as warm as the room."""


def _seed(random: Random) -> int:
    return int(random.integers(1 << 30))


def _glass(random: Random, tau_s: float) -> Model:
    return GlassModel(
        _seed(random), tau_s, slope_percent=random.uniform(92.0, 100.5), offset_mv=random.normal(0.0, 8.0),
        isopotential_ph=random.uniform(6.5, 7.5), junction_ph=0.02, drift_per_hour=random.uniform(-0.3, 0.3),
    )  # fmt: skip


def _metal(random: Random, tau_s: float) -> Model:
    return MetalModel(
        _seed(random), tau_s, offset_mv=random.normal(0.0, 8.0), poise_mv=1.5, drift_per_hour=random.uniform(-0.3, 0.3)
    )


def _cell(random: Random, tau_s: float) -> Model:
    return ConductivityModel(
        _seed(random), thermal_s=tau_s, constant_per_cm=random.uniform(0.93, 1.07), zero_us=random.uniform(-0.1, 0.1)
    )


def _membrane(random: Random, tau_s: float) -> Model:
    return MembraneModel(
        _seed(random), tau_s, gain_na=random.uniform(70, 130), zero_na=random.uniform(0, 1),
        per_c=random.normal(0.03, 0.002),
    )  # fmt: skip


def _cap(random: Random, tau_s: float) -> Model:
    return LuminescenceModel(
        _seed(random), tau_s, zero_per_ms=random.normal(18, 0.2), gain_per_ms=random.uniform(32, 46),
        zero_per_c=random.normal(0.003, 0.0005), gain_per_c=random.normal(0.01, 0.001), bend=random.normal(0.0, 0.008),
    )  # fmt: skip


def _tip(random: Random, tau_s: float) -> Model:
    return IonModel(
        _seed(random), tau_s, offset_mv=random.uniform(100.0, 250.0), slope_percent=random.uniform(86.0, 100.0),
        drift_mv_per_c=random.normal(0.0, 0.3), reproduces_mv=0.4,
    )  # fmt: skip


def _thermometer(random: Random, tau_s: float) -> Model:
    return ThermometerModel(_seed(random), tau_s, offset_c=random.uniform(-0.2, 0.2))


def _oxygen_mg_l(liquid: Liquid, at: Conditions) -> float:
    percent = np.array(liquid.values["oxygen-saturation"])
    return float(as_read(principle("membrane"), "oxygen", percent, at, Compensation()))


_BUFFERS = {
    "neutral": Bottle("ph-buffer", "technical", 7.00), "acid": Bottle("ph-buffer", "technical", 4.01),
    "alkaline": Bottle("ph-buffer", "technical", 9.21),
}  # fmt: skip
_WATER_OXYGEN = {"oxygen-zero": Bottle("oxygen-zero", "", 0.0)}

KINDS: dict[str, Kind] = {
    "glass": Kind(
        "ph-combination", "ph", _glass, ("ph-acid-first", "ph-neutral-acid-alkaline"),
        lambda random: {"ph": random.uniform(5.5, 8.8)}, (4.0, 20.0), _BUFFERS, unit="{:.3f} pH",
    ),
    "metal": Kind(
        "orp", "orp", _metal, ("orp-offset",), lambda random: {"orp": random.uniform(100.0, 450.0)}, (6.0, 12.0),
        {"redox": Bottle("orp", "zobell", 220.0)}, unit="{:.1f} mV",
    ),
    "conductivity": Kind(
        "conductivity-1", "specific-conductance", _cell, ("conductivity-one", "conductivity-air-one"),
        lambda random: {"specific-conductance": random.uniform(300.0, 2500.0)}, (8.0, 25.0),
        dict.fromkeys(("conductivity", "low-conductivity"), Bottle("conductivity", "kcl", 1413.0))
        | {"high-conductivity": Bottle("conductivity", "kcl", 12880.0)}, compensation=Compensation("linear", 2.05),
        unit="{:.0f} µS/cm",
    ),
    "membrane": Kind(
        "oxygen-galvanic", "oxygen", _membrane, ("membrane-air", "membrane-zero-air"),
        lambda random: {"oxygen-saturation": random.uniform(30.0, 120.0)}, (12.0, 26.0), _WATER_OXYGEN, _oxygen_mg_l,
        unit="{:.2f} mg/L",
    ),
    "luminescence": Kind(
        "oxygen-optical", "oxygen", _cap, ("luminescence-air", "luminescence-zero-air"),
        lambda random: {"oxygen-saturation": random.uniform(30.0, 120.0)}, (12.0, 26.0), _WATER_OXYGEN, _oxygen_mg_l,
        unit="{:.2f} mg/L",
    ),
    "ammonium-tip": Kind(
        "ammonium", "ammonium-n", _tip, ("ammonium-two", "ammonium-three"),
        lambda random: {"ammonium-n": random.uniform(3.0, 30.0), "specific-conductance": random.uniform(300.0, 1400.0)},
        (12.0, 25.0), {"ammonium-high": Bottle("ammonium", "", 46.2, u=0.46),
                       "ammonium-low": Bottle("ammonium", "", 4.62, u=0.046)}, unit="{:.2f} mg/L",
        near_room=("ammonium-two",),
    ),
    "thermometer": Kind(
        "temperature", "temperature", _thermometer, ("thermometer-three",), lambda random: {}, (4.0, 12.0),
        true=lambda liquid, at: liquid.temperature_c, unit="{:.2f} °C",
    ),
}  # fmt: skip
WATERS_C, NEAR_ROOM_C = (5.0, 15.0, 30.0), (18.0, 22.0, 26.0)


@dataclass(frozen=True)
class Case:
    """One cell of the table."""

    kind: str
    method: str
    tau_s: float
    water_c: float


def cases() -> list[Case]:
    """All cells: kind, method, time constant, temperature of the water."""
    return [
        Case(name, code, tau, c) for name, kind in KINDS.items() for code in kind.methods for tau in kind.taus_s
        for c in (NEAR_ROOM_C if code in kind.near_room else WATERS_C)
    ]  # fmt: skip


class OnTheLine:
    """A probe on a line of its own, with a clock that is moved by who asks it."""

    def __init__(self, model: Model) -> None:
        self._now, self._model = 0.0, model
        self._bench = Bench([SimulatedProbe("0", "SIM", model)], clock=lambda: self._now)

    def ail(self, ailment: Ailment) -> None:
        """From now on this is wrong with it."""
        self._model.ailment, self._model.ailing_since_s = ailment, self._now

    def dipped(self, liquid: Liquid) -> tuple[Array, Array, Array]:
        """Put it into a liquid and listen: times, s; signals; temperatures, °C, as its line says them."""
        self._model.place(liquid, self._now)
        slow = max(self._model.time_constant(liquid), self._model.thermal_s)
        t, begun = np.arange(0.0, 70.0 + 9.0 * slow, max(1.0, slow / 30.0)), self._now
        told = []
        for seconds in t:
            self._now = begun + float(seconds)
            told.append(values(self._bench.answer("0R0") or "", "0"))
        found = np.array(told)
        return t, found[:, 1], found[:, 0]


class Day:
    """What a run and a reading share: the air, the barometer read anew each time, the thermometer held beside."""

    def __init__(self, random: Random) -> None:
        self.random = random
        self.hpa = float(random.uniform(960.0, 1030.0))
        self.beside_off_c = float(random.normal(0.0, _U_BESIDE_C))

    def bottle_c(self) -> float:
        """How warm a cup of a bottle is, °C."""
        return float(self.random.uniform(24.0, 26.0))

    @property
    def read_hpa(self) -> float:
        """The pressure as the barometer shows it, hPa."""
        return self.hpa + float(self.random.normal())


def one_run_and_reading(random: Random, case: Case) -> tuple[float, float]:
    """The error of one reading, and the U (k = 2) that was stated for it."""
    kind = KINDS[case.kind]
    probe, day = OnTheLine(kind.make(random, case.tau_s)), Day(random)
    frozen = frozen_for(kind, case.method)
    line, _ = judge(frozen, points_of(day, kind, frozen, probe, case.water_c), None, rules=shipped())
    assert line is not None
    water = Liquid(f"water {_seed(random)}", case.water_c, {**kind.water(random), "station-pressure": day.hpa})
    value, u = _read(kind, line, probe, water, day.read_hpa)
    true = kind.true(water, _at(case.water_c, day.hpa)) if kind.true else water.values[kind.head]
    return value - true, u


def frozen_for(kind: Kind, code: str) -> dict[str, Any]:
    """A method as a run of this kind of probe keeps it."""
    return (
        shipped()
        .procedure(code)
        .frozen(
            shipped(), waters=None, rinse=next(iter(shipped().rinses.values())), kind=kind.kind, holds_days=(7.0, 30.0)
        )
    )


def points_of(
    day: Day, kind: Kind, frozen: Mapping[str, Any], probe: OnTheLine, water_c: float = _ROOM_C
) -> list[JudgedPoint]:
    """The run's points in order, each taken as soon as it is stable."""
    own = principle_of(frozen)
    return [_point(day, kind, own, probe, step, water_c) for step in steps_of(frozen) if step.kind.has_point]


def _at(t: Array | float, hpa: float, water: Liquid | None = None) -> Conditions:
    salts = water.values.get("specific-conductance") if water else None
    return Conditions(t, _REFERENCE, hpa, conductivity_us_cm=salts, u_conductivity=0.01 * (salts or 0.0))


def _point(day: Day, kind: Kind, own: Principle, probe: OnTheLine, step: Step, water_c: float) -> JudgedPoint:
    random, hpa, bottle = day.random, day.hpa, kind.bottles.get(step.role)
    at_c = day.bottle_c() if bottle else _ROOM_C
    if step.of_waters:
        at_c = water_c
    if step.kind is StepKind.COMPARE:
        at_c = (step.target or 0.0) + random.uniform(-0.5, 0.5)
    quantity, gas = own.quantity, step.kind is StepKind.AIR
    stands = step.aim(bottle, _at(at_c, hpa))
    held = {"station-pressure": hpa, quantity: stands.value}
    u = stands.u if bottle else step.target_u
    tip_c = at_c + (random.normal(0.0, _BATH_C) if step.kind is StepKind.COMPARE else 0.0)
    liquid = Liquid(f"{step.key} {_seed(random)}", tip_c, held, u, standard=True, gas=gas)
    t, signal, shown_c = probe.dipped(liquid)
    last, left = accepted(t, signal, shown_c, shipped().settled(quantity, calibrating=True))
    mean, at = float(signal[last].mean()), _at(float(shown_c[last].mean()), day.read_hpa)
    aim = step.aim(bottle, at)
    if step.kind is StepKind.COMPARE:
        aim = Target(at_c + day.beside_off_c, _U_BESIDE_C, known=True)
    shares = "beside" if step.kind is StepKind.COMPARE else str(bottle or step.key)
    point = Point(aim.value, mean, at, aim.u, float(np.hypot(np.hypot(own.u_of(mean), left), step.beside_u)), shares)
    nominal, family = (bottle.nominal, bottle.family) if bottle else (None, "")
    return JudgedPoint(step.key, point, nominal, family, step.use, settling_s=float(t[last][-1]), in_air=gas)


def _read(kind: Kind, line: Response, probe: OnTheLine, water: Liquid, hpa: float) -> tuple[float, float]:
    t, signal, shown_c = probe.dipped(water)
    key = line.principle.quantity
    warm = _at(shown_c, hpa, water)
    read = as_read(line.principle, kind.head, np.asarray(line.value(signal, warm)), warm, kind.compensation)
    last, left = accepted(t, read, shown_c, shipped().settled(kind.head, calibrating=False))
    mean, at = float(signal[last].mean()), _at(float(shown_c[last].mean()), hpa, water)
    value = float(line.value(mean, at))
    left *= abs(value / float(read[last].mean())) if key != kind.head else 1.0
    budget = line.budget(mean, at, left_over=left)
    if key == kind.head:
        return value, budget.expanded
    head = next(
        d for d in derived_from(line.principle, value, budget, at, kind.compensation) if d.quantity == kind.head
    )
    return head.value, head.budget.expanded


def coverage(case: Case, seed: int, count: int) -> tuple[float, float]:
    """Share of readings within the U stated for them, and the mean U in the unit."""
    random = np.random.default_rng(seed)
    errors, stated = (np.array(v) for v in zip(*(one_run_and_reading(random, case) for _ in range(count)), strict=True))
    return float(np.mean(np.abs(errors) <= stated)), float(stated.mean())
