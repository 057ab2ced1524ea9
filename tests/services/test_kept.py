"""Calibrations that a meter keeps: judged by what it showed, runs like any other. Limits: common practice."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta

import pytest

from brumel.core.calibrating.meter_run import KeptPoint, judge_kept
from brumel.core.findings import Level
from brumel.core.shipped_rules import shipped
from brumel.services.calibrating.meter_runs import NewKept, TypedPoint
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.store.models.reading import Reading
from tests.conftest import NOW
from tests.said import remedy, sentence
from tests.services.world import World

DAY = timedelta(days=1)


@pytest.mark.parametrize(
    ("kind", "check", "target", "shown", "level"),
    [
        # Conductivity: ±2 % or 3 µS/cm, whichever is larger, sound; ±5 % doubtful.
        ("conductivity-1", "standard", 1413.0, 1441.0, Level.SOUND),
        ("conductivity-1", "standard", 1413.0, 1442.0, Level.DOUBTFUL),
        ("conductivity-1", "standard", 1413.0, 1484.0, Level.UNFIT),
        ("conductivity-1", "standard", 84.0, 87.0, Level.SOUND),
        ("conductivity-1", "standard", 84.0, 87.1, Level.DOUBTFUL),
        ("conductivity-1", "standard", 84.0, 79.7, Level.UNFIT),
        ("oxygen-optical", "air", 100.0, 98.0, Level.SOUND),
        ("oxygen-optical", "air", 100.0, 94.9, Level.UNFIT),
        ("oxygen-optical", "zero", 0.0, 0.1, Level.SOUND),
        ("oxygen-optical", "zero", 0.0, 0.3, Level.DOUBTFUL),
        ("orp", "redox", 221.0, 206.0, Level.SOUND),
        ("orp", "redox", 221.0, 246.0, Level.DOUBTFUL),
        ("temperature", "thermometer", 20.0, 20.2, Level.SOUND),
        ("temperature", "thermometer", 20.0, 19.4, Level.UNFIT),
        ("ph-combination", "neutral", 7.02, 7.07, Level.SOUND),
        ("ph-combination", "neutral", 7.02, 7.1, Level.UNFIT),
    ],
)
def test_what_is_off_a_standard(kind: str, check: str, target: float, shown: float, level: Level) -> None:
    chosen = next(c for c in shipped().kind(kind).checks if c.key == check)
    (finding,) = judge_kept([KeptPoint(chosen, "its standard", target, before=shown)], [])
    assert (finding.code, finding.level) == ("as-found", level)
    assert (remedy(finding) == "") == (level is Level.SOUND)


def test_as_left_decides_and_as_found_tells_of_the_readings_before() -> None:
    check = shipped().kind("conductivity-1").checks[0]
    found = judge_kept([KeptPoint(check, "1413", 1413.0, before=1300.0, after=1413.0)], [])
    assert [(f.code, f.level) for f in found] == [("as-found", Level.SOUND), ("as-left", Level.SOUND)]
    assert "−8.0 % off: adjusted since" in sentence(found[0])
    late = KeptPoint(check, "1413", 1413.0, target_known=False, after=1413.0, expired_days=3)
    assert {f.code for f in judge_kept([late], [])} == {"as-left", "standard-temperature", "lot-expired"}


@pytest.mark.parametrize(
    ("ratio", "temperature_c", "code", "words"),
    [
        # 0.01 mol/L potassium chloride: 1020 µS/cm at 10 °C, 1147 at 15 (common laboratory table); ISO 7888 multiplies
        # by 1.428 and 1.256, linear 1.91 %/°C by 1.4015.
        (1020 / 1413 * 1.428, 10.0, "compensation", "factor for natural waters"),
        (1147 / 1413 * 1.256, 15.0, "as-found", ""),  # +1.96 %: within what is allowed
        (1020 / 1413, 10.0, "compensation", "did not compensate"),
        (1020 / 1413 * 1.4015**2, 10.0, "compensation", "compensated twice"),
        (1020 / 1413 * 1.428, 25.0, "as-found", ""),
        (1020 / 1413 * 1.428, None, "as-found", ""),
        (1020 / 1413 * 1.428, 80.0, "as-found", ""),
        (10.0, 25.0, "constant-by-ten", "×10"),
        (9.115, None, "standard-swapped", "the 12880 standard"),
        (1.08, 20.0, "as-found", ""),
        (0.0, 10.0, "as-found", ""),  # a dry cell: no ratio tells a rule
    ],
)
def test_a_meter_that_compensates_by_the_wrong_rule_is_told(
    ratio: float, temperature_c: float | None, code: str, words: str
) -> None:
    check = shipped().kind("conductivity-1").checks[0]
    point = KeptPoint(check, "1413", 1413.0, before=1413.0 * ratio, temperature_c=temperature_c)
    first = judge_kept([point], [])[0]
    assert (first.code, words in sentence(first)) == (code, True)
    assert judge_kept([KeptPoint(check, "1413", 1413.0, before=1413.0, temperature_c=temperature_c)], [])[0].level == (
        Level.SOUND
    )


def test_it_is_a_run_that_holds_is_drawn_and_is_withdrawn(world: World) -> None:
    probe_id = world.other_probe("conductivity-1")
    assert world.at().states.probe_state(probe_id).level == "unfit"
    for n in range(12, 0, -1):
        new = NewKept(uuid.uuid4(), probe_id, reported={"cell-constant": 1.0 + 0.002 * (12 - n)})
        for _ in range(2):  # sent twice, it is one
            found = world.at(NOW - 3 * n * DAY).kept.record(new, world.person)
            assert {f.level for f in found} == {"sound"}
    state = world.at().states.probe_state(probe_id)
    assert (state.level, state.holds_until) == ("sound", NOW - 3 * DAY + 7 * DAY)
    life = world.at().kit.life(probe_id)
    assert [c.name for c in life.courses] == ["Cell constant by its meter"]
    assert len(life.courses[0].points) == 12
    assert life.courses[0].trend is not None
    assert life.courses[0].trend.leaves_at is not None
    worse = NewKept(uuid.uuid4(), probe_id, reported={"cell-constant": 1.15})
    assert [(f.code, f.level) for f in world.at().kept.record(worse, world.person)] == [("cell-constant", "doubtful")]
    assert world.at().states.probe_state(probe_id).level == "doubtful"
    supervisor = world.at().people.add("sue", "Sue Marsh", "supervisor", "a long password")
    world.at().calibrations.amend(worse.run_id, uuid.uuid4(), supervisor, "the other cell", withdraw=True)
    assert world.at().states.probe_state(probe_id).level == "sound"
    soon = NOW + timedelta(minutes=1)
    world.at(soon).kit.log(probe_id, NewCare(uuid.uuid4(), "cell-changed"), world.person)
    later = world.at(soon).states.probe_state(probe_id)
    assert (later.level, "ends a calibration" in later.why) == ("unfit", True)


def test_its_target_is_the_lots_at_temperature_on_the_probes_own_reference(world: World) -> None:
    """ZoBell's solution shows 230 mV at 20 °C against Ag/AgCl in 3 mol/L, 240 in saturated KCl (Nordstrom 1977)."""
    lot = world.lots["ZoBell"]
    for reference, value in (("ag-agcl-3m", 230.0), ("ag-agcl-sat", 239.0)):
        probe_id = world.other_probe("orp", reference=reference)
        new = NewKept(uuid.uuid4(), probe_id, points={"redox": TypedPoint(lot.id, None, 20.0, 232.0, None)})
        world.at().kept.record(new, world.person)
        point = world.at().calibrations.view(new.run_id).run.points[0]
        assert (point.target, point.shown_before, point.lot_id) == (pytest.approx(value, abs=1.0), 232.0, lot.id)
        assert world.at().states.probe_state(probe_id).level == "sound"


def test_a_reading_of_a_signal_does_not_rest_on_it(world: World) -> None:
    probe = world.probe()
    point = TypedPoint(world.lots["7.00"].id, None, 20.0, 7.3, 7.02)
    world.at().kept.record(NewKept(uuid.uuid4(), probe.id, points={"neutral": point}), world.person)
    assert "calibration-missing" in {f.code for f in world.read(probe).findings}
    assert world.at().states.probe_state(probe.id).level == "sound"


def test_what_a_meter_shows_has_its_u_from_its_last_check(world: World) -> None:
    """√(0.07²/3 + 0.05²/3 + u(lot)² + 0.01²/12 + 0.02²), k = 2: off by 0.07, sound ±0.05 (common practice)."""
    probe = world.at().states.probe(world.other_probe("ph-combination", meter_id=world.meter()))
    point = TypedPoint(world.lots["7.00"].id, None, 25.0, 7.2, 7.07)
    new = NewKept(uuid.uuid4(), probe.id, points={"neutral": point})
    world.at().kept.record(new, world.person)
    (kept,) = world.at().calibrations.view(new.run_id).run.points
    found = shown(world, probe.id, NOW)
    expected = (kept.target_u**2 + (0.07**2 + 0.05**2) / 3 + 0.01**2 / 12 + 0.02**2) ** 0.5
    assert found.u == pytest.approx(expected, rel=0.02)
    words = next(f.sentence for f in found.findings if f.code == "meters-own-line")
    assert words.endswith(f"U comes from its last calibration or check, {NOW:%a} {NOW.day} {NOW:%b}.")
    assert "meter-run-doubtful" in {f.code for f in found.findings}  # off by 0.07: its verdict was doubtful
    assert shown(world, probe.id, NOW + 8 * DAY).u == 0.1  # past the days that it holds: ±0.2


def shown(world: World, probe_id: uuid.UUID, at: datetime) -> Reading:
    new = NewReading(
        uuid.uuid4(), world.site.id, probe_id, "typed-value", temperature_c=20.0, shown=7.4, despite="only a test"
    )
    world.at(at).readings.record(new, world.person)
    return world.at(at).readings.view(new.reading_id).reading
