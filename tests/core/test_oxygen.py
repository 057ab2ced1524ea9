"""Pressure as people type it, what a meter did undone, the causes that a probe of oxygen shows, on the models too."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tests.said import sentence

from brumel.core.calibrating.judging import judge
from brumel.core.findings import Acceptance, Despite, Finding, Level
from brumel.core.place.conditions import Conditions
from brumel.core.place.station_pressure import Pressure, wrong_with
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import Compensation
from brumel.core.quantities.oxygen import saturation_mg_l
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.principles import derived_from, principle
from brumel.core.sensing.response import Origin, Response, diagonal
from brumel.core.sensing.run import JudgedPoint, PreviousRun, Use
from brumel.core.shipped_rules import shipped
from brumel.core.uncertainty import Budget
from brumel.core.words.catalogue import word
from brumel.devices.simulation.model import Ailment, Liquid
from brumel.devices.simulation.oxygen import LuminescenceModel, MembraneModel, OxygenModel

AIR = Liquid("saturated air", 21.0, {"oxygen-saturation": 100.0}, standard=True, gas=True)
WATER = Liquid("saturated water", 21.0, {"oxygen-saturation": 100.0}, standard=True)
ZERO = Liquid("sulfite", 21.0, {"oxygen-saturation": 0.0}, standard=True)


class TestPressure:
    @pytest.mark.parametrize(
        ("typed", "hpa"),
        [
            (Pressure(1002.0), 1002.0),
            (Pressure(29.92, "inHg"), 1013.21),
            (Pressure(101.3, "kPa"), 1013.0),
            (Pressure(760.0, "mmHg"), 1013.25),
            (Pressure(1013.25, kind="sea-level", altitude_m=630.0), 939.8),
            (Pressure(kind="altitude", altitude_m=3000.0), 701.1),
        ],
    )
    def test_it_comes_to_the_stations(self, typed: Pressure, hpa: float) -> None:
        assert wrong_with(typed) == {}
        assert typed.hpa == pytest.approx(hpa, abs=0.1)

    @pytest.mark.parametrize(
        ("typed", "field", "words"),
        [
            (Pressure(29.9), "pressure", "was inHg meant (1012.5 hPa)?"),
            (Pressure(101.3), "pressure", "was kPa meant (1013.0 hPa)?"),
            (Pressure(760.0), "pressure", "near the sea has: was mmHg meant (1013.3 hPa)?"),
            (Pressure(705.0, altitude_m=630.0), "pressure", "was mmHg meant (939.9 hPa)?"),
            (Pressure(3.0), "pressure", "is no air pressure"),
            (Pressure(None), "pressure", "Give the pressure"),
            (Pressure(1013.0, kind="sea-level"), "altitude_m", "Give the altitude"),
            (Pressure(kind="altitude"), "altitude_m", "Give the altitude"),
            (Pressure(1013.0, altitude_m=9e9), "altitude_m", "Altitude must be"),
            (Pressure(1013.0, "bar"), "pressure_unit", "Choose one of"),
            (Pressure(1013.0, kind="guessed"), "pressure_kind", "Choose what kind"),
        ],
    )
    def test_what_cannot_be_is_asked_in_its_field(self, typed: Pressure, field: str, words: str) -> None:
        assert words in wrong_with(typed)[field]

    def test_a_high_place_keeps_its_low_pressure(self) -> None:
        assert wrong_with(Pressure(765.0, altitude_m=2300.0)) == {}

    @pytest.mark.parametrize(("altitude_m", "looks"), [(0.0, False), (200.0, False), (630.0, True), (3000.0, True)])
    def test_a_reduced_one_is_known_by_its_size(self, altitude_m: float, looks: bool) -> None:
        assert Pressure(1011.0, altitude_m=altitude_m).looks_reduced is looks

    def test_what_the_wrong_kind_costs(self) -> None:
        here = Pressure(939.8, altitude_m=630.0)
        assert here.cost_percent == pytest.approx(100 * (1013.25 / 939.8 - 1), abs=0.01)


class TestShownByAMeter:
    AT = Conditions(25.0, pressure_hpa=939.8)

    def test_salinity_is_undone_once(self) -> None:
        """Forgetting salinity over-reads mg/L by 22 % at S 35 and 25 °C (common practice)."""
        own = principle("membrane")
        fresh, _ = own.undone(8.0, {"shown_as": "mg-l"}, self.AT)
        salt, words = own.undone(8.0, {"shown_as": "mg-l", "salinity": 35.0}, self.AT)
        assert salt / fresh == pytest.approx(1.22, abs=0.01)
        assert "salinity 35" in str(word(words[0]))
        in_sea = Conditions(25.0, pressure_hpa=939.8, salinity=35.0)
        back = derived_from(principle("membrane"), salt, Budget(()), in_sea, Compensation())[0]
        assert back.value == pytest.approx(8.0, abs=1e-6)

    def test_percent_of_which_pressure(self) -> None:
        own = principle("luminescence")
        local, _ = own.undone(92.6, {"shown_as": "percent-standard"}, self.AT)
        assert local == pytest.approx(92.6 * float(saturation_mg_l(25.0) / saturation_mg_l(25.0, 939.8)), abs=1e-9)
        assert own.undone(92.6, {"shown_as": "percent"}, self.AT) == (92.6, [])

    def test_a_wrong_pressure_set_is_undone(self) -> None:
        found, words = principle("membrane").undone(8.0, {"shown_as": "mg-l", "pressure_hpa": 1013.0}, self.AT)
        right, _ = principle("membrane").undone(8.0, {"shown_as": "mg-l"}, self.AT)
        assert found / right == pytest.approx(float(saturation_mg_l(25.0, 939.8) / saturation_mg_l(25.0, 1013.0)))
        assert str(word(words[0])).startswith("The meter was calibrated with 1013 hPa set")


RINSE = next(iter(shipped().rinses.values()))


def settled(model: OxygenModel, liquid: Liquid, after_s: float) -> float:
    """A mean over half a minute, long after it went in."""
    return float(np.mean([model.values(after_s + n)[1] for n in range(30)]))


def calibrated(
    model: OxygenModel, code: str, last: Response | None = None, place: dict[str, Any] | None = None,
    despite: Despite | None = None, acceptance: Acceptance = Acceptance.SETTLED,
) -> tuple[Response, list[Finding]]:  # fmt: skip
    """A run on a model by a method, compared with the last one, as the bench does it."""
    kind = "oxygen-galvanic" if isinstance(model, MembraneModel) else "oxygen-optical"
    frozen = (
        shipped()
        .procedure(code)
        .frozen(
            shipped(),
            waters=None,
            rinse=next(iter(shipped().rinses.values())),
            kind=kind,
            holds_days=(1.0, 3.0),
            conditions=place or {},
        )
    )
    own, points, now = principle(frozen["principle"]), [], 0.0
    for step in frozen["steps"]:
        liquid = ZERO if step["kind"] == "zero" else WATER if step["key"] == "water" else AIR
        model.place(liquid, now)
        now += 400.0
        signal, at = settled(model, liquid, now), Surroundings.of(place).at(liquid.temperature_c)
        target = 0.0 if step["kind"] == "zero" else 100.0
        points.append(
            JudgedPoint(
                step["label"] or "zero solution", Point(target, signal, at, 0.3, float(own.u_of(signal)), step["key"]),
                None, "", Use(step["use"]), acceptance=acceptance, in_air=liquid.gas,
            )
        )  # fmt: skip
        now += 30.0
    previous = PreviousRun(last, 1.0) if last else None
    response, findings = judge(frozen, points, previous, None, despite, rules=shipped())
    assert response is not None
    return response, findings


def model_of(key: str, seed: int, ailment: Ailment = Ailment.HEALTHY) -> OxygenModel:
    model = MembraneModel(seed=seed) if key == "membrane" else LuminescenceModel(seed=seed)
    model.ailment = ailment
    return model


@pytest.mark.parametrize("key", ["membrane", "luminescence"])
@pytest.mark.parametrize("code", ["air", "zero-air", "water", "check"])
def test_a_healthy_probe_is_sound_and_shows_no_cause(key: str, code: str) -> None:
    alarms = 0
    for seed in range(12):
        last, _ = calibrated(model_of(key, seed), f"{key}-zero-air")
        _, findings = calibrated(model_of(key, seed), f"{key}-{code}", last)
        alarms += any(f.level is not Level.SOUND for f in findings)
    assert alarms == 0


CAUSES = [
    ("membrane", "zero-air", Ailment.SULFITE, "zero-not-reached", "the sulfite is spent, or the membrane leaks"),
    ("membrane", "zero-air", Ailment.TORN, "membrane-torn", "a torn membrane"),
    ("membrane", "zero-air", Ailment.ELECTROLYTE, "electrolyte-spent", "spent electrolyte"),
    ("membrane", "air", Ailment.WRINKLED, "sensor-worn", "wrinkled"),
    ("membrane", "air", Ailment.DRY_AIR, "air-not-saturated", "not saturated"),
    ("membrane", "air", Ailment.NOT_WARM, "not-warmed-up", "starts high and comes down"),
    ("membrane", "water", Ailment.NO_FLOW, "no-movement", "without movement"),
    ("luminescence", "zero-air", Ailment.SULFITE, "zero-not-reached", "or the cap is damaged"),
    ("luminescence", "air", Ailment.BLEACHED, "sensor-worn", "a bleached, scratched or dried cap"),
    ("luminescence", "air", Ailment.DRY_AIR, "air-not-saturated", "not saturated"),
]


@pytest.mark.parametrize(("key", "code", "ailment", "cause", "words"), CAUSES)
def test_a_cause_is_named_first(key: str, code: str, ailment: Ailment, cause: str, words: str) -> None:
    for seed in range(8):
        last, _ = calibrated(model_of(key, seed), f"{key}-zero-air")
        _, findings = calibrated(model_of(key, seed, ailment), f"{key}-{code}", last)
        first = next(f for f in findings if f.level is not Level.SOUND)
        assert first.code == cause
        assert words in sentence(first)


def test_two_faults_are_both_named() -> None:
    """A pressure of sea level at 630 m, and spent sulfite."""
    place = {"pressure": Pressure(1010.0, altitude_m=630.0).plain}
    _, findings = calibrated(model_of("membrane", 1, Ailment.SULFITE), "membrane-zero-air", None, place)
    assert {"pressure-reduced", "zero-not-reached"} <= {f.code for f in findings if f.level is not Level.SOUND}
    assert findings[0].level is Level.UNFIT


def test_not_ready_and_high_is_unfit() -> None:
    last, _ = calibrated(model_of("membrane", 3), "membrane-zero-air")
    despite = Despite("Switched on: warm-up: 8 min left.", "hurry")
    _, findings = calibrated(model_of("membrane", 3, Ailment.NOT_WARM), "membrane-air", last, None, despite)
    assert next(f for f in findings if f.code == "not-warmed-up").level is Level.UNFIT


@pytest.mark.parametrize(("water_c", "told"), [(30.9, False), (31.4, True), (10.2, True)])
def test_air_and_water_apart(water_c: float, told: bool) -> None:
    _, findings = calibrated(model_of("luminescence", 2), "luminescence-air", None, {"water_c": water_c})
    assert ("air-and-water-apart" in {f.code for f in findings}) is told


def test_after_a_new_membrane_a_change_is_no_surprise() -> None:
    own = principle("membrane")
    worn = Response(own, (0.5, 70.0), diagonal([0.2, 1.0]), (Origin.FITTED, Origin.FITTED))
    frozen = (
        shipped()
        .procedure("membrane-air")
        .frozen(
            shipped(),
            waters=None,
            rinse=next(iter(shipped().rinses.values())),
            kind="oxygen-galvanic",
            holds_days=(1.0, 3.0),
        )
    )
    at = Conditions(21.0)
    signal = Response(own, (0.5, 101.0), worn.covariance, worn.origins).signal(100.0, at)
    point = JudgedPoint("water-saturated air", Point(100.0, signal, at, 0.3, 0.3, "air"), None, "", in_air=True)
    for tended, level in (("membrane changed", Level.SOUND), ("", Level.DOUBTFUL)):
        _, findings = judge(frozen, [point], PreviousRun(worn, 2.0, tended), rules=shipped())
        assert next(f for f in findings if f.code == "changed-since-last").level is level


def test_the_gain_is_judged_by_the_first_after_a_change() -> None:
    frozen = shipped().procedure("membrane-air").frozen(
        shipped(), waters=None, rinse=RINSE, kind="oxygen-galvanic", holds_days=(1.0, 3.0),
        first={"gain": 100.0, "zero": 0.5},
    )  # fmt: skip
    assert frozen["tolerances"]["coefficients"]["gain"]["bounds"] == [80.0, 120.0, 70.0, 130.0]


def test_the_working_says_what_the_probe_gives_without_oxygen() -> None:
    """A cap of 18 1/ms without oxygen and 39.6 1/ms of quenching, in saturated air of 25 °C at 1013.25 hPa."""
    own, at = principle("luminescence"), Conditions(25.0)
    words = own.working(57.6, 100.0, at, {"zero": 18.0, "gain": 39.6})
    assert "gives 57.6 1/ms, water without oxygen 18.0" in str(word(words[0]))
    assert str(word(words[1])) == "(57.6 − 18.0) / 39.6 = 100.0 % of saturation"


@pytest.mark.parametrize("key", ["membrane", "luminescence"])
@pytest.mark.parametrize("sulfite_c", [12.0, 22.0, 31.0])
def test_how_warm_the_sulfite_was_says_nothing_of_the_gain(key: str, sulfite_c: float) -> None:
    """The gain was told in air at 22 °C: the permeability counts from there, 7 °C to a water of 15 °C."""
    own = principle(key)
    zero = own.coefficients[0].usual
    air, sulfite = Conditions(22.0), Conditions(sulfite_c)
    points = [
        Point(0.0, zero, sulfite, 0.0, 0.1), Point(100.0, Response.usual(own).signal(100.0, air), air, 0.0, 0.1),
    ]  # fmt: skip
    line = fit(own, points)
    assert line.temperature_c == 22.0
    name = {"membrane": "permeability", "luminescence": "quenching-warmth"}[key]
    budget = line.budget(line.signal(90.0, Conditions(15.0)), Conditions(15.0))
    share = next(c.share for c in budget.contributions if c.key == name)
    # Hand-worked: 0.2 %/°C · 90 % · 7 °C; 0.1 %/°C · 90 % · 7 °C / (1 − 0.01 · 10).
    assert share == pytest.approx({"membrane": 1.26, "luminescence": 0.7}[key], abs=1e-6)


@pytest.mark.parametrize(
    ("pressure", "words"),
    [
        (Pressure(938.0), "938.0 hPa measured at the place"),
        (
            Pressure(None, kind="altitude", altitude_m=630.0),
            "939.8 hPa from 630 m of altitude; weather moves it by about 3 %",
        ),
        (Pressure(1013.25, kind="sea-level", altitude_m=630.0), "939.8 hPa: 1013.2 hPa at sea level, brought to 630 m"),
    ],
)
def test_a_pressure_says_how_it_came_about(pressure: Pressure, words: str) -> None:
    """939.8 hPa: the standard atmosphere at 630 m (ISO 2533)."""
    assert str(word(pressure.said)) == words
