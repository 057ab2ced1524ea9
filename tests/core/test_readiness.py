"""Kinds of probes, readiness from the log, and the trend of a line. Times are common practice."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from brumel.core.errors import CoreError
from brumel.core.kit.care import Care
from brumel.core.kit.kinds import storage_finding
from brumel.core.kit.readiness import CareEvent, Inspected, Readiness, State, readiness
from brumel.core.kit.trend import LifePoint, trend_of
from brumel.core.shipped_rules import shipped
from brumel.core.wording import day_words
from brumel.core.words.catalogue import word

NOON = datetime(2026, 5, 6, 12, tzinfo=UTC)


def ago(care: Care, minutes: float, detail: str = "") -> CareEvent:
    return CareEvent(care, NOON - timedelta(minutes=minutes), detail)


def ready(kind: str, *events: CareEvent, inspections: tuple[Inspected, ...] = ()) -> Readiness:
    return readiness(shipped().kind(kind), events, inspections, NOON)


@pytest.mark.parametrize(
    ("kind", "events", "minutes"),
    [
        ("oxygen-polarographic", [ago(Care("membrane-changed"), 10)], 80),
        ("oxygen-polarographic", [ago(Care("electrolyte-changed"), 89)], 1),
        ("oxygen-polarographic", [ago(Care.UNPLUGGED, 200), ago(Care.POWER_BACK, 30)], 60),
        ("oxygen-polarographic", [ago(Care.BATTERIES_OUT, 20), ago(Care.POWER_BACK, 5)], 10),
        ("oxygen-polarographic", [ago(Care.POWER_BACK, 5)], 85),
        ("oxygen-polarographic", [ago(Care("membrane-changed"), 80), ago(Care.SWITCHED_ON, 2)], 10),
        ("oxygen-galvanic", [ago(Care.SWITCHED_ON, 4)], 6),
        ("ammonium", [ago(Care("tip-changed"), 60)], 23 * 60),
        ("nitrate", [ago(Care("tip-changed"), 0)], 24 * 60),
        ("ph-combination", [ago(Care.CLEANED, 30)], 90),
        ("ph-combination", [ago(Care("dried-out"), 60)], 60),
        ("ph-combination", [ago(Care.STORED, 600, "dry"), ago(Care.SOAKED, 50)], 70),
    ],
)
def test_a_wait_counts_from_its_event(kind: str, events: list[CareEvent], minutes: float) -> None:
    found = ready(kind, *events)
    assert found.state is State.WAITING
    assert found.ready_at is not None
    assert (found.ready_at - NOON).total_seconds() / 60 == pytest.approx(minutes)
    assert found.clocks[-1].end == found.ready_at
    assert 0 <= found.clocks[-1].filled(NOON) < 1


@pytest.mark.parametrize(
    ("kind", "events"),
    [
        ("oxygen-galvanic", [ago(Care("membrane-changed"), 1)]),
        ("oxygen-polarographic", [ago(Care("membrane-changed"), 90)]),
        ("ph-combination", [ago(Care.STORED, 600, "storage solution")]),
        ("ph-combination", [ago(Care.STORED, 600, "dry"), ago(Care.SOAKED, 121)]),
        ("conductivity-10", [ago(Care.CLEANED, 1)]),
        ("ph-combination", []),
    ],
)
def test_ready(kind: str, events: list[CareEvent]) -> None:
    assert ready(kind, *events).state is State.READY


def test_what_lies_ahead_does_not_count_yet() -> None:
    assert ready("oxygen-polarographic", ago(Care("membrane-changed"), -5)).state is State.READY


def test_blocked_until_somebody_does_something() -> None:
    lost = ready("oxygen-polarographic", ago(Care.UNPLUGGED, 5))
    assert lost.state is State.BLOCKED
    assert "without power" in str(word(lost.why))
    dry = ready("ph-combination", ago(Care.STORED, 5, "deionised or distilled water"))
    assert dry.state is State.BLOCKED
    assert "soak" in str(word(dry.do))
    fallen = ready("ph-combination", ago(Care.DROPPED, 5))
    assert fallen.state is State.BLOCKED
    seen = Inspected(NOON - timedelta(minutes=2))
    assert ready("ph-combination", ago(Care.DROPPED, 5), inspections=(seen,)).state is State.READY


@pytest.mark.parametrize(("minutes_off", "polarises"), [(1, 15), (59, 15), (61, 90), (600, 90)])
def test_the_cure_of_lost_power_depends_on_how_long_it_was_away(minutes_off: float, polarises: float) -> None:
    """About 15 min after minutes, 90 after more than an hour (common practice)."""
    cure = ready("oxygen-polarographic", ago(Care.UNPLUGGED, minutes_off)).cure
    assert cure is not None
    assert (cure.care, cure.minutes) == (Care.POWER_BACK, polarises)


@pytest.mark.parametrize(
    ("events", "polarises"),
    [
        ([ago(Care.UNPLUGGED, 700), ago(Care.POWER_BACK, 600), ago(Care.UNPLUGGED, 20)], 15),
        ([ago(Care.UNPLUGGED, 80), ago(Care("batteries-out"), 20)], 90),
        ([ago(Care.UNPLUGGED, 700), ago(Care.POWER_BACK, 90), ago(Care("batteries-out"), 80)], 90),
    ],
)
def test_power_is_away_since_the_first_loss_that_nothing_ended(events: list[CareEvent], polarises: float) -> None:
    cure = ready("oxygen-polarographic", *events).cure
    assert cure is not None
    assert (cure.care, cure.minutes) == (Care.POWER_BACK, polarises)


@pytest.mark.parametrize(("days_left", "state"), [(1, State.READY), (0, State.READY), (-1, State.BLOCKED)])
def test_a_part_serves_on_its_last_day_and_not_after(days_left: int, state: State) -> None:
    until = (NOON + timedelta(days=days_left)).date()
    put_in = CareEvent(Care("membrane-changed"), NOON - timedelta(days=200), good_until=until)
    found = ready("oxygen-polarographic", put_in)
    assert found.state is state
    if state is State.BLOCKED:
        assert found.cure is not None
        assert (found.cure.care, found.cure.minutes) == (Care("membrane-changed"), 90)
        assert f"good until {day_words(until, NOON.date())}" in str(word(found.why))
    renewed = CareEvent(Care("membrane-changed"), NOON - timedelta(days=2))
    assert ready("oxygen-polarographic", put_in, renewed).state is State.READY


def test_a_wait_fills_from_nothing_to_all() -> None:
    (wait,) = ready("oxygen-polarographic", ago(Care("membrane-changed"), 45)).clocks
    begin = NOON - timedelta(minutes=45)
    assert [wait.filled(begin + timedelta(minutes=m)) for m in (-5, 0, 45, 90, 100)] == [0.0, 0.0, 0.5, 1.0, 1.0]


def test_what_happens_at_this_moment_counts() -> None:
    failed = Inspected(NOON, ("bulb",))
    assert ready("ph-combination", inspections=(failed,)).state is State.BLOCKED
    assert ready("oxygen-polarographic", ago(Care.UNPLUGGED, 0)).state is State.BLOCKED


def test_a_failed_inspection_blocks_until_one_passes() -> None:
    failed = Inspected(NOON - timedelta(minutes=9), ("bulb",))
    found = ready("ph-combination", inspections=(failed,))
    assert found.state is State.BLOCKED
    assert "without a crack? No." in str(word(found.why))
    assert "Replace the electrode" in str(word(found.do))
    passed = Inspected(NOON - timedelta(minutes=1))
    assert ready("ph-combination", inspections=(passed, failed)).state is State.READY


def test_what_ends_a_calibration_is_told() -> None:
    assert ready("ph-refillable", ago(Care("reference-refilled"), 300)).voided_at == NOON - timedelta(minutes=300)
    assert ready("ph-refillable", ago(Care.CLEANED, 300)).voided_at is None


CELL = ({"clean and dry", "distilled water in its own cap"}, {}, (7, 30), {"cell-changed", "setting-changed"})
PH_BAD = {"deionised or distilled water": 120, "sample water": 120, "dry": 120}
KINDS: dict[str, tuple[set[str], dict[str, int], tuple[float, float] | None, set[str]]] = {
    "ph-combination": ({"storage solution", "3 mol/L KCl"}, PH_BAD, (1, 7), {"electrode-changed"}),
    "ph-refillable": (
        {"storage solution", "3 mol/L KCl"}, PH_BAD, (1, 7),
        {"electrode-changed", "junction-changed", "reference-refilled"},
    ),
    "ph-capped": (
        {"storage solution", "3 mol/L KCl"}, PH_BAD, (1, 7),
        {"electrode-changed", "junction-changed", "reference-refilled"},
    ),
    "orp": (
        {"storage solution", "clean tap water"}, {"deionised or distilled water": 120}, (7, 30), {"electrode-changed"},
    ),
    "conductivity-0.1": CELL,
    "conductivity-1": CELL,
    "conductivity-10": CELL,
    "oxygen-galvanic": ({"moist, cap on"}, {}, (1, 3), {"electrolyte-changed", "membrane-changed"}),
    "oxygen-polarographic": ({"moist, cap on, powered"}, {}, (1, 3), {"electrolyte-changed", "membrane-changed"}),
    "oxygen-optical": ({"moist"}, {"dry": 60}, (7, 30), {"cap-changed"}),
    "ammonium": ({"as its leaflet says"}, {"sea water": 30}, (0.5, 1), {"tip-changed", "shared-reference-changed"}),
    "nitrate": ({"as its leaflet says"}, {"sea water": 30}, (0.5, 1), {"tip-changed", "shared-reference-changed"}),
    "chlorine": ({"as its leaflet says"}, {}, (7, 30), {"tip-changed"}),
    "temperature": ({"anywhere dry"}, {}, (365, 730), set()),
}  # fmt: skip
"""Where each kind stands well and where badly (and the minutes that puts it right), how long a calibration holds
(house rule: pH 1/7, conductivity 7/30, membranes 1/3, optical 7/30, ORP 7/30, ions 12/24 h, temperature 1/2 years),
and what ends it; common practice.
"""


def test_no_kind_is_forgotten() -> None:
    assert set(KINDS) == set(shipped().kinds)


@pytest.mark.parametrize("key", KINDS)
def test_where_a_kind_stands_and_what_ends_its_calibration(key: str) -> None:
    kind = shipped().kind(key)
    good, bad, holds_days, voids = KINDS[key]
    assert set(kind.storage_good) == good
    for liquid in good:
        assert storage_finding(kind, liquid) is None
    assert {b.liquid: b.minutes for b in kind.storage_bad} == bad
    for liquid, minutes in bad.items():
        found = storage_finding(kind, liquid)
        assert found is not None
        assert (found.code, found.level, found.minutes) == ("wrong-storage", "unfit", minutes)
    assert kind.holds_days == holds_days
    assert kind.voids == {Care(v) for v in voids}
    elsewhere = {care for care in kind.voids if shipped().care[care].never_logged}  # said on the page of another thing
    assert set(kind.care) >= kind.voids - elsewhere
    assert Care.CALIBRATION_LOST not in kind.care


@pytest.mark.parametrize(
    ("key", "questions"),
    [
        ("ph-combination", ["bulb", "moist", "crystals", "plug"]),
        ("ph-refillable", ["bulb", "moist", "filling", "hole"]),
        ("ph-capped", ["bulb", "moist", "filling", "junction"]),
        ("orp", ["metal", "plug"]),
        ("conductivity-1", ["electrodes", "bubbles"]),
        ("oxygen-polarographic", ["membrane", "electrolyte", "power"]),
        ("oxygen-optical", ["cap", "moist"]),
    ],
)
def test_what_is_asked_before_use(key: str, questions: list[str]) -> None:
    assert [q.key for q in shipped().kind(key).inspection] == questions
    assert all(q.remedy for q in shipped().kind(key).inspection)


def test_a_kind_that_there_is_not() -> None:
    with pytest.raises(CoreError, match="No kind of probe is named 'thermocouple'; known are ph-combination"):
        shipped().kind("thermocouple")


def test_the_newest_inspection_counts_with_its_own_remedies() -> None:
    older = Inspected(NOON - timedelta(hours=2), ("bulb",))
    newer = Inspected(NOON - timedelta(hours=1), ("plug",))
    found = ready("ph-combination", inspections=(newer, older))
    assert str(word(found.why)) == "Failed its inspection: Are plug and cable dry and whole? No."
    assert str(word(found.do)).startswith("Dry the plug")
    assert "Replace the electrode" not in str(word(found.do))


def test_a_meter_that_lost_its_calibration_is_told_apart_from_what_ends_any() -> None:
    lost = ready("ph-combination", ago(Care.CALIBRATION_LOST, 30))
    assert (lost.state, lost.voided_at, lost.meter_lost_at) == (State.READY, None, NOON - timedelta(minutes=30))
    changed = ready("ph-combination", ago(Care("electrode-changed"), 30))
    assert (changed.voided_at, changed.meter_lost_at) == (NOON - timedelta(minutes=30), None)


START = datetime(2026, 1, 1, tzinfo=UTC)


def course(values: np.ndarray, every_days: float = 2.0) -> list[LifePoint]:
    return [LifePoint(START + timedelta(days=every_days * n), float(v)) for n, v in enumerate(values)]


class TestTrend:
    SOUND = (95.0, 102.0)

    @pytest.mark.parametrize("seed", range(10))
    def test_the_forecast_brackets_the_truth(self, seed: int) -> None:
        n = np.arange(60)
        points = course(98.5 - 0.04 * n + np.random.default_rng(seed).normal(0, 0.15, n.size))
        found = trend_of(points, self.SOUND, points[-1].at)
        truth = START + timedelta(days=2 * (98.5 - 95.0) / 0.04)
        assert found is not None
        assert found.leaves_at is not None
        assert found.earliest is not None
        assert found.latest is not None
        assert found.earliest - timedelta(days=7) <= truth <= found.latest + timedelta(days=7)

    def test_one_bad_run_does_not_bend_it(self) -> None:
        values = np.full(40, 98.0)
        values[20] = 80.0
        found = trend_of(course(values), self.SOUND, START + timedelta(days=80))
        assert found is not None
        assert found.per_day == 0
        assert not found.moves

    @pytest.mark.parametrize("seed", range(20))
    def test_a_steady_probe_rarely_seems_to_move(self, seed: int) -> None:
        values = 98.5 + np.random.default_rng(seed).normal(0, 0.15, 60)
        found = trend_of(course(values), self.SOUND, START + timedelta(days=120))
        assert found is not None
        assert abs(found.per_day) < 0.002

    def test_says_nothing_from_little(self) -> None:
        assert trend_of(course(np.full(7, 98.0), 10), self.SOUND, START) is None
        assert trend_of(course(np.full(20, 98.0), 0.1), self.SOUND, START) is None

    @pytest.mark.parametrize(("wait", "told"), [(1085.0, True), (1105.0, False)])
    def test_a_forecast_reaches_three_years(self, wait: float, told: bool) -> None:
        a_day = 3.0 / (80.0 + wait)
        falling = [LifePoint(START + timedelta(days=2 * n), 98.0 - 2.0 * a_day * n) for n in range(40)]
        found = trend_of(falling, self.SOUND, START + timedelta(days=80))
        assert found is not None
        leaves = START + timedelta(days=80 + wait)
        assert (found.leaves_at is not None and abs(found.leaves_at - leaves) < timedelta(minutes=1)) is told

    def test_outside_already(self) -> None:
        found = trend_of(course(np.linspace(96, 93, 30)), self.SOUND, START + timedelta(days=60))
        assert found is not None
        assert found.already_out
        assert found.leaves_at is None

    @pytest.mark.parametrize(
        ("tail", "rule"),
        # Nelson 1984, run rules of control charts.
        [
            ([2.0], "beyond three"), ([-0.12] * 9, "nine in a row"), ([0.12] * 9, "nine in a row"),
            ([0.01, 0.03, 0.06, 0.1, 0.14, 0.19], "six in a row"),
            ([0.14, 0.09, 0.06, 0.03, 0.01, -0.02], "six in a row"),
        ],
    )  # fmt: skip
    def test_run_rules_are_named(self, tail: list[float], rule: str) -> None:
        """The steady ones before them end above the middle."""
        steady = np.tile([-0.1, 0.1], 30)
        found = trend_of(course(98 + np.concatenate([steady, tail])), self.SOUND, START + timedelta(days=150))
        assert found is not None
        assert any(rule in r for r in found.rules), found.rules

    @pytest.mark.parametrize("tail", [[-0.12] * 8, [0.12] * 7, [0.01, 0.03, 0.06, 0.1, 0.14], [0.09, 0.06, 0.03, 0.01]])
    def test_one_fewer_names_none(self, tail: list[float]) -> None:
        steady = np.tile([-0.1, 0.1], 30)
        found = trend_of(course(98 + np.concatenate([steady, tail])), self.SOUND, START + timedelta(days=150))
        assert found is not None
        assert found.rules == ()
